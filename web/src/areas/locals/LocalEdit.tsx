import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Schema } from "@/api/api";
import { read } from "@/api/read";
import { DatesDialog } from "@/parts/DatesDialog";
import { LevelField } from "./LevelField";

/** Changes the level of a local setting, and its days. */
export function LocalEdit({ local: l, close }: { local: Schema["LocalSetting"]; close: () => void }) {
  const [level, setLevel] = useState(l.level);
  const permission = useQuery({ ...read("/permissions/{id}", { path: { id: l.permission } }) });
  const ceiling = useQuery({ ...read("/me/ceiling", { query: { place: l.place.code } }) });
  return (
    <DatesDialog
      title="Change the local setting"
      about={`${l.title} of ${l.template_name}, ${l.level} at ${l.place.name}: “${l.reason}”`}
      op="local_setting.edit"
      record={l}
      further={level !== l.level && level ? { level } : {}}
      close={close}
    >
      <LevelField
        scale={permission.data?.scale}
        value={level}
        onChosen={setLevel}
        most={ceiling.data?.items.find((c) => c.permission === l.permission)}
      />
    </DatesDialog>
  );
}
