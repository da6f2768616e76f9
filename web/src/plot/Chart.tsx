import { type RefObject, useEffect, useRef } from "react";
import uPlot from "uplot";
import "uplot/dist/uPlot.min.css";
import { figure, THIN } from "../model/format";
import styles from "./Chart.module.css";

export interface ChartData {
  t: (number | null)[];
  low: (number | null)[];
  high: (number | null)[];
}

export interface ChartMark {
  t0: number;
  t1: number | null;
  label: string;
  fault?: boolean;
}

interface Props {
  data: ChartData;
  marks: ChartMark[];
  unit: string;
  per: number;
  decimals: number;
  label: string;
  cursor?: number | null;
  onZoom?: (t0: number, t1: number) => void;
  onPick?: (t: number) => void;
  theme: string;
  floor?: number;
  tall?: boolean;
}

/** A trace over time with minimum and maximum, marks, zoom by dragging or by wheel, and a reading under the cursor. */
export function Chart(props: Props) {
  const box = useRef<HTMLDivElement>(null);
  const chart = useRef<uPlot | null>(null);
  const latest = useRef(props);
  const asked = useRef<[number, number] | null>(null); // a span that was asked for and is not drawn yet
  latest.current = props;
  const { unit, per, decimals, theme } = props;

  // biome-ignore lint/correctness/useExhaustiveDependencies: `theme` changes what the styles say
  useEffect(() => {
    const element = box.current;
    if (!element) return;
    const made = new uPlot(options(element, latest, asked, decimals), shape(latest.current.data, per), element);
    chart.current = made;
    const watching = new ResizeObserver(() =>
      made.setSize({ width: element.clientWidth, height: element.clientHeight }),
    );
    watching.observe(element);
    return () => {
      watching.disconnect();
      made.destroy();
      chart.current = null;
    };
  }, [per, decimals, theme]);

  useEffect(() => {
    asked.current = null;
    chart.current?.setData(shape(props.data, per));
  }, [props.data, per]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: drawn anew when these change
  useEffect(() => {
    chart.current?.redraw(false);
  }, [props.marks, props.cursor]);

  return (
    <div
      className={props.tall ? `${styles.chart} ${styles.tall}` : styles.chart}
      ref={box}
      role="img"
      aria-label={`${props.label}, ${unit}`}
    />
  );
}

/** How the trace is drawn, in the colours of the theme, and what the pointer does in it. */
function options(
  element: HTMLElement,
  latest: RefObject<Props>,
  asked: RefObject<[number, number] | null>,
  decimals: number,
): uPlot.Options {
  const style = getComputedStyle(element);
  const colour = (name: string) => style.getPropertyValue(name).trim();
  const axis: uPlot.Axis = {
    stroke: colour("--ink-2"),
    font: `14px ${style.fontFamily}`,
    grid: { stroke: colour("--hairline"), width: 1 },
    ticks: { stroke: colour("--graduation"), size: 8, width: 1 },
  };
  const edge: uPlot.Series = {
    stroke: colour("--measured"),
    width: 1.5,
    points: { show: false },
    spanGaps: false,
  };
  return {
    width: element.clientWidth,
    height: element.clientHeight,
    padding: [26, null, null, null],
    legend: { show: false },
    cursor: { drag: { x: true, y: false, setScale: false }, points: { size: 7 } },
    scales: {
      x: { time: false },
      y: {
        range: (_plot, low, high) => {
          const floor = latest.current.floor ?? 0;
          const pad = Math.max((high - low) * 0.08, (floor - (high - low)) / 2, 1e-6);
          return [low - pad, high + pad];
        },
      },
    },
    axes: [
      { ...axis, values: (_plot, values) => values.map((v) => `${figure(v, secondsDecimals(values))}${THIN}s`) },
      {
        ...axis,
        size: 66,
        values: (_plot, values) => values.map((v) => figure(v, v % 1 ? Math.max(decimals, 1) : 0)),
      },
    ],
    series: [{}, edge, { ...edge }],
    bands: [{ series: [2, 1], fill: colour("--measured-wash") }],
    hooks: {
      setSelect: [(plot) => zoomToSelection(plot, latest, asked)],
      draw: [(plot) => drawMarks(plot, latest.current, colour)],
      ready: [(plot) => listen(plot, latest, asked)],
    },
  };
}

function zoomToSelection(plot: uPlot, latest: RefObject<Props>, asked: RefObject<[number, number] | null>) {
  const from = plot.posToVal(plot.select.left, "x");
  const to = plot.posToVal(plot.select.left + plot.select.width, "x");
  plot.setSelect({ left: 0, width: 0, top: 0, height: 0 }, false);
  if (to <= from || !latest.current.onZoom) return;
  asked.current = [from, to];
  latest.current.onZoom(from, to);
}

/** A click picks a time, the wheel zooms about the pointer. */
function listen(plot: uPlot, latest: RefObject<Props>, asked: RefObject<[number, number] | null>) {
  plot.over.addEventListener("click", () => {
    const left = plot.cursor.left;
    if (left !== undefined && left >= 0) latest.current.onPick?.(plot.posToVal(left, "x"));
  });
  const wheel = (event: WheelEvent) => {
    if (!latest.current.onZoom) return;
    event.preventDefault();
    const drawn = plot.scales.x as { min?: number; max?: number };
    const [min, max] = asked.current ?? [drawn.min ?? 0, drawn.max ?? 1];
    const at = min + (event.offsetX / plot.over.clientWidth) * (max - min);
    const by = event.deltaY < 0 ? 0.7 : 1 / 0.7;
    asked.current = [at - (at - min) * by, at + (max - at) * by];
    latest.current.onZoom(...asked.current);
  };
  plot.over.addEventListener("wheel", wheel, { passive: false });
}

/** Decimals that seconds at this spacing need. */
function secondsDecimals(values: number[]): number {
  const step = (values[1] ?? 1) - (values[0] ?? 0);
  return [0, 1, 2, 3].find((digits) => Math.abs(step * 10 ** digits - Math.round(step * 10 ** digits)) < 1e-6) ?? 3;
}

function shape(data: ChartData, per: number): uPlot.AlignedData {
  const into = (values: (number | null)[]) => (per === 1 ? values : values.map((v) => (v === null ? null : v / per)));
  return [data.t as number[], into(data.low), into(data.high)];
}

function drawMarks(plot: uPlot, props: Props, colour: (name: string) => string): void {
  const { ctx, bbox } = plot;
  const ratio = window.devicePixelRatio || 1;
  ctx.save();
  ctx.beginPath();
  ctx.rect(bbox.left, bbox.top, bbox.width, bbox.height);
  ctx.clip();
  const upright = (t: number) => {
    const x = Math.round(plot.valToPos(t, "x", true));
    ctx.beginPath();
    ctx.moveTo(x, bbox.top);
    ctx.lineTo(x, bbox.top + bbox.height);
    ctx.stroke();
    return x;
  };
  ctx.lineWidth = ratio;
  const labels: { text: string; x: number; colour: string }[] = [];
  for (const mark of props.marks) {
    const ink = colour(mark.fault ? "--fault" : "--ink");
    ctx.strokeStyle = mark.fault ? ink : colour("--ink-2");
    ctx.setLineDash([2 * ratio, 3 * ratio]);
    const x = upright(mark.t0);
    let end = x;
    if (mark.t1 !== null) {
      end = upright(mark.t1);
      ctx.globalAlpha = 0.12;
      ctx.fillStyle = ink;
      ctx.fillRect(x, bbox.top, end - x, bbox.height);
      ctx.globalAlpha = 1;
    }
    const text = mark.fault ? `✕ ${mark.label}` : mark.label;
    labels.push({ text, x: end > bbox.left ? Math.max(x, bbox.left) : x, colour: ink });
  }
  ctx.setLineDash([]);
  if (props.cursor !== null && props.cursor !== undefined) {
    ctx.strokeStyle = colour("--ink");
    ctx.lineWidth = 2 * ratio;
    upright(props.cursor);
  }
  ctx.restore();
  let free = 0;
  ctx.save();
  ctx.font = `600 ${14 * ratio}px ${getComputedStyle(plot.root).fontFamily}`;
  ctx.textAlign = "left";
  ctx.textBaseline = "alphabetic";
  for (const { text, x, colour } of labels) {
    if (x < bbox.left || x > bbox.left + bbox.width) continue;
    const at = Math.max(x, free);
    ctx.fillStyle = colour;
    ctx.fillText(text, at, bbox.top - 6 * ratio);
    free = at + ctx.measureText(text).width + 8 * ratio;
  }
  ctx.restore();
}
