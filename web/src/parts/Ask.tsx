import { Dialog } from "radix-ui";
import { type ReactNode, useState } from "react";
import { useTyped } from "@/api/typed";
import { Button } from "./Button";
import { giveBack } from "./focus";

/** A dialog that asks one thing. */
export function Ask({
  open,
  onOpenChange,
  title,
  about,
  wide,
  fixed,
  children,
}: {
  open: boolean;
  onOpenChange: (open: boolean) => void;
  title: string;
  about: ReactNode;
  wide?: boolean;
  /** It shows what is shown once, or needs an answer: only its own buttons close it. */
  fixed?: boolean;
  children: ReactNode;
}) {
  // Before a field in it takes the focus for itself
  const [opener] = useState(() => document.activeElement);
  const [typed, setTyped] = useState(false);
  const [closing, setClosing] = useState(false);
  useTyped(open && typed);
  const close = (next: boolean) => {
    if (next || fixed) return;
    if (typed) setClosing(true);
    else onOpenChange(false);
  };
  return (
    <Dialog.Root open={open} onOpenChange={close}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-damson-deep/45" />
        <Dialog.Content
          onInput={() => setTyped(true)}
          onCloseAutoFocus={(e) => {
            e.preventDefault();
            giveBack(opener);
          }}
          className={`fixed top-[4vh] left-1/2 z-50 max-h-[92dvh] sm:top-[10vh] sm:max-h-[82vh] ${wide ? "w-ask-wide" : "w-ask"} -translate-x-1/2 overflow-auto rounded-md border-t-4 border-brass-light bg-sheet p-4 shadow-raised sm:p-6`}
        >
          <Dialog.Title className="text-xl font-bold wrap-anywhere">{title}</Dialog.Title>
          <Dialog.Description asChild>
            <div className="mt-1 mb-4 text-faded wrap-anywhere">{about}</div>
          </Dialog.Description>
          {children}
          {closing && (
            <div role="alert" className="mt-4 flex flex-wrap items-center gap-2 border-t border-rule pt-3">
              <span className="mr-auto">Close it, and lose what you typed?</span>
              <Button autoFocus onClick={() => setClosing(false)}>
                Go on
              </Button>
              <Button look="grave" onClick={() => onOpenChange(false)}>
                Close it
              </Button>
            </div>
          )}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
