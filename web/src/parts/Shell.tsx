import { type ErrorComponentProps, Link, Outlet, useLocation } from "@tanstack/react-router";
import {
  ChevronDown,
  CircleUserRound,
  KeyRound,
  LogOut,
  Menu,
  NotebookPen,
  SlidersHorizontal,
  Users,
} from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useLine } from "@/api/line";
import { SignedIn, useMay, useMe } from "@/areas/session/session";
import { ActsProvider, signOut } from "./acts";
import { Button } from "./Button";
import { AppliedNotice } from "./change";
import { DraftBar } from "./drafts";
import { FindField } from "./FindField";
import { Keys } from "./Keys";
import { Leave } from "./Leave";
import { Page } from "./Page";
import { clock } from "./words";

/** The frame around every page. */
export function Shell() {
  return (
    <SignedIn>
      <AppliedNotice>
        <ActsProvider>
          <a href="#page" className="sr-only focus:not-sr-only focus:absolute focus:z-50 focus:bg-sheet focus:p-2">
            Go to the page
          </a>
          <Silence />
          <Head />
          <Outlet />
          <DraftBar />
          <Leave />
          <Keys />
        </ActsProvider>
      </AppliedNotice>
    </SignedIn>
  );
}

/** Says, once and above everything, that the service does not answer, and since when. */
function Silence() {
  const { silent } = useLine();
  return (
    <div role="status" className="sticky top-0 z-40 print:hidden">
      {silent && (
        <p className="bg-soon px-5 py-1.5 text-center font-medium text-sheet">
          {navigator.onLine ? "The service has not answered" : "There has been no connection"} since {clock(silent)}.
          What is shown is as of then, and nothing can be changed. It is asked again every few seconds.
        </p>
      )}
    </div>
  );
}

function Head() {
  const me = useMe();
  const may = useMay();
  const here = useLocation().pathname;
  const pages: (PageLink & { shown: boolean })[] = [
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
  const shown = pages.filter((p) => p.shown);
  return (
    <header className="print:hidden sticky top-0 z-30 border-b-3 border-brass-light bg-damson text-paper">
      <div className="mx-auto flex max-w-page items-center gap-x-2 px-3 sm:px-5 lg:gap-x-5">
        <Link to="/" className="flex shrink-0 items-center gap-2.5 py-2.5 font-bold focus-visible:outline-brass-light">
          <img src="/latch.svg" alt="" className="size-7 rounded-sm ring-1 ring-brass-light" />
          <span className="max-sm:sr-only lg:max-xl:sr-only">Loyal Latch</span>
        </Link>
        <PagesMenu pages={shown} here={here} />
        <nav aria-label="Pages" className="hidden lg:flex">
          {shown.map((p) => (
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
        <div className="ml-auto flex min-w-0 items-center gap-1 sm:gap-3">
          <FindField />
          <DropdownMenu.Root>
            <DropdownMenu.Trigger
              aria-label={`${me.called}, your account`}
              className="flex min-h-9 shrink-0 items-center gap-1 rounded-sm px-1.5 py-1 hover:bg-damson-deep focus-visible:outline-brass-light"
            >
              <span className="max-w-28 truncate max-sm:hidden">{me.called}</span>
              <CircleUserRound size={20} className="sm:hidden" aria-hidden />
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

type PageLink = { to: string; name: string; also?: RegExp };

const isHere = (p: PageLink, here: string) =>
  p.also?.test(here) || (p.to === "/" ? here === "/" : here === p.to || here.startsWith(`${p.to}/`));

/** The pages, on a screen that has no room for them side by side. */
function PagesMenu({ pages, here }: { pages: PageLink[]; here: string }) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="flex min-h-9 shrink-0 items-center gap-1.5 rounded-sm px-1.5 font-bold hover:bg-damson-deep focus-visible:outline-brass-light lg:hidden">
        <Menu size={18} aria-hidden />
        <span className="sr-only">Pages, at </span>
        {pages.find((p) => isHere(p, here))?.name ?? "one more"}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="start"
          sideOffset={6}
          className="z-50 max-h-[80dvh] min-w-48 overflow-auto rounded-md border border-rule bg-sheet py-1 text-ink shadow-raised"
        >
          {pages.map((p) => (
            <DropdownMenu.Item
              key={p.to}
              asChild
              className={`block cursor-pointer px-4 py-2.5 outline-none data-highlighted:bg-inset ${isHere(p, here) ? "font-bold" : ""}`}
            >
              <Link to={p.to}>{p.name}</Link>
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** Stands in the place of a page that has failed: the rest of the console goes on. */
export function Broken({ reset }: ErrorComponentProps) {
  return (
    <Page title="This page has failed">
      <p className="sentence mb-4">
        What you sent before it failed may be done: look before you send it again. Try again; if it fails again, tell
        whoever runs the service.
      </p>
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
