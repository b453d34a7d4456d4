import { keepPreviousData, useMutation, useQuery } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { DoorOpen, IdCard, KeyRound, Lock, LockOpen, Search, Shapes, User } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { api, reread, type Schema, take } from "@/api/api";
import { read } from "@/api/read";
import { useMay } from "@/areas/session/session";
import { useAct } from "./acts";

type Found = Schema["Found"];
const icons = { staff: User, badge: IdCard, place: DoorOpen, template: Shapes };

/** The one field that is always there: "/" reaches it, arrows choose, Enter opens, and the urgent acts are one key away. */
export function FindField() {
  const [typed, setTyped] = useState("");
  const [open, setOpen] = useState(false);
  const [chosen, setChosen] = useState(0);
  const input = useRef<HTMLInputElement>(null);
  const navigate = useNavigate();
  const act = useAct();
  const may = useMay();
  const q = typed.trim();
  const found = useQuery({
    ...read("/find", { query: { q, limit: 7 } }),
    enabled: q.length > 0,
    placeholderData: keepPreviousData,
  });
  const items = q ? (found.data?.items ?? []) : [];

  useEffect(() => {
    const reach = (e: KeyboardEvent) => {
      const target = e.target as HTMLElement;
      if (e.key === "/" && !e.ctrlKey && !e.metaKey && !/^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName)) {
        e.preventDefault();
        input.current?.focus();
        input.current?.select();
      }
    };
    document.addEventListener("keydown", reach);
    return () => document.removeEventListener("keydown", reach);
  }, []);

  const leave = () => {
    setOpen(false);
    setTyped("");
    input.current?.blur();
  };
  const go = (item: Found) => {
    leave();
    if (item.kind === "staff") navigate({ to: "/staff/$number", params: { number: item.code } });
    if (item.kind === "badge") navigate({ to: "/badges/$id", params: { id: item.code } });
    if (item.kind === "place") navigate({ to: "/estate/$code", params: { code: item.code } });
    if (item.kind === "template") navigate({ to: "/templates/$code", params: { code: item.code } });
  };
  const urgent = (item: Found, what: "lock" | "pin") => {
    leave();
    const whom = { staff_number: item.code, name: item.name };
    if (what === "pin") act("pin", whom);
    else act(item.locked ? "unlock" : "lock", whom);
  };
  const clear = useMutation({
    mutationFn: (item: Found) =>
      take(api.DELETE("/places/{id}/tries", { params: { path: { id: item.code } } }) as never),
    onSuccess: () => reread(),
  });
  const onKey = (e: React.KeyboardEvent) => {
    const item = items[chosen];
    if (e.key === "ArrowDown" || e.key === "ArrowUp") {
      e.preventDefault();
      if (items.length) setChosen((chosen + (e.key === "ArrowDown" ? 1 : items.length - 1)) % items.length);
    } else if (e.key === "Escape") leave();
    else if (item && e.key === "Enter") {
      e.preventDefault();
      if (e.shiftKey && item.kind === "staff" && item.status !== "left" && may("console.lock")) urgent(item, "lock");
      else if (e.shiftKey && item.held) clear.mutate(item);
      else go(item);
    }
  };
  return (
    <search
      className="relative block min-w-0 grow sm:w-64 sm:grow-0 xl:w-80"
      onBlur={(e) => {
        if (!e.currentTarget.contains(e.relatedTarget)) setOpen(false);
      }}
    >
      <Search size={16} className="pointer-events-none absolute top-2.5 left-2.5 text-edge" aria-hidden />
      <input
        ref={input}
        type="search"
        aria-label="Find a person, a badge, a place or a template"
        aria-keyshortcuts="/"
        placeholder="Find a name, badge, door"
        autoComplete="off"
        value={typed}
        onChange={(e) => {
          setTyped(e.target.value);
          setOpen(true);
          setChosen(0);
        }}
        onFocus={() => setOpen(true)}
        onKeyDown={onKey}
        className="h-9 w-full rounded-sm bg-sheet pr-8 pl-8 text-ink placeholder:text-faded focus-visible:outline-brass-light "
      />
      <kbd
        className="pointer-events-none absolute top-1.5 right-2 max-sm:hidden rounded-sm border border-rule bg-inset px-1.5 text-sm text-faded"
        aria-hidden
      >
        /
      </kbd>
      {open && q && (
        <div className="absolute right-0 z-50 mt-1.5 w-ask max-sm:fixed max-sm:inset-x-2 max-sm:w-auto overflow-hidden rounded-md border border-rule bg-sheet text-ink shadow-raised">
          <ul id="found" aria-label="Found" className="max-h-[60vh] overflow-auto">
            {items.map((item, i) => {
              return (
                <FoundLine
                  key={`${item.kind} ${item.code}`}
                  item={item}
                  chosen={i === chosen}
                  choose={() => setChosen(i)}
                  go={() => go(item)}
                  urgent={(what) => urgent(item, what)}
                  clear={() => clear.mutate(item)}
                />
              );
            })}
          </ul>
          <p className="sr-only" role="status">
            {items[chosen] && `${chosen + 1} of ${items.length}: ${items[chosen].name}, ${items[chosen].detail}`}
          </p>
          <p className="border-t border-rule bg-inset px-3 py-1.5 text-sm text-faded" role="status">
            {found.isSuccess && items.length === 0
              ? "Nothing has that name. Try part of a name, a staff number or a door's code."
              : "Enter opens · Shift+Enter locks or unlocks · Esc leaves"}
          </p>
        </div>
      )}
    </search>
  );
}

/** One of those that are found, with the acts that are one key away. */
function FoundLine({
  item,
  chosen,
  choose,
  go,
  urgent,
  clear,
}: {
  item: Found;
  chosen: boolean;
  choose: () => void;
  go: () => void;
  urgent: (what: "lock" | "pin") => void;
  clear: () => void;
}) {
  const may = useMay();
  const Icon = icons[item.kind];
  return (
    <li className={`flex items-center border-b border-rule last:border-b-0 ${chosen ? "bg-inset" : ""}`}>
      <button
        type="button"
        onMouseEnter={choose}
        onFocus={choose}
        onClick={go}
        className="flex min-w-0 flex-1 items-center gap-3 px-3 py-2 text-left focus-visible:outline-offset-[-3px]"
      >
        <Icon size={17} className="shrink-0 text-brass" aria-hidden />
        <span className="min-w-0">
          <span className="block truncate font-semibold">
            {item.name} {item.kind !== "badge" && <span className="font-normal text-faded">{item.code}</span>}
          </span>
          <span className="block truncate text-sm text-faded">
            {item.locked && <b className="text-shut">Locked · </b>}
            {item.held && <b className="text-shut">Takes no tries · </b>}
            {item.detail}
          </span>
        </span>
      </button>
      {item.held && (
        <span className="pr-2">
          <QuickAct label={`Take tries again at ${item.name}`} onClick={clear}>
            <LockOpen size={16} aria-hidden />
          </QuickAct>
        </span>
      )}
      {item.kind === "staff" && item.status !== "left" && (
        <span className="flex gap-1 pr-2">
          {may("console.lock") && (
            <QuickAct label={`${item.locked ? "Unlock" : "Lock"} ${item.name}`} onClick={() => urgent("lock")}>
              {item.locked ? <LockOpen size={16} aria-hidden /> : <Lock size={16} aria-hidden />}
            </QuickAct>
          )}
          {may("console.credentials") && (
            <QuickAct label={`New PIN for ${item.name}`} onClick={() => urgent("pin")}>
              <KeyRound size={16} aria-hidden />
            </QuickAct>
          )}
        </span>
      )}
    </li>
  );
}

function QuickAct({ label, onClick, children }: { label: string; onClick: () => void; children: React.ReactNode }) {
  return (
    <button
      type="button"
      aria-label={label}
      title={label}
      onClick={onClick}
      className="rounded-sm border border-edge bg-sheet p-1.5 text-damson hover:bg-damson-wash"
    >
      {children}
    </button>
  );
}
