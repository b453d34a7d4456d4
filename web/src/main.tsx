import { QueryClientProvider } from "@tanstack/react-query";
import { createRootRoute, createRoute, createRouter, RouterProvider } from "@tanstack/react-router";
import { setNonce } from "get-nonce";
import { type ComponentType, StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { queries } from "@/api/api";
import { Today } from "@/areas/today/Today";
import { late } from "@/parts/late";
import { Broken, NotFound, Shell } from "@/parts/Shell";
import { type Searched, validated } from "@/search";
import "./theme.css";

// Style elements that the parts of the page bring along are known to the browser by this word.
setNonce(document.querySelector<HTMLMetaElement>("meta[name=csp-nonce]")?.content ?? "");

const root = createRootRoute({ component: Shell, notFoundComponent: NotFound, errorComponent: Broken });
const page = (load: () => Promise<Record<string, unknown>>, name: string) =>
  late(async () => (await load())[name] as ComponentType, "page");
const at = <P extends string>(path: P, load: () => Promise<Record<string, unknown>>, name: string) =>
  createRoute({
    getParentRoute: () => root,
    path,
    component: page(load, name),
    errorComponent: Broken,
  });
/** A list, whose filters, order and columns stand in its address. */
const list = <P extends Searched>(path: P, load: () => Promise<Record<string, unknown>>, name: string) =>
  createRoute({
    getParentRoute: () => root,
    path,
    component: page(load, name),
    errorComponent: Broken,
    validateSearch: validated(path),
  });

const routeTree = root.addChildren([
  createRoute({ getParentRoute: () => root, path: "/", component: Today, errorComponent: Broken }),
  list("/staff", () => import("@/areas/staff/StaffList"), "StaffList"),
  at("/staff/$number", () => import("@/areas/staff/Person"), "Person"),
  list("/teams", () => import("@/areas/teams/Teams"), "Teams"),
  list("/teams/$code", () => import("@/areas/teams/TeamPage"), "TeamPage"),
  at("/reports", () => import("@/areas/reports/Reports"), "Reports"),
  list("/reports/$kind", () => import("@/areas/reports/Reports"), "ReportPage"),
  at("/enrol", () => import("@/areas/enrol/Enrol"), "Enrol"),
  list("/leaving", () => import("@/areas/leaving/Leaving"), "Leaving"),
  list("/readiness", () => import("@/areas/readiness/Readiness"), "Readiness"),
  at("/imports", () => import("@/areas/imports/Imports"), "Imports"),
  at("/imports/$id", () => import("@/areas/imports/ImportPage"), "ImportPage"),
  at("/estate", () => import("@/areas/estate/Estate"), "Estate"),
  at("/estate/$code", () => import("@/areas/estate/Estate"), "Estate"),
  list("/badges", () => import("@/areas/badges/Badges"), "Badges"),
  at("/badges/$id", () => import("@/areas/badges/Badges"), "BadgePage"),
  list("/templates", () => import("@/areas/templates/Templates"), "Templates"),
  at("/templates/$code", () => import("@/areas/templates/Templates"), "Templates"),
  at("/schedules", () => import("@/areas/schedules/Schedules"), "Schedules"),
  list("/schedules/$code", () => import("@/areas/schedules/Schedules"), "SchedulePage"),
  at("/qualifications", () => import("@/areas/qualifications/Qualifications"), "Qualifications"),
  list("/qualifications/$code", () => import("@/areas/qualifications/Qualifications"), "QualificationPage"),
  at("/notices", () => import("@/areas/notices/Notices"), "Notices"),
  list("/notices/$code", () => import("@/areas/notices/Notices"), "NoticePage"),
  list("/catalogue", () => import("@/areas/catalogue/Catalogue"), "Catalogue"),
  list("/compare", () => import("@/areas/templates/Compare"), "Compare"),
  at("/sheet", () => import("@/areas/templates/SheetPage"), "SheetPage"),
  list("/exceptions", () => import("@/areas/exceptions/Exceptions"), "Exceptions"),
  list("/local-settings", () => import("@/areas/locals/LocalSettings"), "LocalSettings"),
  list("/grid", () => import("@/areas/grid/Grid"), "Grid"),
  list("/drafts", () => import("@/areas/drafts/Drafts"), "Drafts"),
  at("/drafts/$id", () => import("@/areas/drafts/DraftPage"), "DraftPage"),
  list("/look", () => import("@/areas/check/LookPage"), "LookPage"),
  at("/check", () => import("@/areas/check/CheckPage"), "CheckPage"),
  at("/account", () => import("@/areas/session/Account"), "Account"),
  list("/expiring", () => import("@/areas/expiring/Expiring"), "Expiring"),
  list("/sign-ins", () => import("@/areas/session/SignIns"), "SignIns"),
  at("/settings", () => import("@/areas/settings/Settings"), "Settings"),
  at("/fields", () => import("@/areas/settings/Fields"), "Fields"),
  at("/kept", () => import("@/areas/settings/Kept"), "Kept"),
  at("/messages", () => import("@/areas/messages/Messages"), "Messages"),
  at("/parts", () => import("@/areas/parts/Parts"), "Parts"),
  list("/audit", () => import("@/areas/audit/Audit"), "Audit"),
]);

const router = createRouter({ routeTree, defaultPreload: "intent", scrollRestoration: true });

declare module "@tanstack/react-router" {
  interface Register {
    router: typeof router;
  }
}

createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <RouterProvider router={router} />
    </QueryClientProvider>
  </StrictMode>,
);
