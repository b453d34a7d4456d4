import { createContext, type ReactNode, useContext, useEffect, useState } from "react";
import { api, take } from "@/api/api";
import { late } from "./late";

// With a script of its own: the first page does not wait for it, and it is there before somebody needs it
const ActDialog = late(async () => (await import("./ActDialog")).ActDialog);

/** Who an urgent act is about. */
export type Whom = { staff_number: string; name: string };
export type Act = "lock" | "unlock" | "bar" | "pin" | "leave" | "reinstate" | "activate" | "password";
export type Pending = { act: Act; whom: Whom };

const Acts = createContext<(act: Act, whom: Whom) => void>(() => {});

/** Starts an urgent act about somebody, from any page. */
export const useAct = () => useContext(Acts);

/** Holds the dialogs of the urgent acts, so that every page can start them. */
export function ActsProvider({ children }: { children: ReactNode }) {
  const [pending, setPending] = useState<Pending>();
  useEffect(() => {
    const soon = window.requestIdleCallback ?? ((load: () => void) => setTimeout(load, 2_000));
    soon(() => void ActDialog.preload());
  }, []);
  return (
    <Acts.Provider value={(act, whom) => setPending({ act, whom })}>
      {children}
      {pending && (
        <ActDialog
          key={`${pending.act} ${pending.whom.staff_number}`}
          {...pending}
          close={() => setPending(undefined)}
        />
      )}
    </Acts.Provider>
  );
}

export async function signOut() {
  await take(api.DELETE("/session"));
  location.assign("/"); // a fresh page holds nothing of what was read
}
