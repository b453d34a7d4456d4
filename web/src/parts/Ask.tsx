import { Dialog } from "radix-ui";
import type { ReactNode } from "react";

/** A dialog that asks one thing. */
export function Ask({
  open,
  onOpenChange,
  title,
  about,
  wide,
  children,
}: {
  open: boolean;
  onOpenChange: (open: boolean) => void;
  title: string;
  about: ReactNode;
  wide?: boolean;
  children: ReactNode;
}) {
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-damson-deep/45" />
        <Dialog.Content
          className={`fixed top-[10vh] left-1/2 z-50 max-h-[82vh] ${wide ? "w-ask-wide" : "w-ask"} -translate-x-1/2 overflow-auto rounded-md border-t-4 border-brass-light bg-sheet p-6 shadow-raised`}
        >
          <Dialog.Title className="text-xl font-bold">{title}</Dialog.Title>
          <Dialog.Description asChild>
            <div className="mt-1 mb-4 text-faded">{about}</div>
          </Dialog.Description>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
