/** What is said above the tape for a while. */

import { useSyncExternalStore } from "react";

export interface Notice {
  text: string;
  tone: "said" | "fault";
  undo?: () => void;
}

const LONG_MS = 10_000;
const SHORT_MS = 4_000;
const listeners = new Set<() => void>();
let notice: Notice | null = null;
let timer: ReturnType<typeof setTimeout> | null = null;

function set(next: Notice | null): void {
  notice = next;
  for (const listener of listeners) listener();
}

/** Say something in place of what was said before; what can be undone, and a refusal, stand longer. */
export function say(next: Notice | null): void {
  if (timer) clearTimeout(timer);
  timer = next && setTimeout(() => set(null), next.undo || next.tone === "fault" ? LONG_MS : SHORT_MS);
  set(next);
}

export function useNotice(): Notice | null {
  return useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => notice,
  );
}
