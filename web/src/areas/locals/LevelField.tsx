import type { Schema } from "@/api/api";
import { SelectField, TextField } from "@/parts/fields";

/** A level of a permission, none among them. What one may not give is not offered, and why is said. */
export function LevelField({
  scale,
  value,
  onChosen,
  most,
  className = "col-span-2",
}: {
  scale: Schema["Scale"] | undefined;
  value: string;
  onChosen: (word: string) => void;
  most?: Schema["Ceiling"] | undefined;
  className?: string;
}) {
  const words = scale?.kind === "levels" ? scale.levels! : scale?.kind === "switch" ? ["no", "yes"] : ["0"];
  const limit = scale?.kind === "limit";
  const beyond = (word: string) => !!most?.why_not && words.indexOf(word) > Math.max(0, words.indexOf(most.level));
  return (
    <>
      <SelectField
        label="Level there"
        className={className}
        value={words.includes(value) ? value : limit ? "number" : value}
        onChange={(e) => onChosen(e.target.value === "number" ? "" : e.target.value)}
        hint={most?.why_not}
      >
        {words.map((word, i) => (
          <option key={word} value={word} disabled={beyond(word)}>
            {i === 0 ? "None: it is taken away" : word}
          </option>
        ))}
        {limit && <option value="number">Up to…</option>}
      </SelectField>
      {limit && !words.includes(value) && (
        <TextField
          label={`Up to, in ${scale.unit}`}
          type="number"
          min={1}
          max={most?.why_not ? most.level : scale.most || undefined}
          required
          className={className}
          value={value}
          onChange={(e) => onChosen(e.target.value)}
        />
      )}
    </>
  );
}
