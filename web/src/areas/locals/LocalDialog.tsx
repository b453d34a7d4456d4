import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Operation } from "@/api/api";
import { read } from "@/api/read";
import { Ask } from "@/parts/Ask";
import { Combobox } from "@/parts/Combobox";
import { Reasoned } from "@/parts/change";
import {
  permissionOptions,
  placeOptions,
  templateOptions,
  usePermissions,
  usePlaces,
  useTemplates,
} from "@/parts/choices";
import { DateField } from "@/parts/DateField";
import { LevelField } from "./LevelField";

type Of = { template?: string | undefined; place?: string | undefined; permission?: string | undefined };

/** Lets a template have another level of one permission, or none, at a place, for everybody who has it there. */
export function LocalDialog({ of = {}, close }: { of?: Of; close: () => void }) {
  const [template, setTemplate] = useState(of.template ?? "");
  const [place, setPlace] = useState(of.place ?? "");
  const [permission, setPermission] = useState(of.permission ?? "");
  const [picked, setLevel] = useState<string>();
  const [from, setFrom] = useState("");
  const [until, setUntil] = useState("");
  const places = usePlaces();
  const here = places.data?.find((p) => p.code === place);
  const templates = useTemplates();
  const permissions = usePermissions(here?.kind);
  const ceiling = useQuery({ ...read("/me/ceiling", { query: { place } }), enabled: place !== "" });
  const chosen = permissions.data?.items.find((p) => p.key === permission);
  const lowest =
    chosen?.scale.kind === "limit" ? "0" : chosen?.scale.kind === "levels" ? chosen.scale.levels![0]! : "no";
  const level = picked ?? lowest;
  const operations: Operation[] =
    template && place && chosen && level
      ? [
          {
            op: "local_setting.add",
            set: { template, place, permission, level, ...(from && { from }), ...(until && { until }) },
          },
        ]
      : [];
  return (
    <Ask
      open
      wide
      onOpenChange={close}
      title="Make a local setting"
      about="A template has another level of one permission at a place and below it, for everybody who has it there, now and later. An exception for one person still wins."
    >
      <div className="mb-4 grid grid-cols-2 gap-3">
        <Combobox
          label="Template"
          required
          className="col-span-2"
          value={template}
          onChange={(e) => setTemplate(e.target.value)}
          placeholder="Choose a template"
          options={templateOptions(templates.data?.items)}
        />
        <Combobox
          label="Where"
          required
          className="col-span-2"
          value={place}
          onChange={(e) => setPlace(e.target.value)}
          placeholder="Choose a place"
          options={placeOptions(places.data)}
        />
        <Combobox
          label="What"
          required
          className="col-span-2"
          value={permission}
          onChange={(e) => {
            setPermission(e.target.value);
            setLevel(undefined);
          }}
          placeholder={here ? "Choose a permission" : "Choose a place first"}
          options={permissionOptions(permissions.data?.items)}
        />
        <LevelField
          scale={chosen?.scale}
          value={level}
          onChosen={setLevel}
          most={ceiling.data?.items.find((c) => c.permission === permission)}
        />
        <DateField
          label="From"
          optional
          type="date"
          value={from}
          onChange={(e) => setFrom(e.target.value)}
          hint="If empty, immediately."
        />
        <DateField
          label="Until"
          optional
          type="date"
          value={until}
          onChange={(e) => setUntil(e.target.value)}
          hint="The last day on which it applies."
        />
      </div>
      <Reasoned always operations={operations} button="Set it here" grave={level === lowest} close={close} />
    </Ask>
  );
}
