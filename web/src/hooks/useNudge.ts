import { useEffect, useRef } from "react";

const WAYS: Record<string, number> = { ArrowLeft: -1, ArrowRight: 1 };

/** Arrow keys nudge the ochre tick, ten times as far with Shift; never while typing. */
export function useNudge(nudge: (by: number) => void) {
  const now = useRef(nudge);
  now.current = nudge;
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement;
      if (target.closest("input, select, textarea, [role=dialog], .dropdown-menu") || event.altKey || event.ctrlKey)
        return;
      const way = WAYS[event.key];
      if (!way) return;
      event.preventDefault();
      now.current(way * (event.shiftKey ? 10 : 1));
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, []);
}
