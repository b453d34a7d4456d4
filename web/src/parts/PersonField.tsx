import { useQuery } from "@tanstack/react-query";
import { useEffect, useId, useRef, useState } from "react";
import { api, take } from "@/api/api";
import { Field, inputLook } from "./parts";

/**
 * A field that finds a person by any part of a name or number. What is chosen is a staff number: of the only one who fits,
 * or of the one picked among several. What fits several, or nobody, is not submitted.
 */
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
  const input = useRef<HTMLInputElement>(null);
  const [typed, setTyped] = useState<string>();
  const [tried, setTried] = useState(false);
  const q = (typed ?? "").trim();
  const known = useQuery({
    queryKey: ["staff", value],
    queryFn: () => take(api.GET("/staff/{id}", { params: { path: { id: value } } })),
    enabled: value !== "" && typed === undefined,
    staleTime: 60_000,
  });
  const found = useQuery({
    queryKey: ["find-staff", q],
    queryFn: () => take(api.GET("/staff", { params: { query: { q, limit: 8 } } })),
    enabled: q.length > 1,
  });
  const name = (s: { given_name: string; family_name: string; staff_number: string }) =>
    `${s.given_name} ${s.family_name} (${s.staff_number})`;
  const fits = found.data?.items ?? [];
  const one =
    fits.find((s) => s.staff_number.toLowerCase() === q.toLowerCase()) ?? (fits.length === 1 ? fits[0] : undefined);
  const number = one?.staff_number ?? "";
  useEffect(() => {
    if (q && number !== value) onChosen(number);
  }, [q, number, value, onChosen]);
  let unsettled = "";
  if (q && !number) {
    unsettled = "Choose one of those who fit.";
    if (found.data?.total === 0) unsettled = "Nobody goes by that.";
    else if (found.data) unsettled = `${found.data.total} people fit “${q}”. Choose one of them.`;
  }
  useEffect(() => input.current?.setCustomValidity(unsettled), [unsettled]);
  return (
    <Field label={label} optional={optional} error={(tried && unsettled) || error} hint={unsettled}>
      {(tie) => (
        <>
          <input
            {...tie}
            ref={input}
            required={required}
            list={list}
            autoComplete="off"
            placeholder="Name or staff number"
            className={inputLook}
            value={typed ?? (known.data ? name(known.data) : value)}
            onChange={(e) => {
              const text = e.target.value;
              const picked = fits.find((s) => name(s) === text);
              setTyped(picked ? undefined : text);
              setTried(false);
              if (picked || !text.trim()) onChosen(picked?.staff_number ?? "");
            }}
            onInvalid={(e) => {
              if (!e.currentTarget.validity.customError) return;
              e.preventDefault(); // said below the field instead of in a bubble
              setTried(true);
              e.currentTarget.focus();
            }}
            onBlur={() => number && setTyped(undefined)}
          />
          <datalist id={list}>
            {fits.map((s) => (
              <option key={s.staff_number} value={name(s)} />
            ))}
          </datalist>
        </>
      )}
    </Field>
  );
}
