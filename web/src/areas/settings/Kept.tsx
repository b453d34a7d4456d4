import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { read } from "@/api/read";
import { Listed } from "@/parts/Listed";
import { Page } from "@/parts/Page";
import { TakeAlong } from "@/parts/TakeAlong";
import { day } from "@/parts/words";
import { SettingsTabs } from "./tabs";

/** What the service keeps beside the records, for how long, and how much of it there is. */
export function Kept() {
  const kept = useQuery(read("/kept"));
  return (
    <Page
      title="What is kept"
      lead="Beside the records themselves: for how long, and how much there is"
      acts={<TakeAlong from="/kept" query={{}} file="kept.csv" />}
    >
      <SettingsTabs />
      <Listed of={kept}>{() => null}</Listed>
      {kept.data && (
        <div className="max-w-[60rem] overflow-x-auto">
          <table className="w-full text-left">
            <thead>
              <tr className="text-left text-sm text-faded">
                {["What", "Kept for", "Lines", "Room", "The oldest is from"].map((head) => (
                  <th key={head} className="py-2 pr-4 font-semibold">
                    {head}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {kept.data.items.map((one) => (
                <tr key={one.what} className="border-t border-rule align-top">
                  <td className="py-2 pr-4">{one.what}</td>
                  <td className="py-2 pr-4">
                    {one.setting ? (
                      <Link to="/settings" className="text-damson underline underline-offset-2">
                        {one.kept_for}
                      </Link>
                    ) : (
                      one.kept_for
                    )}
                  </td>
                  <td className="py-2 pr-4 tabular-nums">
                    {one.lines ? `about ${one.lines.toLocaleString("en-IE")}` : "none"}
                  </td>
                  <td className="py-2 pr-4 tabular-nums">{room(one.bytes)}</td>
                  <td className="py-2 pr-4">{one.oldest ? day(one.oldest.slice(0, 10)) : ""}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      <p className="mt-4 max-w-[60rem] text-faded sentence">
        Events and entries of the audit log go by age, once the settings say so; what is left of the log still verifies.
        Before they go they are written to signed files, where the settings say so and whoever runs the service has
        named a folder.
      </p>
    </Page>
  );
}

function room(bytes: number) {
  return bytes < 1e6 ? "under 1 MB" : `${Math.round(bytes / 1e6).toLocaleString("en-IE")} MB`;
}
