import { Link, useNavigate, useParams } from "@tanstack/react-router";
import { useState } from "react";
import { useMe } from "@/areas/session/session";
import { Button } from "@/parts/Button";
import { usePlaces, useTemplates } from "@/parts/choices";
import { Listed } from "@/parts/Listed";
import { Empty, Page } from "@/parts/Page";
import { howMany } from "@/parts/words";
import { useFilters } from "@/search";
import { Editor } from "./Editor";
import { MakeDialog } from "./MakeDialog";
import { RuleTabs } from "./tabs";

/** The templates, and beside them one of them: the tree of what it gives, edited in place. */
export function Templates() {
  const { code } = useParams({ strict: false }) as { code?: string };
  const navigate = useNavigate();
  const me = useMe();
  const [{ retired = false }, put] = useFilters("/templates");
  const list = useTemplates({ retired });
  const [adding, setAdding] = useState(false);
  usePlaces(); // what the hours of a template are drawn at: asked for beside the templates, not after them
  const edits = me.everywhere.includes("console.edit_templates") || !!me.owner;
  const chosen = code ?? list.data?.items[0]?.code;
  return (
    <Page
      title="Templates"
      lead={list.data && howMany(list.data.total, "kind of work", "kinds of work")}
      acts={
        edits && (
          <Button look="main" onClick={() => setAdding(true)}>
            Make a template
          </Button>
        )
      }
    >
      <RuleTabs />
      <Listed of={list}>{() => null}</Listed>
      {list.data?.total === 0 && (
        <Empty>
          No template yet. Make one, or begin with a starter set on the{" "}
          <Link to="/catalogue" className="text-damson underline">
            catalogue
          </Link>{" "}
          page.
        </Empty>
      )}
      <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-8 md:grid-cols-[17rem_minmax(0,1fr)]">
        <div className="md:sticky md:top-20">
          <nav aria-label="Templates" className="sheet max-h-[calc(100dvh-11rem)] max-md:max-h-48 overflow-auto py-1">
            {list.data?.items.map((t) => (
              <Link
                key={t.code}
                to="/templates/$code"
                params={{ code: t.code }}
                aria-current={t.code === chosen ? "page" : undefined}
                className={`block px-3 py-1.5 ${t.code === chosen ? "bg-damson-wash font-semibold" : "hover:bg-inset"}`}
              >
                {t.name}
                <span className="block text-sm font-normal text-faded">
                  {t.assignments} assigned
                  {t.retired && <b className="ml-2 text-shut">retired</b>}
                  {t.undecided > 0 && !t.retired && <b className="ml-2 text-soon">{t.undecided} undecided</b>}
                </span>
              </Link>
            ))}
          </nav>
          <label className="mt-2 flex items-center gap-2 text-sm">
            <input
              type="checkbox"
              checked={retired}
              onChange={(e) => put({ retired: e.target.checked || undefined })}
              className="size-4 accent-damson"
            />{" "}
            Show what is retired
          </label>
        </div>
        {chosen && <Editor key={chosen} code={chosen} edits={edits} />}
      </div>
      {adding && (
        <MakeDialog
          templates={list.data?.items ?? []}
          close={() => setAdding(false)}
          made={(made) => navigate({ to: "/templates/$code", params: { code: made } })}
        />
      )}
    </Page>
  );
}
