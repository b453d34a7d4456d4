import { useMay } from "@/areas/session/session";
import { Tabs } from "@/parts/Page";

/** The pages about what people may do. */
export function RuleTabs() {
  const may = useMay();
  return (
    <Tabs
      label="Rules"
      tabs={[
        { to: "/templates", name: "Templates" },
        { to: "/catalogue", name: "Catalogue" },
        { to: "/schedules", name: "Schedules" },
        { to: "/qualifications", name: "Qualifications" },
        { to: "/notices", name: "Notices" },
        { to: "/compare", name: "Compare" },
        { to: "/local-settings", name: "Local settings" },
        { to: "/exceptions", name: "Exceptions", shown: may("console.view_staff") },
        { to: "/sheet", name: "Sheet to agree on" },
      ]}
    />
  );
}
