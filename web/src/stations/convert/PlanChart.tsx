import { useState } from "react";
import type { Schemas } from "../../api/client";
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

/** Error against rpm on two ratio rulers: a line for each prescaler, where it ends, and where counting is as good. */
export function PlanChart({ plan, slow, fast, gate }: { plan: Plan; slow: number; fast: number; gate: number }) {
  const [at, setAt] = useState<number | null>(null);
  const curves = plan.curves.filter((curve) => curve.rpm.length > 1);
  const errors = curves.flatMap((curve) => curve.error_pct);
  const [low, high] = [Math.min(...errors) / 4, Math.max(...errors) * 1.5];
  const x = logScale(slow, fast, LEFT, RIGHT);
  const y = logScale(low, high, BASE, TOP);
  const ringed = (curve: Plan["curves"][number]) =>
    curve.crossover_rpm !== null && curve.crossover_rpm > Math.max(slow, curve.slow_rpm) && curve.crossover_rpm < fast;
  const rings = curves.some(ringed);
  const best = (prescaler: number | null) =>
    plan.method === "gate" ? prescaler === null : prescaler === plan.prescaler;
  const labels = spread(
    curves.map((curve) => ({
      key: curve.prescaler ?? 0,
      name: curve.prescaler === null ? "gate" : nameOf(curve.prescaler, gate),
      y: y(curve.error_pct[curve.error_pct.length - 1] ?? low),
      best: best(curve.prescaler),
    })),
  );
  const read = (event: React.PointerEvent<SVGSVGElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const px = ((event.clientX - box.left) / box.width) * WIDTH;
    setAt(px < LEFT || px > RIGHT ? null : slow * (fast / slow) ** ((px - LEFT) / (RIGHT - LEFT)));
  };
  return (
    <figure className={styles.plan}>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        role="img"
        aria-label="Error against rpm for each prescaler and for counting through a gate"
        onPointerMove={read}
        onPointerLeave={() => setAt(null)}
      >
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
        {curves.map((curve) => {
          const ends = curve.slow_rpm > slow * 1.001;
          const points = curve.rpm.map((rpm, i) => `${x(rpm).toFixed(1)},${y(curve.error_pct[i] ?? low).toFixed(1)}`);
          const first = { x: x(curve.rpm[0] ?? slow), y: y(curve.error_pct[0] ?? low) };
          return (
            <g
              key={curve.prescaler ?? "gate"}
              className={`${styles.curve}${best(curve.prescaler) ? ` ${styles.best}` : ""}${curve.prescaler === null ? ` ${styles.gated}` : ""}`}
            >
              <polyline points={points.join(" ")} />
              {ends && (
                <>
                  <line x1={first.x} x2={first.x} y1={first.y - 9} y2={first.y + 9} className={styles.curveEnd} />
                  <text x={first.x + 6} y={first.y + (curve.prescaler === null ? -10 : 22)} className="small">
                    slow below {few(curve.slow_rpm)}
                  </text>
                </>
              )}
              {curve.crossover_rpm !== null && ringed(curve) && (
                <circle
                  cx={x(curve.crossover_rpm)}
                  cy={y(crossing(curve.rpm, curve.error_pct, curve.crossover_rpm))}
                  r={best(curve.prescaler) ? 6 : 4}
                  className={styles.crossover}
                />
              )}
            </g>
          );
        })}
        {labels.map((label) => (
          <text key={label.key} x={RIGHT + 8} y={label.y + 5} className={label.best ? "strong" : undefined}>
            {label.name}
          </text>
        ))}
        {at !== null && <line x1={x(at)} x2={x(at)} y1={TOP} y2={BASE} className={styles.reading} />}
      </svg>
      <figcaption>
        {at === null
          ? `${rings ? "Rings: where counting through the gate is as good as timing. " : ""}Point at the chart to read it.`
          : `At ${few(at)}${THIN}rpm: ${curves
              .map((curve) => {
                const name = nameOf(curve.prescaler, gate);
                return at < curve.slow_rpm
                  ? `${name} slow`
                  : `${name} ${few(crossing(curve.rpm, curve.error_pct, at))}${THIN}%`;
              })
              .join(" · ")}`}
      </figcaption>
    </figure>
  );
}

/** The error that a curve draws at a speed: its points are close enough to be joined by straight lines in ratio. */
function crossing(rpm: number[], error: number[], at: number): number {
  const next = rpm.findIndex((one) => one >= at);
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
  return prescaler === null ? `gate of ${few(gate)}${THIN}s` : `÷${THIN}${prescaler}`;
}
