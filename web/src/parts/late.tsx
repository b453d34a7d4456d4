import { type ComponentType, type ReactNode, useCallback, useEffect, useReducer, useRef, useState } from "react";
import { heard, useLine } from "@/api/line";
import { Ask } from "./Ask";
import { Button } from "./Button";
import { Loading, Page } from "./Page";

/**
 * A part of the console whose script is loaded once it is needed. One that cannot be loaded says so in its place, and is
 * asked for again: the rest of the page goes on, with all that is typed there.
 */
export function late<P extends object>(
  load: () => Promise<ComponentType<P>>,
  as: "page" | "dialog" | "part" = "dialog",
) {
  let part: ComponentType<P> | undefined;
  const keep = async () => {
    part ??= await load();
  };
  function Late(props: P) {
    const [, redraw] = useReducer((n: number) => n + 1, 0);
    const [failed, setFailed] = useState(false);
    const tries = useRef(0);
    useEffect(() => {
      if (!part && !failed) keep().then(redraw, () => setFailed(true));
    }, [failed]);
    const again = useCallback(() => {
      tries.current++;
      setFailed(false);
    }, []);
    if (part) {
      const Part = part;
      return <Part {...props} />;
    }
    if (failed) {
      const { close } = props as { close?: () => void };
      return <Unloaded as={as} tries={tries.current} again={again} close={close ?? again} />;
    }
    return as === "dialog" ? null : <Loading />;
  }
  /** Loads it before it is shown. */
  Late.preload = () => keep().catch(() => undefined);
  return Late;
}

/** The script that this page was begun with. */
const own = document.querySelector<HTMLScriptElement>("script[type=module][src]")?.getAttribute("src");

/** Whether the service hands out another console than this page's, once it has answered that. */
function useNewer(silent: boolean): boolean | undefined {
  const [newer, setNewer] = useState<boolean>();
  useEffect(() => {
    if (silent) return;
    heard(new Request("/", { cache: "no-store" }))
      .then(async (answer) => answer.ok && setNewer(!!own && !(await answer.text()).includes(own)))
      .catch(() => undefined); // it is asked again once it answers
  }, [silent]);
  return newer;
}

/** How often a part is asked for again by itself, and after how many milliseconds, while the service answers. */
const mostTries = 3;
const pause = 700;

function Unloaded({
  as,
  tries,
  again,
  close,
}: {
  as: "page" | "dialog" | "part";
  tries: number;
  again: () => void;
  close: () => void;
}) {
  const silent = useLine().silent !== undefined;
  const newer = useNewer(silent);
  useEffect(() => {
    if (silent || newer !== false || tries >= mostTries) return;
    const soon = setTimeout(again, pause);
    return () => clearTimeout(soon);
  }, [silent, newer, tries, again]);
  const title = newer ? "There is a newer console" : "This part is not loaded";
  const said = newer
    ? "The service was brought up to date since this page was loaded. Reload the page to go on; what stands on it and is not sent is to be typed again, so send or copy it first."
    : "The service did not answer when it was asked for. Nothing was changed, and what you typed is still there.";
  const acts: ReactNode = (
    <div className="flex gap-2">
      {newer ? (
        <Button look="main" onClick={() => location.reload()}>
          Reload the page
        </Button>
      ) : (
        <Button look="main" onClick={again}>
          Try again
        </Button>
      )}
      {as === "dialog" && <Button onClick={close}>Close</Button>}
    </div>
  );
  if (as === "page")
    return (
      <Page title={title}>
        <p className="sentence mb-4">{said}</p>
        {acts}
      </Page>
    );
  if (as === "dialog")
    return (
      <Ask open onOpenChange={close} title={title} about={said}>
        {acts}
      </Ask>
    );
  return (
    <div role="alert" className="space-y-2 p-4">
      <p>{said}</p>
      {acts}
    </div>
  );
}
