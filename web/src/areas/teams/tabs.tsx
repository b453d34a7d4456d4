import { useMay } from "@/areas/session/session";
import { Tabs } from "@/parts/Page";

/** The pages about people as a whole. */
export function StaffTabs() {
  const may = useMay();
  return (
    <Tabs
      label="Staff"
      tabs={[
        { to: "/staff", name: "People" },
        { to: "/teams", name: "Teams" },
        { to: "/reports", name: "Reports" },
        { to: "/imports", name: "Files of people", shown: may("console.enrol") },
      ]}
    />
  );
}
