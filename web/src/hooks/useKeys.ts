import { useEffect, useRef } from "react";

/** Keys that are typed into something, or that a focused control answers to, are left alone. */
function busy(event: KeyboardEvent): boolean {
  if (event.ctrlKey || event.metaKey || event.altKey) return true;
  const target = event.target as HTMLElement | null;
  return Boolean(target?.closest('input:not([type="checkbox"]), textarea, select, [contenteditable], [role=dialog]'));
}

/** Call `down` and `up` with the moment (ms) one of these keys is pressed and let go, when nobody else wants it. */
export function useHeldKey(
  keys: readonly string[],
  down: (at: number) => void,
  up: (at: number) => void,
  on: boolean,
): void {
  const latest = useRef({ keys, down, up });
  latest.current = { keys, down, up };
  useEffect(() => {
    if (!on) return;
    const mine = (event: KeyboardEvent) => {
      const focused = document.activeElement;
      if (event.key === " " && focused && focused !== document.body) return false;
      return latest.current.keys.includes(event.key.toLowerCase()) && !busy(event);
    };
    const press = (event: KeyboardEvent) => {
      if (!mine(event)) return;
      event.preventDefault();
      if (!event.repeat) latest.current.down(event.timeStamp);
    };
    const release = (event: KeyboardEvent) => {
      if (mine(event)) latest.current.up(event.timeStamp);
    };
    window.addEventListener("keydown", press);
    window.addEventListener("keyup", release);
    return () => {
      window.removeEventListener("keydown", press);
      window.removeEventListener("keyup", release);
    };
  }, [on]);
}

/** Call `handlers[key]` for a key press that nobody else wants. Letters are lower case; Space is " ". */
export function useKeys(handlers: Record<string, () => void>, on: boolean): void {
  const latest = useRef(handlers);
  latest.current = handlers;
  useEffect(() => {
    if (!on) return;
    const press = (event: KeyboardEvent) => {
      if (event.defaultPrevented || busy(event)) return;
      if (event.repeat && !event.key.startsWith("Arrow")) return;
      const focused = document.activeElement;
      if (event.key === " " && focused && focused !== document.body) return;
      const handler = latest.current[event.key.length === 1 ? event.key.toLowerCase() : event.key];
      if (handler) {
        event.preventDefault();
        handler();
      }
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, [on]);
}
