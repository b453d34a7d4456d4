import { useQuery } from "@tanstack/react-query";
import { useId, useState } from "react";
import { api, take } from "@/api/api";
import { Field, inputLook } from "./parts";

/** A field that finds a person by any part of a name or number. What is chosen is a staff number; nothing typed is nobody. */
export function PersonField({
  label,
  value,
  onChosen,
  optional,
  required,
  error,
}: {
  label: string;
  value: string;
  onChosen: (staffNumber: string) => void;
  optional?: boolean;
  required?: boolean;
  error?: string;
}) {
  const list = useId();
  const [typed, setTyped] = useState<string>();
  const q = (typed ?? value).trim();
  const known = useQuery({
    queryKey: ["staff", value],
    queryFn: () => take(api.GET("/staff/{id}", { params: { path: { id: value } } })),
    enabled: value !== "",
    staleTime: 60_000,
  });
  const found = useQuery({
    queryKey: ["find-staff", q],
    queryFn: () => take(api.GET("/staff", { params: { query: { q, limit: 8 } } })),
    enabled: typed !== undefined && q.length > 1,
  });
  const name = (s: { given_name: string; family_name: string; staff_number: string }) => `${s.given_name} ${s.family_name} (${s.staff_number})`;
  const settle = (text: string) => {
    setTyped(text);
    const one = found.data?.items.find((s) => name(s) === text || s.staff_number.toLowerCase() === text.trim().toLowerCase());
    if (one) {
      onChosen(one.staff_number);
      setTyped(undefined);
    } else if (text === "") onChosen("");
  };
  return (
    <Field
      label={label}
      optional={optional}
      error={error}
      hint={typed && found.data?.total === 0 ? "Nobody goes by that." : typed && q.length > 1 ? "Choose one of those who fit." : undefined}
    >
      {(tie) => (
        <>
          <input
            {...tie}
            required={required}
            list={list}
            autoComplete="off"
            placeholder="Name or staff number"
            className={inputLook}
            value={typed ?? (known.data ? name(known.data) : value)}
            onChange={(e) => settle(e.target.value)}
            onBlur={() => {
              const only = found.data?.items;
              if (typed && only?.length === 1) {
                onChosen(only[0]!.staff_number);
                setTyped(undefined);
              }
            }}
          />
          <datalist id={list}>
            {found.data?.items.map((s) => (
              <option key={s.staff_number} value={name(s)} />
            ))}
          </datalist>
        </>
      )}
    </Field>
  );
}
