import { Link } from "@tanstack/react-router";
import { createColumnHelper, type SortingState } from "@tanstack/react-table";
import type { Staff } from "@/api/api";
import { StaffMark } from "@/parts/Mark";
import { day, engagementWord } from "@/parts/words";
import { staffColumns, staffOrders } from "@/search";

const of = createColumnHelper<Staff>();
/** The columns of the list of staff. */
export const columns = [
  of.accessor((s) => `${s.family_name}, ${s.given_name}`, {
    id: "name",
    header: "Name",
    size: 230,
    cell: (c) => (
      <Link
        to="/staff/$number"
        params={{ number: c.row.original.staff_number }}
        className="font-semibold hover:underline"
      >
        {c.getValue()}
      </Link>
    ),
  }),
  of.accessor("staff_number", { header: "Number", size: 95 }),
  of.display({ id: "status", header: "Status", size: 125, cell: (c) => <StaffMark staff={c.row.original} /> }),
  of.accessor("job_title", { header: "Job title", size: 170 }),
  of.accessor((s) => s.templates.join(", "), { id: "works_as", header: "Works as", size: 180, enableSorting: false }),
  of.accessor((s) => s.home_site.name, { id: "home_site", header: "Home site", size: 190 }),
  of.accessor((s) => (s.engagement ? engagementWord[s.engagement] : ""), {
    id: "engagement",
    header: "Engagement",
    size: 120,
  }),
  of.accessor("employer", { header: "Employer", size: 190 }),
  of.accessor((s) => day(s.start_date), { id: "start_date", header: "Start", size: 120 }),
  of.accessor((s) => day(s.leaving_date || s.contract_end), { id: "contract_end", header: "Ends", size: 120 }),
];

/** Those that are shown unless others are chosen. */
export const usual = staffColumns.filter((c) => c !== "employer" && c !== "start_date");

export const sortable: ReadonlySet<string> = new Set(staffOrders);

export const sortingOf = (sort = "name"): SortingState =>
  sort.split(",").map((f) => (f.startsWith("-") ? { id: f.slice(1), desc: true } : { id: f, desc: false }));
