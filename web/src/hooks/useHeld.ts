import { useCallback, useEffect, useRef, useState } from "react";

const HOLD_S = 0.4;

/** Something that can be tapped or held. The moments are those of the events, ms: a busy page makes no tap a hold. */
export interface Held {
  held: boolean;
  down: (at: number) => void;
  up: (at: number) => void;
  drop: () => void;
  tap: () => void;
}

/** A tap acts at once when it ends; what is held longer tells for how long, s. Leaving drops it. */
export function useHeld(act: (lasted: number) => void): Held {
  const begun = useRef<number | null>(null);
  const timer = useRef<ReturnType<typeof setTimeout> | null>(null);
  const [held, setHeld] = useState(false);
  const latest = useRef(act);
  latest.current = act;
  const drop = useCallback(() => {
    if (timer.current) clearTimeout(timer.current);
    begun.current = timer.current = null;
    setHeld(false);
  }, []);
  const down = useCallback((at: number) => {
    if (begun.current !== null) return;
    begun.current = at;
    timer.current = setTimeout(() => setHeld(true), HOLD_S * 1000);
  }, []);
  const up = useCallback(
    (at: number) => {
      if (begun.current === null) return;
      const lasted = (at - begun.current) / 1000;
      drop();
      latest.current(lasted >= HOLD_S ? lasted : 0);
    },
    [drop],
  );
  useEffect(() => drop, [drop]);
  return { held, down, up, drop, tap: useCallback(() => latest.current(0), []) };
}
