import { type KeyboardEvent, type PointerEvent, useEffect, useRef } from "react";
import type { Constant, Schemas } from "../../api/client";
import type { Point } from "../../hooks/useDrag";
import { useSetConstant } from "../../hooks/useSetConstant";
import { figure, THIN } from "../../model/format";
import { stepDecimals } from "../../model/scale";
import styles from "./Grips.module.css";

type Grip = Schemas["GripModel"];

const QUIET_MS = 600; // between the last key and the value that is set

/** A grip that is held: its value when it was taken hold of, and where that was. */
export interface HeldGrip {
  grip: Grip;
  input: Constant;
  value: number;
  px: number;
  mmPerPx: number;
}

interface Asked {
  onTry: (tried: Record<string, number>) => void;
  onSettled: (constant: string) => void;
}

/** Constants that are dragged where they are drawn: tried while they are held, set when they are let go. */
export function useGrips({ onTry, onSettled }: Asked) {
  const set = useSetConstant();
  const timer = useRef<ReturnType<typeof setTimeout> | null>(null);
  useEffect(() => () => clearTimeout(timer.current ?? undefined), []);
  const settle = async (input: Constant, before: number, value: number) => {
    if (value !== before) await set(input.name, value);
    onSettled(input.name);
  };
  const valueAt = ({ grip, input, value, px, mmPerPx }: HeldGrip, at: Point) =>
    stepped(grip, input, value + (at.x - px) * mmPerPx * grip.per_mm);
  return {
    drag: (held: HeldGrip, at: Point) => onTry({ [held.input.name]: valueAt(held, at) }),
    drop: (held: HeldGrip, at: Point) => void settle(held.input, held.value, valueAt(held, at)),
    nudge: (grip: Grip, input: Constant, value: number, by: number) => {
      const next = stepped(grip, input, value + by * grip.step);
      onTry({ [input.name]: next });
      clearTimeout(timer.current ?? undefined);
      timer.current = setTimeout(() => void settle(input, Number.NaN, next), QUIET_MS);
    },
  };
}

/** A value in whole steps, within what it may be. */
function stepped({ step }: Grip, { low, high }: Constant, value: number): number {
  const whole = Math.round(value / step) * step;
  return Number(Math.min(high ?? whole, Math.max(low ?? whole, whole)).toPrecision(6));
}

interface GripProps {
  grip: Grip;
  input: Constant;
  value: number;
  from: number;
  to: number;
  y: number; // of the floor
  onNudge: (by: number) => void;
  onGrab: (event: PointerEvent<SVGElement>) => void;
}

/** The speed as an arrow under the ruler; anything else as a grip at the end of its part of the stop. */
export function GripDrawn({ grip, input, value, from, to, y, onNudge, onGrab }: GripProps) {
  const text = `${figure(value, stepDecimals(grip.step))}${THIN}${input.unit}`;
  const arrow = grip.constant === "drive_speed";
  const keyed = (event: KeyboardEvent<SVGElement>) => {
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (!by) return;
    event.preventDefault();
    event.stopPropagation(); // the trip distance stays where it is
    onNudge(by * (event.shiftKey ? 10 : 1));
  };
  return (
    <g
      className={styles.grip}
      role="slider"
      tabIndex={0}
      aria-label={input.label}
      aria-valuenow={value}
      aria-valuemin={input.low ?? undefined}
      aria-valuemax={input.high ?? undefined}
      aria-valuetext={text}
      onKeyDown={keyed}
      onPointerDown={(event) => {
        event.preventDefault();
        onGrab(event);
      }}
    >
      <title>{`${input.label} ${text}: drag it`}</title>
      {arrow ? (
        <>
          <path d={`M${from} ${y + 66}v16M${from} ${y + 74}H${to}`} className={styles.arrow} />
          <path d={`M${to - 12} ${y + 67}l12 7l-12 7z`} className={styles.head} />
          <rect x={to - 24} y={y + 52} width="44" height="44" className={styles.target} />
          <text x={to + 10} y={y + 79}>
            {`${input.label} ${text}`}
          </text>
        </>
      ) : (
        <>
          <rect x={to - 5} y={y - 42} width="10" height="30" rx="3" className={styles.handle} />
          <path d={`M${to - 1.5} ${y - 34}v14m3 -14v14`} className={styles.ribs} />
          <rect x={to - 12} y={y - 54} width="24" height="54" className={styles.target} />
        </>
      )}
    </g>
  );
}
