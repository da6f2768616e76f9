import { useSyncExternalStore } from "react";

/** Whether this device stands outside: it has not been let in, or was shut out. */
let outside = false;
const listeners = new Set<() => void>();

export function standOutside() {
  outside = true;
  for (const listener of listeners) listener();
}

export const useOutside = () =>
  useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => outside,
  );
