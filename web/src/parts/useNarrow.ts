import { useSyncExternalStore } from "react";

const query = window.matchMedia("(max-width: 720px)"); // as in theme/narrow.css

/** Whether the window is as narrow as a phone's, or as a desk's at four times its size. */
export const useNarrow = () =>
  useSyncExternalStore(
    (changed) => {
      query.addEventListener("change", changed);
      return () => query.removeEventListener("change", changed);
    },
    () => query.matches,
  );
