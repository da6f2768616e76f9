import type { Schemas } from "../api/client";
import type { DrawnLane } from "../plot/Lanes";

export type DriveRun = Schemas["RunModel"];
export type Pose = { x: number; y: number; heading: number };
type Point = [number, number];

/** A stretch of the way: a path in millimetres, how far it was beside the line (0 to 1), for its width. */
export interface Stretch {
  d: string;
  away: number;
}

const STEPS = 5;
const FULL_MM = 60;

/** The way in stretches of like distance from the line: drawn wider the farther beside it it was. */
export function stretches(run: DriveRun): Stretch[] {
  const offset = run.lanes.find((lane) => lane.id === "offset")?.values ?? [];
  const step = (i: number) => {
    const value = offset[i];
    return value == null ? 0 : Math.min(STEPS - 1, Math.floor((Math.abs(value) / FULL_MM) * STEPS));
  };
  const done: Stretch[] = [];
  let begun = 0;
  for (let i = 1; i <= run.t_s.length; i++) {
    if (i < run.t_s.length && step(i) === step(begun)) continue;
    const points = [];
    for (let k = begun; k <= Math.min(i, run.t_s.length - 1); k++) points.push(`${run.x_mm[k]} ${run.y_mm[k]}`);
    if (points.length > 1) done.push({ d: `M${points.join("L")}`, away: step(begun) / (STEPS - 1) });
    begun = i;
  }
  return done;
}

/** The place in a run's rows at a time, s. */
export function rowAt(run: DriveRun, t: number): number {
  let low = 0;
  let high = run.t_s.length - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if ((run.t_s[middle] ?? 0) <= t) low = middle;
    else high = middle - 1;
  }
  return low;
}

/** Where the vehicle is at a time, between two rows along a straight line. */
export function poseAt(run: DriveRun, t: number): Pose {
  const i = rowAt(run, t);
  const j = Math.min(i + 1, run.t_s.length - 1);
  const [a, b] = [run.t_s[i] ?? 0, run.t_s[j] ?? 0];
  const share = b > a ? Math.min(1, Math.max(0, (t - a) / (b - a))) : 0;
  const between = (values: (number | null)[]) => (values[i] ?? 0) + share * ((values[j] ?? 0) - (values[i] ?? 0));
  return { x: between(run.x_mm), y: between(run.y_mm), heading: between(run.heading_deg) };
}

/** The lanes under the ruler: the offset, what was commanded, the states, then the readings. */
export function runLanes(run: DriveRun, shown: number): DrawnLane[] {
  return run.lanes
    .filter((lane) => lane.values.some((value) => value !== null))
    .slice(0, shown)
    .map((lane) => ({
      id: lane.id,
      title: lane.title,
      unit: lane.unit,
      form: "numbers",
      digits: 0,
      t: run.t_s,
      low: lane.values,
      high: lane.values,
      exact: true,
    }));
}

/** The points of a world's line, arcs drawn out. */
export function linePoints(line: { points: Point[]; arcs: Record<string, number>[]; closed: boolean }): Point[] {
  const points = [...line.points];
  for (const arc of line.arcs) {
    const from = ((arc.from_deg ?? 0) * Math.PI) / 180;
    const turn = (((arc.to_deg ?? 0) - (arc.from_deg ?? 0)) * Math.PI) / 180;
    const pieces = Math.max(2, Math.ceil((Math.abs(turn) * (arc.radius_mm ?? 0)) / 8));
    for (let i = 0; i <= pieces; i++) {
      const angle = from + (turn * i) / pieces;
      points.push([
        (arc.x_mm ?? 0) + (arc.radius_mm ?? 0) * Math.cos(angle),
        (arc.y_mm ?? 0) + (arc.radius_mm ?? 0) * Math.sin(angle),
      ]);
    }
  }
  return points;
}

/** A line with its gaps as dashes: the pattern of an SVG stroke, none where it is whole. */
export function dashes(points: Point[], closed: boolean, gaps: Point[]): string | undefined {
  if (!gaps.length) return undefined;
  const ends = closed && points[0] ? [...points, points[0]] : points;
  let length = 0;
  for (let i = 1; i < ends.length; i++) {
    const [a, b] = [ends[i - 1], ends[i]];
    if (a && b) length += Math.hypot(b[0] - a[0], b[1] - a[1]);
  }
  const parts: number[] = [];
  let at = 0;
  for (const [from, to] of [...gaps].sort((a, b) => a[0] - b[0])) {
    if (from >= length) break;
    parts.push(from - at, Math.min(to, length) - from);
    at = Math.min(to, length);
  }
  parts.push(length - at, 0);
  return parts.map((part) => part.toFixed(1)).join(" ");
}
