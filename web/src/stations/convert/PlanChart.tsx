import { type PointerEvent, useState } from "react";
import type { Schemas } from "../../api/client";
import { pointIn } from "../../hooks/useDrag";
import { few, THIN } from "../../model/format";
import { decades, logScale } from "../../model/scale";
import styles from "./PlanChart.module.css";

export type Plan = Schemas["TimerPlanResult"];

const WIDTH = 860;
const HEIGHT = 330;
const LEFT = 88;
const RIGHT = WIDTH - 96;
const TOP = 16;
const BASE = HEIGHT - 44;

type Curve = Plan["curves"][number];

interface Props {
  plan: Plan;
  slow: number;
  fast: number;
  gate: number;
}

/** The two ratio rulers: where a speed and an error lie, and their spans. */
interface Axes {
  x: (rpm: number) => number;
  y: (error: number) => number;
  slow: number;
  fast: number;
  low: number;
  high: number;
}

/** Error against rpm on two ratio rulers: a line for each prescaler, where it ends, and where counting is as good. */
export function PlanChart({ plan, slow, fast, gate }: Props) {
  const [at, setAt] = useState<number | null>(null);
  const curves = plan.curves.filter((curve) => curve.rpm.length > 1);
  const errors = curves.flatMap((curve) => curve.error_pct);
  const [low, high] = [Math.min(...errors) / 4, Math.max(...errors) * 1.5];
  const axes = { x: logScale(slow, fast, LEFT, RIGHT), y: logScale(low, high, BASE, TOP), slow, fast, low, high };
  const best = (curve: Curve) =>
    plan.method === "gate" ? curve.prescaler === null : curve.prescaler === plan.prescaler;
  const labels = spread(
    curves.map((curve) => ({
      key: curve.prescaler ?? 0,
      name: nameOf(curve.prescaler, gate),
      y: axes.y(curve.error_pct[curve.error_pct.length - 1] ?? low),
      best: best(curve),
    })),
  );
  const read = (event: PointerEvent<SVGSVGElement>) => {
    const { x } = pointIn(event.currentTarget, event);
    setAt(x < LEFT || x > RIGHT ? null : slow * (fast / slow) ** ((x - LEFT) / (RIGHT - LEFT)));
  };
  return (
    <figure className={styles.plan}>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        role="img"
        aria-label="Error against rpm for each prescaler and for counting over a time window"
        onPointerMove={read}
        onPointerLeave={() => setAt(null)}
      >
        <Rulers axes={axes} />
        {curves.map((curve) => (
          <CurveOf key={curve.prescaler ?? "gate"} curve={curve} best={best(curve)} axes={axes} />
        ))}
        {labels.map((label) => (
          <text key={label.key} x={RIGHT + 8} y={label.y + 5} className={label.best ? "strong" : undefined}>
            {label.name}
          </text>
        ))}
        {at !== null && <line x1={axes.x(at)} x2={axes.x(at)} y1={TOP} y2={BASE} className={styles.reading} />}
      </svg>
      <figcaption>
        {at === null
          ? `${curves.some((curve) => ringed(curve, axes)) ? RINGS : ""}Point at the chart to read it.`
          : `At ${few(at)}${THIN}rpm: ${curves.map((curve) => readAt(curve, at, gate)).join(" · ")}`}
      </figcaption>
    </figure>
  );
}

const RINGS = "Rings: where counting over the window is as good as timing. ";

/** Whether counting becomes as good as timing within what is drawn of a curve. */
function ringed(curve: Curve, { slow, fast }: Axes): boolean {
  const at = curve.crossover_rpm;
  return at !== null && at > Math.max(slow, curve.slow_rpm) && at < fast;
}

function readAt(curve: Curve, rpm: number, gate: number): string {
  const name = nameOf(curve.prescaler, gate);
  return rpm < curve.slow_rpm ? `${name} slow` : `${name} ${few(crossing(curve.rpm, curve.error_pct, rpm))}${THIN}%`;
}

function Rulers({ axes: { x, y, slow, fast, low, high } }: { axes: Axes }) {
  return (
    <>
      {decades(low, high).map((mark) => (
        <g key={`y${mark.at}`}>
          {mark.label && <line x1={LEFT} x2={RIGHT} y1={y(mark.at)} y2={y(mark.at)} className="hair" />}
          <line x1={LEFT} x2={LEFT - (mark.label ? 14 : 6)} y1={y(mark.at)} y2={y(mark.at)} className="graduation" />
          {mark.label && (
            <text x={LEFT - 18} y={y(mark.at) + 5} textAnchor="end">
              {few(mark.at)}
              {THIN}%
            </text>
          )}
        </g>
      ))}
      {decades(slow, fast).map((mark) => (
        <g key={`x${mark.at}`}>
          {mark.label && <line x1={x(mark.at)} x2={x(mark.at)} y1={TOP} y2={BASE} className="hair" />}
          <line x1={x(mark.at)} x2={x(mark.at)} y1={BASE} y2={BASE + (mark.label ? 14 : 6)} className="graduation" />
          {mark.label && (
            <text x={x(mark.at)} y={BASE + 32} textAnchor="middle">
              {few(mark.at)}
            </text>
          )}
        </g>
      ))}
      <line x1={LEFT} x2={RIGHT} y1={BASE} y2={BASE} className="graduation" />
      <text x={RIGHT + 8} y={BASE + 32}>
        rpm
      </text>
    </>
  );
}

/** A prescaler's line, with where it ends and where counting is as good. */
function CurveOf({ curve, best, axes }: { curve: Curve; best: boolean; axes: Axes }) {
  const { x, y, slow, low } = axes;
  const points = curve.rpm.map((rpm, i) => `${x(rpm).toFixed(1)},${y(curve.error_pct[i] ?? low).toFixed(1)}`);
  const first = { x: x(curve.rpm[0] ?? slow), y: y(curve.error_pct[0] ?? low) };
  const gated = curve.prescaler === null;
  return (
    <g className={`${styles.curve}${best ? ` ${styles.best}` : ""}${gated ? ` ${styles.gated}` : ""}`}>
      <polyline points={points.join(" ")} />
      {curve.slow_rpm > slow * 1.001 && (
        <>
          <line x1={first.x} x2={first.x} y1={first.y - 9} y2={first.y + 9} className={styles.curveEnd} />
          <text x={first.x + 6} y={first.y + (gated ? -10 : 22)} className="small">
            slow below {few(curve.slow_rpm)}
          </text>
        </>
      )}
      {curve.crossover_rpm !== null && ringed(curve, axes) && (
        <circle
          cx={x(curve.crossover_rpm)}
          cy={y(crossing(curve.rpm, curve.error_pct, curve.crossover_rpm))}
          r={best ? 6 : 4}
          className={styles.crossover}
        />
      )}
    </g>
  );
}

/** The error that a curve draws at a speed: its points are close enough to be joined by straight lines in ratio. */
function crossing(rpm: number[], error: number[], at: number): number {
  const next = rpm.findIndex((speed) => speed >= at);
  if (next <= 0) return error[Math.max(next, 0)] ?? 0;
  const [a, b, ea, eb] = [rpm[next - 1] ?? 1, rpm[next] ?? 1, error[next - 1] ?? 1, error[next] ?? 1];
  return ea * (eb / ea) ** (Math.log(at / a) / Math.log(b / a));
}

/** Labels at the ends of curves, moved apart so that each can be read. */
function spread<T extends { y: number }>(labels: T[]): T[] {
  let last = -Infinity;
  return [...labels]
    .sort((a, b) => a.y - b.y)
    .map((label) => {
      last = Math.max(label.y, last + 20);
      return { ...label, y: last };
    });
}

function nameOf(prescaler: number | null, gate: number): string {
  return prescaler === null ? `count ${few(gate)}${THIN}s` : `÷${THIN}${prescaler}`;
}
