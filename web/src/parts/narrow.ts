import { useSyncExternalStore } from "react";

const phone = window.matchMedia("(max-width: 767px)");

/** Whether the screen is as narrow as a phone's. */
export const useNarrow = () =>
  useSyncExternalStore(
    (tell) => {
      phone.addEventListener("change", tell);
      return () => phone.removeEventListener("change", tell);
    },
    () => phone.matches,
  );
