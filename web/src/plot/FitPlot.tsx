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

/** The box that a plot is drawn in: its spans, and where values lie. */
interface Box {
  x: (value: number) => number;
  y: (value: number) => number;
  span: { x0: number; x1: number; y0: number; y1: number };
  top: number;
  bottom: number;
  counted: boolean;
}

/** A picture of a fit: ruler axes, lines with their bands, measured points with their ±. Points that stand for a choice can
 * be picked. */
export function FitPlot({ plot, onPick }: Props) {
  const length = useLength();
  const [near, setNear] = useState<Dot | null>(null);
  const height = plot.zero ? 162 : 232;
  const box = boxOf(plot, 24, height - 46);
  if (!box) return null;
  const per = (unit: string) => (unit === "mm" ? (lengthTyped("1", length) ?? 1) : 1);
  const unit = (name: string) => (name === "mm" ? length : name);
  const axisName = (quantity: string, name: string) => (name ? `${quantity}, ${unit(name)}` : quantity);
  const clip = `clip-${plot.title.replace(/\W+/g, "-")}`;
  return (
    <figure className={styles.fitFigure}>
      <figcaption>{plot.title}</figcaption>
      <svg
        viewBox={`0 0 ${WIDTH} ${height}`}
        role={onPick ? "group" : "img"}
        className={styles.fit}
        aria-label={plot.title}
      >
        <clipPath id={clip}>
          <rect x={LEFT} y={box.top} width={RIGHT - LEFT} height={box.bottom - box.top} />
        </clipPath>
        {plot.zero && <line x1={LEFT} x2={RIGHT} y1={box.y(0)} y2={box.y(0)} className="zero" />}
        <Axis plot={plot} box={box} per={per} />
        <g clipPath={`url(#${clip})`}>
          {plot.lines.map((line, i) => (
            <Line key={line.label || i} line={line} place={i} box={box} />
          ))}
        </g>
        {ends(plot.lines, box).map((end) => (
          <text key={end.label} x={end.x} y={end.y} textAnchor="end" className={styles.fitName}>
            {end.label}
          </text>
        ))}
        {plot.dots.map((dot) => (
          <Measured key={`${dot.x} ${dot.y} ${dot.label}`} dot={dot} box={box} onNear={setNear} onPick={onPick} />
        ))}
        {near && (
          <text x={RIGHT} y={14} textAnchor="end" className={styles.fitSaid}>
            {near.label && `${near.label}: `}
            {figure(near.y / per(plot.y_unit), 2)} {unit(plot.y_unit)},{" "}
            {figure(near.x / per(plot.x_unit), box.counted || plot.x_unit === "ms" ? 0 : 1)} {unit(plot.x_unit)}
          </text>
        )}
        <text x={RIGHT} y={height - 4} textAnchor="end" className="small">
          {axisName(plot.x, plot.x_unit)}
        </text>
        <text x={LEFT} y={14} className="small">
          {axisName(plot.y, plot.y_unit)}
        </text>
      </svg>
    </figure>
  );
}

/** The spans that hold everything of a plot; null where there is nothing in it. */
function boxOf(plot: Plot, top: number, bottom: number): Box | null {
  const xs = [...plot.dots.map((dot) => dot.x), ...plot.lines.flatMap((line) => line.points.map(([x]) => x))];
  const ys = [
    ...plot.dots.flatMap((dot) => [dot.y - (dot.plus_minus ?? 0), dot.y + (dot.plus_minus ?? 0)]),
    ...plot.lines.flatMap((line) => line.points.map(([, y]) => y)),
    ...(plot.zero ? [0] : []),
  ];
  if (!xs.length) return null;
  const bare = plot.dots.length === 0;
  const counted = plot.x_unit === "" && plot.dots.every((dot) => Number.isInteger(dot.x));
  const [left, right] = [Math.min(...xs), Math.max(...xs)];
  if (plot.logarithmic) {
    const span = { x0: left, x1: right, y0: Math.min(...ys) / 1.3, y1: Math.max(...ys) * 1.3 };
    const x = logScale(span.x0, span.x1, LEFT, RIGHT);
    return { x, y: logScale(span.y0, span.y1, bottom, top), span, top, bottom, counted };
  }
  const [x0, x1] = counted ? [left - 0.5, right + 0.5] : roomy(xs, 0.03, bare);
  const [y0, y1] = even(roomy(ys, 0.08, bare), plot.zero);
  const span = { x0, x1, y0, y1 };
  return { x: scale(x0, x1, LEFT, RIGHT), y: scale(y0, y1, bottom, top), span, top, bottom, counted };
}

/** A line with its band. */
function Line({ line, place, box: { x, y } }: { line: Plot["lines"][number]; place: number; box: Box }) {
  const edge = (side: number) => line.points.map(([a, b], i) => `${x(a)},${y(b + side * (line.half_width[i] ?? 0))}`);
  return (
    <g>
      {line.half_width.length > 0 && (
        <polygon className="wash" points={[...edge(1), ...edge(-1).reverse()].join(" ")} />
      )}
      <polyline
        className={`fit-line fit-line-${place}`}
        points={line.points.map(([a, b]) => `${x(a)},${y(b)}`).join(" ")}
      />
    </g>
  );
}

interface MeasuredProps {
  dot: Dot;
  box: Box;
  onNear: (dot: Dot | null) => void;
  onPick?: (dot: Dot) => void;
}

/** A measured point with its ±; one that stands for a choice is a button. */
function Measured({ dot, box: { x, y }, onNear, onPick }: MeasuredProps) {
  const place = { cx: x(dot.x), cy: y(dot.y) };
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: the pointer only reads out what stands there
    <g
      className={dot.off ? styles.off : undefined}
      onPointerEnter={() => onNear(dot)}
      onPointerLeave={() => onNear(null)}
      onFocus={() => onNear(dot)}
      onBlur={() => onNear(null)}
    >
      {dot.plus_minus !== null && (
        <line
          x1={place.cx}
          x2={place.cx}
          y1={y(dot.y - dot.plus_minus)}
          y2={y(dot.y + dot.plus_minus)}
          className="whisker"
        />
      )}
      {dot.picked && <path d={`M${place.cx} ${place.cy + 5}l9 16h-18z`} className={styles.pickedWedge} />}
      {onPick && Object.keys(dot.picks).length > 0 ? (
        <circle
          {...place}
          r="6"
          className={`held-dot ${styles.pickable}`}
          role="button"
          tabIndex={0}
          aria-label={`Pick ${dot.label}`}
          onClick={() => onPick(dot)}
          onKeyDown={(event) => (event.key === "Enter" || event.key === " ") && onPick(dot)}
        />
      ) : (
        <circle {...place} r="5" className={dot.dark ? `held-dot ${styles.dark}` : "held-dot"} />
      )}
    </g>
  );
}

const NAME_PX = 15;

/** The names of lines at their ends, pushed apart where they would cover one another. */
function ends(lines: Plot["lines"], { x, y, top, bottom }: Box) {
  const names = lines
    .flatMap(({ label, points }) => {
      const last = points[points.length - 1];
      return label && last ? [{ label, x: x(last[0]), y: y(last[1]) - 6 }] : [];
    })
    .map((name) => ({
      ...name,
      x: Math.max(name.x, LEFT + 8 * name.label.length),
      y: Math.min(Math.max(name.y, top + 10), bottom - 4),
    }))
    .sort((a, b) => a.y - b.y);
  for (let i = 1; i < names.length; i++) {
    const [before, name] = [names[i - 1], names[i]];
    if (before && name && Math.abs(before.x - name.x) < 120 && name.y - before.y < NAME_PX) name.y = before.y + NAME_PX;
  }
  const over = Math.max(0, ...names.map((name) => name.y - (bottom - 4)));
  return names.map((name) => ({ ...name, y: name.y - over }));
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
  box: Box;
  per: (unit: string) => number;
}

function Axis({ plot, box: { x, y, span, bottom, counted }, per }: AxisProps) {
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
