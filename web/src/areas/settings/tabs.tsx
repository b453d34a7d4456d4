import { Tabs } from "@/parts/Page";

/** The pages about the organisation as a whole. */
export function SettingsTabs() {
  return (
    <Tabs
      label="Settings"
      tabs={[
        { to: "/settings", name: "Settings" },
        { to: "/fields", name: "Record fields" },
        { to: "/messages", name: "Messages by mail" },
        { to: "/kept", name: "What is kept" },
      ]}
    />
  );
}
