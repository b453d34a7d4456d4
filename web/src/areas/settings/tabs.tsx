import { Tabs } from "@/parts/parts";

/** The pages about the organisation as a whole. */
export function SettingsTabs() {
  return (
    <Tabs
      label="Settings"
      tabs={[
        { to: "/settings", name: "Settings" },
        { to: "/messages", name: "Messages by mail" },
      ]}
    />
  );
}
