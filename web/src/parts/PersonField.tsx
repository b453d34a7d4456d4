import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { read } from "@/api/read";
import { Combobox } from "./Combobox";

type Person = { given_name: string; family_name: string; staff_number: string };

const option = (s: Person) => ({
  value: s.staff_number,
  label: `${s.given_name} ${s.family_name} (${s.staff_number})`,
});

/** Finds a person by any part of a name or number. What is chosen is a staff number. */
export function PersonField({
  value,
  onChosen,
  ...rest
}: {
  label: string;
  value: string;
  onChosen: (staffNumber: string) => void;
  optional?: boolean;
  required?: boolean;
  error?: string | undefined;
}) {
  const [typed, setTyped] = useState("");
  const sought = typed.replace(/[()]/g, " ").trim(); // a name as it is shown has its number in brackets
  const q = useDeferredValue(sought);
  const known = useQuery({
    ...read("/staff/{id}", { path: { id: value } }),
    enabled: value !== "",
    staleTime: 60_000,
  });
  const found = useQuery({
    ...read("/staff", { query: { q, limit: 50 } }),
    placeholderData: keepPreviousData,
    staleTime: 10_000,
  });
  const offered = (found.data?.items ?? []).map(option);
  const chosen = known.data && known.data.staff_number === value ? option(known.data) : undefined;
  return (
    <Combobox
      {...rest}
      value={value}
      onChange={(e) => onChosen(e.target.value)}
      placeholder="Name or staff number"
      options={offered}
      shown={chosen?.label}
      searched={setTyped}
      settled={q === sought && !found.isPlaceholderData && found.isSuccess}
      nothing="Nobody has that name or number."
    />
  );
}
