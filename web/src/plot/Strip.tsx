import { useEffect, useRef } from "react";
import type { Buffer } from "../model/live";
import { paceMs } from "./pace";

const STEP_MS = 45;

export interface StripMark {
  t0: number;
  t1: number | null;
  label: string;
}

interface Props {
  read: () => Buffer;
  end?: () => number;
  seconds: number;
  low: number;
  high: number;
  frozen: boolean;
  label: string;
  marks?: StripMark[];
  fit?: boolean;
  edge?: (value: number) => string;
}

/** A live trace on a canvas: reads its buffer when it draws, so that readings never pass through React. */
export function Strip({ read, end, seconds, low, high, frozen, label, marks = [], fit = false, edge }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const latest = useRef({ read, end, marks, edge });
  latest.current = { read, end, marks, edge };
  useEffect(() => {
    if (frozen) return;
    const pace = paceMs(STEP_MS);
    let frame = 0;
    let timer: ReturnType<typeof setTimeout> | undefined;
    const draw = () => {
      const { read, end, marks, edge } = latest.current;
      if (canvas.current) paint(canvas.current, read(), marks, { seconds, low, high, fit, edge, now: end?.() ?? 0 });
      timer = setTimeout(() => {
        frame = requestAnimationFrame(draw);
      }, pace);
    };
    frame = requestAnimationFrame(draw);
    return () => {
      clearTimeout(timer);
      cancelAnimationFrame(frame);
    };
  }, [frozen, seconds, low, high, fit]);
  return <canvas ref={canvas} className="strip" role="img" aria-label={label} />;
}

interface View {
  seconds: number;
  low: number;
  high: number;
  fit: boolean;
  edge: ((value: number) => string) | undefined;
  now: number;
}

const GUTTER = 84;

/** Fit a canvas to its box and the screen's pixels; returns its size in CSS pixels. */
export function sized(
  canvas: HTMLCanvasElement,
): { context: CanvasRenderingContext2D; width: number; height: number } | null {
  const context = canvas.getContext("2d");
  if (!context) return null;
  const ratio = window.devicePixelRatio || 1;
  const { clientWidth: width, clientHeight: height } = canvas;
  if (canvas.width !== Math.round(width * ratio) || canvas.height !== Math.round(height * ratio)) {
    canvas.width = Math.round(width * ratio);
    canvas.height = Math.round(height * ratio);
  }
  context.setTransform(ratio, 0, 0, ratio, 0, 0);
  context.clearRect(0, 0, width, height);
  return { context, width, height };
}

function paint(canvas: HTMLCanvasElement, buffer: Buffer, marks: StripMark[], view: View): void {
  const space = sized(canvas);
  if (!space) return;
  const { context, width, height } = space;
  const style = getComputedStyle(canvas);
  const last = buffer.t[buffer.t.length - 1] ?? 0;
  const end = view.now > last + 0.5 ? view.now : last; // a trace goes on while nothing comes, without trembling
  const begin = end - view.seconds;
  let first = buffer.t.length;
  while (first > 0 && (buffer.t[first - 1] ?? 0) >= begin) first--;
  const [low, high] = view.fit ? extent(buffer, first, view) : [view.low, view.high];
  const left = view.edge ? GUTTER : 0;
  const x = (t: number) => left + ((t - begin) / view.seconds) * (width - left);
  const top = marks.length ? 18 : 3;
  const y = (v: number) => height - 3 - ((v - low) / (high - low || 1)) * (height - 3 - top);
  if (view.edge) {
    context.font = `14px ${style.fontFamily}`;
    context.fillStyle = style.getPropertyValue("--ink-2");
    context.textAlign = "right";
    context.fillText(view.edge(high), GUTTER - 10, 13);
    context.fillText(view.edge(low), GUTTER - 10, height - 2);
    context.textAlign = "left";
  }
  context.font = `600 14px ${style.fontFamily}`;
  let free = 0;
  const inView = marks.filter((mark) => (mark.t1 ?? mark.t0) >= begin);
  context.fillStyle = style.getPropertyValue("--recess");
  for (const mark of inView) {
    if (mark.t1 !== null)
      context.fillRect(Math.max(left, x(mark.t0)), 0, x(mark.t1) - Math.max(left, x(mark.t0)), height);
  }
  for (const mark of inView) {
    const from = Math.max(left, x(mark.t0));
    context.strokeStyle = style.getPropertyValue("--ink-2");
    context.setLineDash([2, 3]);
    for (const t of mark.t1 === null ? [mark.t0] : [mark.t0, mark.t1]) {
      if (t >= begin) line(context, [x(t), 0], [x(t), height]);
    }
    context.setLineDash([]);
    context.fillStyle = style.getPropertyValue("--ink");
    if (from >= free) {
      context.fillText(mark.label, from + 5, 14);
      free = from + 12 + context.measureText(mark.label).width;
    }
  }
  context.strokeStyle = style.getPropertyValue("--measured");
  context.lineWidth = 1.6;
  context.lineJoin = "round";
  context.beginPath();
  let down = false;
  for (let i = first; i < buffer.t.length; i++) {
    const value = buffer.v[i];
    if (value === null || value === undefined) {
      down = false;
      continue;
    }
    const px = x(buffer.t[i] ?? 0);
    const py = Math.min(height, Math.max(0, y(value)));
    down ? context.lineTo(px, py) : context.moveTo(px, py);
    down = true;
  }
  context.stroke();
  context.fillStyle = style.getPropertyValue("--fault");
  for (let i = first; i < buffer.t.length; i++) {
    if (buffer.v[i] === null) context.fillRect(x(buffer.t[i] ?? 0) - 1, height - 5, 2, 5);
  }
}

function extent(buffer: Buffer, first: number, view: View): [number, number] {
  let low = Number.POSITIVE_INFINITY;
  let high = Number.NEGATIVE_INFINITY;
  for (let i = first; i < buffer.v.length; i++) {
    const value = buffer.v[i];
    if (value === null || value === undefined) continue;
    low = Math.min(low, value);
    high = Math.max(high, value);
  }
  if (low > high) return [view.low, view.high];
  const least = (view.high - view.low) / 100;
  const pad = Math.max((high - low) * 0.1, (least - (high - low)) / 2, 0);
  return [low - pad, high + pad];
}

function line(context: CanvasRenderingContext2D, from: [number, number], to: [number, number]): void {
  context.beginPath();
  context.moveTo(...from);
  context.lineTo(...to);
  context.lineWidth = 1;
  context.stroke();
}
