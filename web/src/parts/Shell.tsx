import { type ErrorComponentProps, Link, Outlet, useLocation } from "@tanstack/react-router";
import { ChevronDown, KeyRound, LogOut, NotebookPen, SlidersHorizontal, Users } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { SignedIn, useMay, useMe } from "@/areas/session/session";
import { ActsProvider, signOut } from "./acts";
import { Button } from "./Button";
import { AppliedNotice } from "./change";
import { DraftBar } from "./drafts";
import { FindField } from "./FindField";
import { Page } from "./Page";

/** The frame around every page. */
export function Shell() {
  return (
    <SignedIn>
      <ActsProvider>
        <AppliedNotice>
          <a href="#page" className="sr-only focus:not-sr-only focus:absolute focus:z-50 focus:bg-sheet focus:p-2">
            Go to the page
          </a>
          <Head />
          <Outlet />
          <DraftBar />
        </AppliedNotice>
      </ActsProvider>
    </SignedIn>
  );
}

function Head() {
  const me = useMe();
  const may = useMay();
  const here = useLocation().pathname;
  const pages: { to: string; name: string; shown: boolean; also?: RegExp }[] = [
    { to: "/", name: "Today", shown: may("console.view_staff"), also: /^\/(readiness|leaving)/ },
    { to: "/staff", name: "Staff", shown: may("console.view_staff"), also: /^\/(teams|reports)/ },
    { to: "/enrol", name: "Enrol", shown: may("console.enrol"), also: /^\/imports/ },
    { to: "/badges", name: "Badges", shown: may("console.credentials") },
    { to: "/estate", name: "Estate", shown: true },
    {
      to: "/templates",
      name: "Templates",
      shown: true,
      also: /^\/(catalogue|schedules|qualifications|notices|compare|exceptions|sheet)/,
    },
    { to: "/grid", name: "Grid", shown: may("console.view_staff") },
    { to: "/check", name: "Check", shown: may("console.check"), also: /^\/look/ },
    { to: "/audit", name: "Audit", shown: me.everywhere.includes("console.read_audit") },
  ];
  return (
    <header className="print:hidden sticky top-0 z-30 border-b-3 border-brass-light bg-damson text-paper">
      <div className="mx-auto flex max-w-page flex-wrap items-center gap-x-5 px-5">
        <Link to="/" className="flex items-center gap-2.5 py-2.5 font-bold focus-visible:outline-brass-light">
          <img src="/latch.svg" alt="" className="size-7 rounded-sm ring-1 ring-brass-light" />
          Loyal Latch
        </Link>
        <nav
          aria-label="Pages"
          className="order-last -mx-1 flex w-full overflow-x-auto lg:order-none lg:mx-0 lg:w-auto"
        >
          {pages
            .filter((p) => p.shown)
            .map((p) => (
              <Link
                key={p.to}
                to={p.to}
                activeOptions={{ exact: p.to === "/" }}
                data-here={p.also?.test(here) || undefined}
                className="data-here:border-brass-light data-here:font-bold border-b-3 border-transparent px-2.5 pt-2.5 pb-2 hover:border-brass-light/60 focus-visible:outline-offset-[-4px] focus-visible:outline-brass-light data-[status=active]:border-brass-light data-[status=active]:font-bold"
              >
                {p.name}
              </Link>
            ))}
        </nav>
        <div className="ml-auto flex items-center gap-3">
          <FindField />
          <DropdownMenu.Root>
            <DropdownMenu.Trigger
              aria-label={`${me.called}, your account`}
              className="flex items-center gap-1 rounded-sm px-1.5 py-1 hover:bg-damson-deep focus-visible:outline-brass-light"
            >
              {me.called}
              <ChevronDown size={16} aria-hidden />
            </DropdownMenu.Trigger>
            <DropdownMenu.Portal>
              <DropdownMenu.Content
                align="end"
                sideOffset={6}
                className="z-50 min-w-56 rounded-md border border-rule bg-sheet py-1 text-ink shadow-raised"
              >
                <div className="border-b border-rule px-3 py-2 text-sm">
                  <div className="font-semibold">{me.name}</div>
                  <div className="text-faded">{me.organisation}</div>
                </div>
                <DropdownMenu.Item
                  asChild
                  className="flex cursor-pointer items-center gap-2 px-3 py-2 outline-none data-highlighted:bg-inset"
                >
                  <Link to="/drafts">
                    <NotebookPen size={16} aria-hidden /> Your drafts
                  </Link>
                </DropdownMenu.Item>
                <DropdownMenu.Item
                  asChild
                  className="flex cursor-pointer items-center gap-2 px-3 py-2 outline-none data-highlighted:bg-inset"
                >
                  <Link to="/account">
                    <KeyRound size={16} aria-hidden /> Your account
                  </Link>
                </DropdownMenu.Item>
                {may("console.credentials") && (
                  <DropdownMenu.Item
                    asChild
                    className="flex cursor-pointer items-center gap-2 px-3 py-2 outline-none data-highlighted:bg-inset"
                  >
                    <Link to="/sign-ins">
                      <Users size={16} aria-hidden /> Sign-ins
                    </Link>
                  </DropdownMenu.Item>
                )}
                <DropdownMenu.Item
                  asChild
                  className="flex cursor-pointer items-center gap-2 px-3 py-2 outline-none data-highlighted:bg-inset"
                >
                  <Link to="/settings">
                    <SlidersHorizontal size={16} aria-hidden /> Settings
                  </Link>
                </DropdownMenu.Item>
                <DropdownMenu.Item
                  onSelect={() => signOut()}
                  className="flex cursor-pointer items-center gap-2 px-3 py-2 outline-none data-highlighted:bg-inset"
                >
                  <LogOut size={16} aria-hidden /> Sign out
                </DropdownMenu.Item>
              </DropdownMenu.Content>
            </DropdownMenu.Portal>
          </DropdownMenu.Root>
        </div>
      </div>
    </header>
  );
}

/** Stands in the place of a page that has failed: the rest of the console goes on. */
export function Broken({ reset }: ErrorComponentProps) {
  return (
    <Page title="This page has failed">
      <p className="sentence mb-4">Nothing was changed. Try again; if it fails again, tell whoever runs the service.</p>
      <Button look="main" onClick={reset}>
        Try again
      </Button>
    </Page>
  );
}

export function NotFound() {
  return (
    <Page title="There is no such page">
      <p className="sentence">
        The address leads nowhere. Find a person or a place above, or begin at{" "}
        <Link to="/" className="text-damson underline">
          Today
        </Link>
        .
      </p>
    </Page>
  );
}
