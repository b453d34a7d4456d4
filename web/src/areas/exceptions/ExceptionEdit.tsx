import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Schema } from "@/api/api";
import { read } from "@/api/read";
import { DatesDialog } from "@/parts/DatesDialog";
import { SelectField, TextField } from "@/parts/fields";

/** Changes the days of an exception, and the level of one that adds. */
export function ExceptionEdit({ exception: e, close }: { exception: Schema["Exception"]; close: () => void }) {
  const [level, setLevel] = useState(e.level ?? "");
  const permission = useQuery({
    ...read("/permissions/{id}", { path: { id: e.permission } }),
  });
  const scale = e.withheld ? undefined : permission.data?.scale;
  return (
    <DatesDialog
      title={`Change the exception of ${e.staff.name}`}
      about={`${e.title}, ${e.withheld ? "withheld" : "added"} at ${e.place.name}: “${e.reason}”`}
      op="exception.edit"
      record={e}
      further={level !== (e.level ?? "") ? { level } : {}}
      close={close}
    >
      {scale?.kind === "levels" && (
        <SelectField
          label="Level"
          className="col-span-2"
          value={level}
          onChange={(event) => setLevel(event.target.value)}
        >
          {scale.levels!.slice(1).map((word) => (
            <option key={word} value={word}>
              {word}
            </option>
          ))}
        </SelectField>
      )}
      {scale?.kind === "limit" && (
        <TextField
          label={`Up to, in ${scale.unit}`}
          type="number"
          min={1}
          max={scale.most || undefined}
          className="col-span-2"
          value={level}
          onChange={(event) => setLevel(event.target.value)}
        />
      )}
    </DatesDialog>
  );
}
