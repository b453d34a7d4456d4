import { AlertTriangle, Check, KeyRound, LogOut, ScrollText } from "lucide-react";
import { useCallback, useEffect, useRef, useState } from "react";
import type { Schema } from "@/api/api";
import { ask, NoConnection, Refused, sentence } from "./ask";
import { ChoosePIN } from "./ChoosePIN";
import { useReader, type Visit } from "./Terminal";

const big =
  "flex min-h-14 items-center justify-center gap-3 rounded-md border-2 px-5 text-xl font-semibold focus-visible:outline-4";

/** Somebody is signed in: what they can do here, now; what ends soon; what they have to do. */
export function VisitPage({
  visit,
  away,
  next,
  leave,
}: {
  visit: Visit;
  away: (gone: boolean) => void;
  next: (visit: Visit) => void;
  leave: () => void;
}) {
  const token = visit.token!;
  const [doing, setDoing] = useState<"pin">();
  const [said, setSaid] = useState("");
  const left = useCountdown(visit.idle_seconds, leave);
  const again = useCallback(async () => {
    try {
      next({ ...(await ask<Visit>("GET", "/terminal/visit", undefined, token)), token });
    } catch (error) {
      if (error instanceof NoConnection) away(true);
      else leave();
    }
  }, [token, next, away, leave]);
  const notice = visit.notices[0];
  const choosing = doing === "pin" || (visit.choose_pin && visit.may_choose);
  // The next badge is the next person's: whoever is here is signed out by it. While a PIN is typed, digits are that.
  useReader(async (badge) => {
    if (choosing && /^\d{1,10}$/.test(badge)) return;
    leave();
    try {
      next(await ask<Visit>("POST", "/terminal/visit", { badge }));
    } catch (error) {
      if (error instanceof NoConnection) away(true);
    }
  });
  const check = useCallback(
    async (pin: string) =>
      (await ask<{ wrong?: string }>("POST", "/terminal/visit/pin/check", { pin }, token)).wrong ?? "",
    [token],
  );
  return (
    <div className="mx-auto w-full max-w-3xl">
      <div className="mb-5 flex flex-wrap items-center justify-between gap-3">
        <h1 className="text-3xl">Hello {visit.called}</h1>
        <button type="button" className={`${big} border-edge bg-sheet`} onClick={leave}>
          <LogOut size={24} aria-hidden /> Sign out
          <span className="text-base font-normal text-faded" aria-hidden>
            by itself in {left} s
          </span>
        </button>
      </div>
      {left <= 10 && (
        <p role="alert" className="mb-4 rounded-md bg-soon-wash p-3 font-semibold text-soon">
          You are signed out in {left} seconds. Touch the screen to stay.
        </p>
      )}
      {said && (
        <p role="status" className="mb-4 flex items-center gap-3 rounded-md bg-open-wash p-3 font-semibold text-open">
          <Check size={26} aria-hidden /> {said}
        </p>
      )}
      {choosing ? (
        <ChoosePIN
          check={check}
          choose={(pin) => ask("POST", "/terminal/visit/pin", { pin }, token)}
          {...(!visit.choose_pin && { cancel: () => setDoing(undefined) })}
          done={() => {
            setDoing(undefined);
            setSaid("Your new PIN counts from now on.");
            void again();
          }}
        />
      ) : notice ? (
        <Read
          notice={notice}
          more={visit.notices.length - 1}
          accept={async () => {
            await ask("POST", "/terminal/visit/acceptances", { notice: notice.code, version: notice.version }, token);
            setSaid(`You have accepted “${notice.title}”.`);
            await again();
          }}
          stale={again}
        />
      ) : (
        <Lists visit={visit} choose={() => setDoing("pin")} />
      )}
    </div>
  );
}

function Lists({ visit, choose }: { visit: Visit; choose: () => void }) {
  const places = [...new Set(visit.can.map((c) => c.where))];
  return (
    <div className="grid gap-8 md:grid-cols-[2fr_minmax(0,1fr)]">
      <section aria-labelledby="can">
        <h2 id="can" className="mb-2 text-2xl">
          You can do this here, now
        </h2>
        {visit.later && <p className="rounded-md bg-inset p-4 text-xl">{visit.later}</p>}
        {places.map((where) => (
          <div key={where} className="mb-4">
            {places.length > 1 && <h3 className="text-base font-semibold text-faded">{where}</h3>}
            <ul>
              {visit.can
                .filter((c) => c.where === where)
                .map((c) => (
                  <li
                    key={c.title}
                    className="flex min-h-12 items-center justify-between gap-3 border-b border-rule py-1.5"
                  >
                    <span className="flex items-center gap-3 text-xl">
                      <Check size={24} className="shrink-0 text-open" aria-hidden />
                      <span>
                        {c.title} {c.words && <span className="text-faded">{c.words}</span>}
                      </span>
                    </span>
                    {c.until && <span className="whitespace-nowrap text-faded">until {c.until}</span>}
                  </li>
                ))}
            </ul>
          </div>
        ))}
      </section>
      <aside className="space-y-6">
        {visit.ends.length > 0 && (
          <section aria-labelledby="ends" className="rounded-md bg-soon-wash p-4">
            <h2 id="ends" className="mb-2 flex items-center gap-2 text-xl text-soon">
              <AlertTriangle size={24} aria-hidden /> Ends soon
            </h2>
            <ul>
              {visit.ends.map((e) => (
                <li key={`${e.what} ${e.until}`} className="py-1">
                  {e.what}
                  <span className="block text-base text-faded">last day {e.until}</span>
                </li>
              ))}
            </ul>
          </section>
        )}
        {visit.may_choose && (
          <button type="button" className={`${big} w-full border-edge bg-sheet`} onClick={choose}>
            <KeyRound size={24} aria-hidden /> New PIN
          </button>
        )}
      </aside>
    </div>
  );
}

function Read({
  notice,
  more,
  accept,
  stale,
}: {
  notice: Schema["VisitNotice"];
  more: number;
  accept: () => Promise<void>;
  stale: () => Promise<void>;
}) {
  const [wrong, setWrong] = useState("");
  const busy = useRef(false);
  return (
    <section aria-labelledby="notice">
      <h2 id="notice" className="flex items-center gap-3 text-2xl">
        <ScrollText size={28} className="text-brass" aria-hidden /> {notice.title}
      </h2>
      <p className="mb-3 text-base text-faded">
        Read this and accept it
        {notice.refuses && "; until then you may not do the work that it is about"}
        {more > 0 && `. ${more} more ${more === 1 ? "comes" : "come"} after it`}.
      </p>
      {/* Reachable by keyboard, so that the whole of it can be scrolled and read. */}
      <div
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a region that scrolls has to take the focus
        tabIndex={0}
        role="region"
        aria-label="Text"
        className="mb-5 max-h-[45vh] overflow-auto rounded-md border-2 border-rule bg-sheet p-5 whitespace-pre-line"
      >
        {notice.text}
      </div>
      {wrong && (
        <p role="alert" className="mb-3 rounded-md bg-shut-wash p-3 font-semibold text-shut">
          {wrong}
        </p>
      )}
      <button
        type="button"
        className={`${big} w-full border-damson bg-damson text-sheet`}
        onClick={async () => {
          if (busy.current) return;
          busy.current = true;
          try {
            await accept();
          } catch (error) {
            setWrong(sentence(error));
            if (error instanceof Refused) await stale();
          } finally {
            busy.current = false;
          }
        }}
      >
        <Check size={26} aria-hidden /> I have read this and accept it
      </button>
    </section>
  );
}

/** Seconds until somebody who touches nothing is signed out. */
function useCountdown(seconds: number, over: () => void) {
  const [left, setLeft] = useState(seconds);
  const latest = useRef(over);
  latest.current = over;
  useEffect(() => {
    let ends = Date.now() + seconds * 1000;
    const stay = () => {
      ends = Date.now() + seconds * 1000;
      setLeft(seconds);
    };
    const timer = setInterval(() => {
      const now = Math.max(0, Math.ceil((ends - Date.now()) / 1000));
      setLeft(now);
      if (now === 0) latest.current();
    }, 500);
    for (const event of ["pointerdown", "keydown"]) document.addEventListener(event, stay);
    return () => {
      clearInterval(timer);
      for (const event of ["pointerdown", "keydown"]) document.removeEventListener(event, stay);
    };
  }, [seconds]);
  return left;
}
