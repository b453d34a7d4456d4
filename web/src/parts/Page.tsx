import { Link } from "@tanstack/react-router";
import { type ReactNode, useEffect, useId } from "react";

export function Loading() {
  return (
    <p role="status" className="py-6 text-faded">
      Reading…
    </p>
  );
}

export function Empty({ children }: { children: ReactNode }) {
  return <div className="rounded-md border border-dashed border-edge px-4 py-6 text-faded">{children}</div>;
}

/** Whether a page was shown before: of the first the browser has the focus. */
let arrived = false;

export function Page({
  title,
  lead,
  acts,
  children,
}: {
  title: string;
  lead?: ReactNode;
  acts?: ReactNode;
  children: ReactNode;
}) {
  useEffect(() => {
    // Somebody who came here by a link, which is gone or stays above, goes on from the title
    if (arrived && (document.activeElement === document.body || document.activeElement?.tagName === "A"))
      document.querySelector<HTMLElement>("main h1")?.focus({ preventScroll: true });
    arrived = true;
  }, []);
  return (
    <main id="page" className="mx-auto max-w-page px-5 pt-6 pb-16">
      <title>{`${title} · Loyal Latch`}</title>
      <div className="mb-5 flex flex-wrap items-end justify-between gap-x-6 gap-y-3">
        <div>
          <h1 tabIndex={-1} className="outline-none">
            {title}
          </h1>
          {lead && <div className="mt-1 text-faded">{lead}</div>}
        </div>
        {acts && <div className="flex flex-wrap gap-2 sm:justify-end">{acts}</div>}
      </div>
      {children}
    </main>
  );
}

export function Section({
  title,
  note,
  children,
  className = "",
}: {
  title: string;
  note?: ReactNode;
  children: ReactNode;
  className?: string;
}) {
  const id = useId();
  return (
    <section aria-labelledby={id} className={className}>
      <div className="mb-2 flex items-baseline justify-between gap-3 border-b-2 border-brass-light pb-1">
        <h2 id={id}>{title}</h2>
        {note && <span className="text-sm text-faded">{note}</span>}
      </div>
      {children}
    </section>
  );
}

/** Pages that belong together, as a second row under the title of each. */
export function Tabs({ label, tabs }: { label: string; tabs: { to: string; name: string; shown?: boolean }[] }) {
  return (
    <nav aria-label={label} className="mb-5 -mt-1 flex gap-1 overflow-x-auto border-b border-rule print:hidden">
      {tabs
        .filter((t) => t.shown !== false)
        .map((t) => (
          <Link
            key={t.to}
            to={t.to}
            activeOptions={{ exact: t.to === "/" }}
            className="shrink-0 border-b-3 border-transparent px-3 pt-1 pb-1.5 hover:border-brass-light data-[status=active]:border-damson data-[status=active]:font-bold"
          >
            {t.name}
          </Link>
        ))}
    </nav>
  );
}
