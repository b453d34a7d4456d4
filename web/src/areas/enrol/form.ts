import { useQuery } from "@tanstack/react-query";
import { useDeferredValue } from "react";
import { read } from "@/api/read";
import { isoToday } from "@/parts/AssignmentFields";

export const blank = {
  given_name: "",
  family_name: "",
  email: "",
  phone: "",
  job_title: "",
  engagement: "seasonal",
  employer: "",
  home_site: "",
  start_date: isoToday(),
  contract_end: "",
  emergency_contact: "",
  emergency_phone: "",
};
export type Form = typeof blank;

/** Who on record may be the same person. */
export function useDuplicates(form: Form) {
  const who = useDeferredValue(
    JSON.stringify({
      given_name: form.given_name.trim(),
      family_name: form.family_name.trim(),
      email: form.email.trim(),
      phone: form.phone.trim(),
    }),
  );
  const named = form.given_name.trim() !== "" && form.family_name.trim() !== "";
  return useQuery({
    ...read("/staff/duplicates", { query: JSON.parse(who) as Record<string, string> }),
    enabled: named || form.email.includes("@") || form.phone.length > 6,
  });
}

/** Which staff number somebody would get. */
export function useNextNumber(form: Form) {
  const naming = useDeferredValue(
    JSON.stringify({ given_name: form.given_name, family_name: form.family_name, home_site: form.home_site }),
  );
  return useQuery({
    ...read("/organisation/number", { query: JSON.parse(naming) as Record<string, string> }),
    enabled: !!(form.given_name.trim() && form.family_name.trim() && form.home_site),
    placeholderData: (before) => before,
  });
}

/** What others with the same title have at the same site. */
export function useProposals(form: Form) {
  const titled = useDeferredValue(JSON.stringify({ job_title: form.job_title.trim(), site: form.home_site }));
  return useQuery({
    ...read("/staff/proposals", { query: { ...(JSON.parse(titled) as Record<string, string>), limit: 4 } }),
    enabled: form.job_title.trim().length > 2 && form.home_site !== "",
  });
}
