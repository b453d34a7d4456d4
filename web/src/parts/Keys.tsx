import { useNavigate } from "@tanstack/react-router";
import { useEffect, useRef, useState } from "react";
import { Ask } from "./Ask";
import { Button } from "./Button";

/** Pages that two keys lead to: g, then this one. */
const pageKeys: Record<string, { to: string; name: string }> = {
  t: { to: "/", name: "Today" },
  s: { to: "/staff", name: "Staff" },
  e: { to: "/enrol", name: "Enrol" },
  b: { to: "/badges", name: "Badges" },
  p: { to: "/estate", name: "Estate: the places" },
  m: { to: "/templates", name: "Templates" },
  g: { to: "/grid", name: "Grid" },
  c: { to: "/check", name: "Check" },
  a: { to: "/audit", name: "Audit" },
};

const kept = "latch-keys-off";
/** How long the second of two keys is waited for, in milliseconds. */
const pairWithin = 1_500;

const isTyping = (e: KeyboardEvent) =>
  (e.target as HTMLElement).closest(
    "input, textarea, select, [contenteditable], [role=grid], [role=menu], [role=tree]",
  );

/** The buttons of the page that a key presses: each says by aria-keyshortcuts which. */
const keyed = () =>
  [...document.querySelectorAll<HTMLElement>("main [aria-keyshortcuts]")].filter((e) => e.checkVisibility());

const isOpen = () => document.querySelector("[role=dialog]") !== null;

/**
 * What keys do on every page, listed under "?". Whoever speaks to the machine, or presses keys by accident, turns them
 * off (WCAG 2.2, 2.1.4).
 */
export function Keys() {
  const [listed, setListed] = useState(false);
  const navigate = useNavigate();
  const pair = useRef(0); // until when a second key leads to a page
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if (e.ctrlKey || e.metaKey || e.altKey || isTyping(e) || isOpen()) return;
      if (e.key === "?") return setListed(true);
      if (localStorage.getItem(kept)) return;
      const page = pageKeys[e.key];
      if (Date.now() < pair.current && page) {
        pair.current = 0;
        e.preventDefault();
        return void navigate({ to: page.to });
      }
      pair.current = e.key === "g" ? Date.now() + pairWithin : 0;
      const button = keyed().find((b) => b.getAttribute("aria-keyshortcuts") === e.key);
      if (button) {
        e.preventDefault();
        button.focus();
        button.click();
      }
    };
    document.addEventListener("keydown", onKey);
    return () => document.removeEventListener("keydown", onKey);
  }, [navigate]);
  return listed ? <Listing close={() => setListed(false)} /> : null;
}

function Listing({ close }: { close: () => void }) {
  const [off, setOff] = useState(localStorage.getItem(kept) !== null);
  const here = keyed().map((b) => ({
    key: b.getAttribute("aria-keyshortcuts")!,
    name: (b.getAttribute("aria-label") ?? (b.title || b.innerText)).trim(),
  }));
  return (
    <Ask open onOpenChange={close} title="Keys" about="Wherever nothing is being typed.">
      <div className="grid gap-x-8 gap-y-4 sm:grid-cols-2">
        <List
          title="Everywhere"
          keys={[
            { key: "/", name: "Find, lock or give a new PIN" },
            { key: "?", name: "This list" },
            { key: "Esc", name: "Close what is open" },
            ...Object.entries(pageKeys).map(([key, page]) => ({ key: `g ${key}`, name: page.name })),
          ]}
        />
        {here.length > 0 && <List title="On this page" keys={here} />}
      </div>
      <label className="mt-4 flex items-center gap-2">
        <input
          type="checkbox"
          className="size-4 accent-damson"
          checked={!off}
          onChange={(e) => {
            setOff(!e.target.checked);
            if (e.target.checked) localStorage.removeItem(kept);
            else localStorage.setItem(kept, "off");
          }}
        />
        Single keys act in this browser
      </label>
      <Button className="mt-4" look="main" onClick={close}>
        Close
      </Button>
    </Ask>
  );
}

function List({ title, keys }: { title: string; keys: { key: string; name: string }[] }) {
  return (
    <section>
      <h2 className="mb-1">{title}</h2>
      <dl className="grid grid-cols-[4rem_minmax(0,1fr)] gap-y-1">
        {keys.map((k) => (
          <div key={k.key + k.name} className="contents">
            <dt>
              {k.key.split(" ").map((part) => (
                <kbd key={part} className="mr-1 rounded-sm border border-rule bg-inset px-1.5 text-sm">
                  {part}
                </kbd>
              ))}
            </dt>
            <dd>{k.name}</dd>
          </div>
        ))}
      </dl>
    </section>
  );
}
