import { useQuery } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import type { Schema, Staff } from "@/api/api";
import { read } from "@/api/read";
import { ExceptionDialog } from "@/areas/exceptions/ExceptionDialog";
import { ExceptionEdit } from "@/areas/exceptions/ExceptionEdit";
import { exceptionWords } from "@/areas/exceptions/Exceptions";
import { useMay, useMe } from "@/areas/session/session";
import { MakeDialog } from "@/areas/templates/MakeDialog";
import { Button } from "@/parts/Button";
import { ChangeDialog } from "@/parts/change";
import { useTemplates } from "@/parts/choices";
import { Section } from "@/parts/Page";
import { day, howMany } from "@/parts/words";

export function PersonExceptions({ staff, self }: { staff: Staff; self: boolean }) {
  const may = useMay();
  const me = useMe();
  const navigate = useNavigate();
  const number = staff.staff_number;
  const name = `${staff.given_name} ${staff.family_name}`;
  const [dialog, setDialog] = useState<"add" | "template" | Schema["Exception"]>();
  const [editing, setEditing] = useState<Schema["Exception"]>();
  const list = useQuery({
    ...read("/exceptions", { query: { staff: number, limit: 200 } }),
  });
  const templates = useTemplates();
  const acts = may("console.except") && !self && (!staff.owner || me.owner);
  const makes = me.owner || me.everywhere.includes("console.edit_templates");
  const items = list.data?.items ?? [];
  return (
    <Section
      title="Exceptions"
      note={
        acts &&
        staff.status !== "left" && (
          <button type="button" className="text-damson underline underline-offset-2" onClick={() => setDialog("add")}>
            {staff.narrow ? "Withhold something" : "Make an exception"}
          </button>
        )
      }
    >
      {items.length === 0 && (
        <p className="text-faded">None: {staff.given_name} has what the templates give, and nothing else.</p>
      )}
      <ul>
        {items.map((e) => (
          <li
            key={e.id}
            className={`flex items-start justify-between gap-3 border-b border-rule py-1.5 last:border-b-0 ${e.when === "past" ? "text-faded" : ""}`}
          >
            <span>
              <b className={`font-semibold ${e.withheld ? "text-shut" : "text-open"}`}>{exceptionWords(e)}</b>:{" "}
              {e.title} at {e.place.name}
              <span className="block text-sm text-faded">
                “{e.reason}” · {howMany(e.days, "day", "days")} old · {e.until ? `until ${day(e.until)}` : "open"}
                {e.templates.length > 0 && ` · differs from ${e.templates.join(", ")}`}
              </span>
              {e.redundant && <span className="block text-sm font-semibold text-soon">Redundant: {e.redundant}</span>}
            </span>
            {acts && (
              <span className="shrink-0">
                <Button
                  look="quiet"
                  className="min-h-0 px-1"
                  aria-label={`Change the exception, ${e.title}`}
                  onClick={() => setEditing(e)}
                >
                  Change
                </Button>
                <Button
                  look="quiet"
                  className="min-h-0 px-1"
                  aria-label={`End the exception, ${e.title}`}
                  onClick={() => setDialog(e)}
                >
                  End
                </Button>
              </span>
            )}
          </li>
        ))}
      </ul>
      {makes && !staff.owner && items.some((e) => e.when === "now") && (
        <Button className="mt-2" onClick={() => setDialog("template")}>
          Make a template from this person
        </Button>
      )}
      {editing && <ExceptionEdit exception={editing} close={() => setEditing(undefined)} />}
      {dialog === "add" && (
        <ExceptionDialog staff={number} site={staff.home_site.code} name={name} close={() => setDialog(undefined)} />
      )}
      {dialog === "template" && (
        <MakeDialog
          templates={templates.data?.items ?? []}
          like={{ staff: number, place: items.find((e) => e.when === "now")?.place.code ?? staff.home_site.code, name }}
          close={() => setDialog(undefined)}
          made={(code) => navigate({ to: "/templates/$code", params: { code } })}
        />
      )}
      {typeof dialog === "object" && (
        <ChangeDialog
          title="End the exception"
          about={`${dialog.title}, ${exceptionWords(dialog)} at ${dialog.place.name}. It stays on record.`}
          operations={[{ op: "exception.end", on: String(dialog.id) }]}
          button="End it"
          close={() => setDialog(undefined)}
        />
      )}
    </Section>
  );
}
