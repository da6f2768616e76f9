import { useMemo } from "react";
import { type DriveRun, passages, rowAt } from "../../model/drive";
import { Wide } from "../../ui/Wide";
import styles from "./States.module.css";

const WIDE = 104;
const HIGH = 22;
const GAP = 18;
const REACH = 30;

/** A behaviour's states as a small diagram: what went over into what in this run, the present one marked. */
export function States({ run, names, t }: { run: DriveRun; names: string[]; t: number }) {
  const present = run.states[rowAt(run.lanes_t_s, t)] ?? 0;
  const went = useMemo(() => passages(run), [run]);
  const been = useMemo(() => new Set(run.states), [run]);
  const shown = names
    .map((name, state) => ({ name, state }))
    .filter(({ state }) => names.length <= 6 || been.has(state));
  const place = new Map(shown.map(({ state }, i) => [state, i * (WIDE + GAP)]));
  const above = went.some(({ from, to }) => to > from) ? REACH : 0;
  const below = went.some(({ from, to }) => to < from) ? REACH : 0;
  const width = shown.length * (WIDE + GAP) - GAP;
  const said = names[present] ?? "";
  return (
    <Wide>
      <svg
        className={styles.states}
        viewBox={`-2 ${-above - 4} ${width + 4} ${HIGH + above + below + 8}`}
        style={{ width }}
        role="img"
        aria-label={`States: ${names.join(", ")}; now ${said}`}
      >
        <defs>
          <marker id="state-arrow" viewBox="0 0 8 8" refX="7" refY="4" markerWidth="6" markerHeight="6" orient="auto">
            <path d="M0 0L8 4L0 8z" className={styles.head} />
          </marker>
        </defs>
        {went.map(({ from, to, count }) => {
          const [a, b] = [place.get(from), place.get(to)];
          if (a === undefined || b === undefined) return null;
          const up = b > a;
          const y = up ? 0 : HIGH;
          const bend = y + (up ? -1 : 1) * Math.min(REACH, 8 + Math.abs(b - a) / 14) * 1.3; // a curve's top lies at 3/4 of it
          const [x1, x2] = [a + WIDE / 2 + (up ? 14 : -14), b + WIDE / 2 + (up ? -14 : 14)];
          return (
            <path
              key={`${from} ${to}`}
              d={`M${x1} ${y}C${x1} ${bend} ${x2} ${bend} ${x2} ${y}`}
              className={styles.passage}
              strokeWidth={Math.min(2.4, 0.8 + Math.log10(count + 1))}
              markerEnd="url(#state-arrow)"
            >
              <title>{`${names[from]} → ${names[to]}: ${count}`}</title>
            </path>
          );
        })}
        {shown.map(({ name, state }) => (
          <g
            key={name}
            transform={`translate(${place.get(state)} 0)`}
            className={styles.state}
            aria-current={state === present ? "step" : undefined}
          >
            <rect width={WIDE} height={HIGH} rx="4" />
            <text x={WIDE / 2} y={HIGH / 2} textAnchor="middle" dominantBaseline="central">
              {name}
            </text>
          </g>
        ))}
      </svg>
    </Wide>
  );
}
