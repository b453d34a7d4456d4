import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { X } from "lucide-react";
import { Fragment } from "react";
import { read } from "@/api/read";
import { useMay } from "@/areas/session/session";
import { Combobox } from "@/parts/Combobox";
import { placeOptions, templateOptions, usePlaces, useTemplates } from "@/parts/choices";
import { Listed } from "@/parts/Listed";
import { Empty, Page } from "@/parts/Page";
import { PersonField } from "@/parts/PersonField";
import { TakeAlong } from "@/parts/TakeAlong";
import { useFilters } from "@/search";
import { RuleTabs } from "./tabs";

/** Templates side by side, or a template and what a person holds. */
export function Compare() {
  const [search, put] = useFilters("/compare");
  const may = useMay();
  const list = useTemplates();
  const places = usePlaces();
  const codes = (search.templates ?? "").split(",").filter(Boolean);
  const query = {
    templates: codes,
    differences: search.differences ?? true,
    draft: "open",
    ...(search.staff && { staff: search.staff }),
    ...(search.place && { place: search.place }),
  };
  const enough = codes.length + (search.staff ? 1 : 0) > 1;
  const compared = useQuery({
    ...read("/comparison", { query }),
    enabled: enough,
    placeholderData: keepPreviousData,
  });
  return (
    <Page
      title="Compare"
      lead={
        compared.data && enough
          ? compared.data.differing === 1
            ? "1 permission differs"
            : `${compared.data.differing} permissions differ`
          : "Templates side by side, or a template and a person"
      }
      acts={
        enough && (
          <TakeAlong from="/comparison" query={{ ...query, templates: codes.join(",") }} file="comparison.csv" />
        )
      }
    >
      <RuleTabs />
      <div className="mb-5 grid items-start gap-4 sm:grid-cols-2 lg:grid-cols-4">
        <Combobox
          label="Add a template"
          value=""
          placeholder="Choose a template"
          onChange={(e) => e.target.value && put({ templates: [...codes, e.target.value].join(",") })}
          options={templateOptions(list.data?.items.filter((t) => !codes.includes(t.code)))}
        />
        {may("console.view_staff") && (
          <PersonField
            label="Beside a person"
            optional
            value={search.staff ?? ""}
            onChosen={(staff) => put({ staff: staff || undefined })}
          />
        )}
        {search.staff && (
          <Combobox
            label="What they hold at"
            value={search.place ?? ""}
            onChange={(e) => put({ place: e.target.value || undefined })}
            placeholder="Their home site"
            options={placeOptions(places.data)}
          />
        )}
        <label className="flex items-center gap-2 self-end pb-1.5">
          <input
            type="checkbox"
            checked={query.differences}
            onChange={(e) => put({ differences: e.target.checked })}
            className="size-4 accent-damson"
          />
          Only what differs
        </label>
      </div>
      {!enough && (
        <Empty>
          {codes.length === 1 ? `${list.data?.items.find((t) => t.code === codes[0])?.name} is chosen. ` : ""}
          Choose two templates or more, or a template and a person.
        </Empty>
      )}
      {enough && <Listed of={compared}>{() => null}</Listed>}
      {enough && compared.data && (
        <div className="sheet max-h-[calc(100dvh-20rem)] min-h-60 overflow-auto">
          <table className="w-full">
            <thead className="sticky top-0 bg-inset text-left">
              <tr>
                <th className="px-3 py-2 text-sm font-semibold text-faded">May</th>
                {compared.data.sides.map((side) => (
                  <th key={side.kind + side.code} className="px-3 py-2 font-bold">
                    <span className="flex items-start justify-between gap-2">
                      {side.name}
                      <button
                        type="button"
                        aria-label={`Take ${side.name} out`}
                        className="text-faded hover:text-ink"
                        onClick={() =>
                          put(
                            side.kind === "person"
                              ? { staff: undefined }
                              : { templates: codes.filter((c) => c !== side.code).join(",") },
                          )
                        }
                      >
                        <X size={15} aria-hidden />
                      </button>
                    </span>
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {compared.data.items.map((row, i, all) => (
                <Fragment key={row.permission}>
                  {row.group_title !== all[i - 1]?.group_title && (
                    <tr>
                      <th
                        colSpan={compared.data.sides.length + 1}
                        scope="colgroup"
                        className="px-3 pt-3 text-left text-sm font-bold text-brass"
                      >
                        {row.group_title}
                      </th>
                    </tr>
                  )}
                  <tr className="border-t border-rule">
                    <td className="px-3 py-1">{row.title}</td>
                    {row.levels.map((level, j) => (
                      <td
                        key={compared.data.sides[j]?.code}
                        className={`px-3 py-1 ${row.differs ? "font-bold" : "text-faded"}`}
                      >
                        {level}
                        {row.gives[j] !== level && (
                          <span className="block text-sm font-normal">can give {row.gives[j]}</span>
                        )}
                      </td>
                    ))}
                  </tr>
                </Fragment>
              ))}
            </tbody>
          </table>
          {compared.data.items.length === 0 && <p className="px-3 py-4 text-faded">They give exactly the same.</p>}
        </div>
      )}
    </Page>
  );
}
