import { useState } from "react";
import type { Schemas } from "../api/client";
import { useLength } from "../hooks/settings";
import { figure, lengthTyped } from "../model/format";
import { graduations, logScale, niceStep, scale, stepDecimals } from "../model/scale";
import styles from "./FitPlot.module.css";

export type Plot = Schemas["PlotModel"];
export type Dot = Plot["dots"][number];

const WIDTH = 520;
const LEFT = 64;
const RIGHT = 508;

interface Props {
  plot: Plot;
  onPick?: (dot: Dot) => void;
}

/** A picture of a fit: ruler axes, lines with their bands, measured points with their ±. Points that stand for a choice can
 * be picked. */
export function FitPlot({ plot, onPick }: Props) {
  const length = useLength();
  const [near, setNear] = useState<Dot | null>(null);
  const height = plot.zero ? 162 : 232;
  const top = 24;
  const bottom = height - 46;
  const xs = [...plot.dots.map((dot) => dot.x), ...plot.lines.flatMap((line) => line.points.map(([x]) => x))];
  const ys = [
    ...plot.dots.flatMap((dot) => [dot.y - (dot.plus_minus ?? 0), dot.y + (dot.plus_minus ?? 0)]),
    ...plot.lines.flatMap((line) => line.points.map(([, y]) => y)),
    ...(plot.zero ? [0] : []),
  ];
  if (!xs.length) return null;
  const counted = plot.x_unit === "" && plot.dots.every((dot) => Number.isInteger(dot.x));
  const [x0, x1] = plot.logarithmic
    ? [Math.min(...xs), Math.max(...xs)]
    : counted
      ? [Math.min(...xs) - 0.5, Math.max(...xs) + 0.5]
      : roomy(xs, 0.03, plot.dots.length === 0);
  const [y0, y1] = plot.logarithmic
    ? [Math.min(...ys) / 1.3, Math.max(...ys) * 1.3]
    : even(roomy(ys, 0.08, plot.dots.length === 0), plot.zero);
  const x = plot.logarithmic ? logScale(x0, x1, LEFT, RIGHT) : scale(x0, x1, LEFT, RIGHT);
  const y = plot.logarithmic ? logScale(y0, y1, bottom, top) : scale(y0, y1, bottom, top);
  const per = (unit: string) => (unit === "mm" ? (lengthTyped("1", length) ?? 1) : 1);
  const unit = (one: string) => (one === "mm" ? length : one);
  const said = (word: string, one: string) => (one ? `${word}, ${unit(one)}` : word);
  return (
    <figure className={styles.fitFigure}>
      <figcaption>{plot.title}</figcaption>
      <svg
        viewBox={`0 0 ${WIDTH} ${height}`}
        role={onPick ? "group" : "img"}
        className={styles.fit}
        aria-label={plot.title}
      >
        <clipPath id={`clip-${plot.title.replace(/\W+/g, "-")}`}>
          <rect x={LEFT} y={top} width={RIGHT - LEFT} height={bottom - top} />
        </clipPath>
        {plot.zero && <line x1={LEFT} x2={RIGHT} y1={y(0)} y2={y(0)} className="zero" />}
        <Axis plot={plot} x={x} y={y} span={{ x0, x1, y0, y1 }} per={per} bottom={bottom} counted={counted} />
        <g clipPath={`url(#clip-${plot.title.replace(/\W+/g, "-")})`}>
          {plot.lines.map((line, i) => (
            <g key={line.label || i}>
              {line.half_width.length > 0 && (
                <polygon
                  className="wash"
                  points={[
                    ...line.points.map(([a, b], j) => `${x(a)},${y(b + (line.half_width[j] ?? 0))}`),
                    ...line.points.map(([a, b], j) => `${x(a)},${y(b - (line.half_width[j] ?? 0))}`).reverse(),
                  ].join(" ")}
                />
              )}
              <polyline
                className={`fit-line fit-line-${i}`}
                points={line.points.map(([a, b]) => `${x(a)},${y(b)}`).join(" ")}
              />
            </g>
          ))}
        </g>
        {ends(plot.lines, x, y, top, bottom).map((end) => (
          <text key={end.label} x={end.x} y={end.y} textAnchor="end" className={styles.fitName}>
            {end.label}
          </text>
        ))}
        {plot.dots.map((dot) => (
          // biome-ignore lint/a11y/noStaticElementInteractions: the pointer only reads out what stands there
          <g
            key={`${dot.x} ${dot.y} ${dot.label}`}
            className={dot.off ? styles.off : dot.picked ? "picked" : undefined}
            onPointerEnter={() => setNear(dot)}
            onPointerLeave={() => setNear(null)}
            onFocus={() => setNear(dot)}
            onBlur={() => setNear(null)}
          >
            {dot.plus_minus !== null && (
              <line
                x1={x(dot.x)}
                x2={x(dot.x)}
                y1={y(dot.y - dot.plus_minus)}
                y2={y(dot.y + dot.plus_minus)}
                className="whisker"
              />
            )}
            {dot.picked && <path d={`M${x(dot.x)} ${y(dot.y) + 5}l9 16h-18z`} className={styles.pickedWedge} />}
            {onPick && Object.keys(dot.picks).length > 0 ? (
              <circle
                cx={x(dot.x)}
                cy={y(dot.y)}
                r="6"
                className={`held-dot ${styles.pickable}`}
                role="button"
                tabIndex={0}
                aria-label={`Pick ${dot.label}`}
                onClick={() => onPick(dot)}
                onKeyDown={(event) => (event.key === "Enter" || event.key === " ") && onPick(dot)}
              />
            ) : (
              <circle cx={x(dot.x)} cy={y(dot.y)} r="5" className={dot.dark ? `held-dot ${styles.dark}` : "held-dot"} />
            )}
          </g>
        ))}
        {near && (
          <text x={RIGHT} y={14} textAnchor="end" className={styles.fitSaid}>
            {near.label && `${near.label}: `}
            {figure(near.y / per(plot.y_unit), 2)} {unit(plot.y_unit)},{" "}
            {figure(near.x / per(plot.x_unit), counted || plot.x_unit === "ms" ? 0 : 1)} {unit(plot.x_unit)}
          </text>
        )}
        <text x={RIGHT} y={height - 4} textAnchor="end" className="small">
          {said(plot.x, plot.x_unit)}
        </text>
        <text x={LEFT} y={14} className="small">
          {said(plot.y, plot.y_unit)}
        </text>
      </svg>
    </figure>
  );
}

const NAME_PX = 15;

/** The names of lines at their ends, pushed apart where they would cover one another. */
function ends(
  lines: Plot["lines"],
  x: (value: number) => number,
  y: (value: number) => number,
  top: number,
  bottom: number,
): { label: string; place: number; x: number; y: number }[] {
  const found = lines
    .map((line, place) => ({ label: line.label, place, last: line.points[line.points.length - 1] }))
    .flatMap(({ label, place, last }) => (label && last ? [{ label, place, x: x(last[0]), y: y(last[1]) - 6 }] : []))
    .map((one) => ({
      ...one,
      x: Math.max(one.x, LEFT + 8 * one.label.length),
      y: Math.min(Math.max(one.y, top + 10), bottom - 4),
    }))
    .sort((a, b) => a.y - b.y);
  for (let i = 1; i < found.length; i++) {
    const [before, one] = [found[i - 1], found[i]];
    if (before && one && Math.abs(before.x - one.x) < 120 && one.y - before.y < NAME_PX) one.y = before.y + NAME_PX;
  }
  const over = Math.max(0, ...found.map((one) => one.y - (bottom - 4)));
  return found.map((one) => ({ ...one, y: one.y - over }));
}

/** A span with room about it; what is near nothing is drawn from nothing, unless the shape of a line is what counts. */
function roomy(values: number[], share: number, shape = false): [number, number] {
  const [low, high] = [Math.min(...values), Math.max(...values)];
  const room = (high - low || Math.abs(high) || 1) * share;
  return [!shape && low >= 0 && low < 0.6 * high ? 0 : low - room, high + room];
}

function even([low, high]: [number, number], zero: boolean): [number, number] {
  if (!zero) return [low, high];
  const most = Math.max(Math.abs(low), Math.abs(high));
  return [-most, most];
}

interface AxisProps {
  plot: Plot;
  x: (value: number) => number;
  y: (value: number) => number;
  span: { x0: number; x1: number; y0: number; y1: number };
  per: (unit: string) => number;
  bottom: number;
  counted: boolean;
}

function Axis({ plot, x, y, span, per, bottom, counted }: AxisProps) {
  const across = marks(span.x0, span.x1, plot.logarithmic ? 0 : 5, per(plot.x_unit), counted);
  const up = marks(span.y0, span.y1, plot.logarithmic ? 0 : plot.zero ? 2 : 4, per(plot.y_unit), false);
  return (
    <g className="ruler">
      <line x1={LEFT} x2={RIGHT} y1={bottom} y2={bottom} />
      {across.map((mark) => (
        <g key={mark.at}>
          <line x1={x(mark.at)} x2={x(mark.at)} y1={bottom} y2={bottom + (mark.label ? 10 : 5)} />
          {mark.label && (
            <text x={x(mark.at)} y={bottom + 26} textAnchor="middle" className="small">
              {mark.label}
            </text>
          )}
        </g>
      ))}
      {up.map(
        (mark) =>
          mark.label && (
            <g key={mark.at}>
              <line x1={LEFT} x2={RIGHT} y1={y(mark.at)} y2={y(mark.at)} className="hair" />
              <text x={LEFT - 8} y={y(mark.at) + 5} textAnchor="end" className="small">
                {mark.label}
              </text>
            </g>
          ),
      )}
    </g>
  );
}

function marks(
  low: number,
  high: number,
  count: number,
  per: number,
  counted: boolean,
): { at: number; label: string }[] {
  if (counted) {
    const all = [];
    for (let at = Math.ceil(low); at <= high; at++) all.push({ at, label: String(at) });
    return all;
  }
  if (count === 0) {
    const all = [];
    for (let power = Math.floor(Math.log10(low)); power <= Math.ceil(Math.log10(high)); power++) {
      const at = 10 ** power;
      if (at >= low * 0.999 && at <= high * 1.001) all.push({ at, label: String(Number(at.toPrecision(3))) });
    }
    return all;
  }
  const decimals = stepDecimals(niceStep((high - low) / per, count));
  return graduations(low / per, high / per, count)
    .filter((mark) => mark.size !== "short")
    .map((mark) => ({ at: mark.at * per, label: mark.label ? figure(mark.at, decimals) : "" }));
}
