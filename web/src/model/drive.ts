import type { Schemas } from "../api/client";
import type { DrawnLane } from "../plot/Lanes";

export type DriveRun = Schemas["RunModel"];
export type Pose = { x: number; y: number; heading: number };

/** A stretch of the way: a path in millimetres, how far it was beside the line (0 to 1), for its width. */
export interface Stretch {
  d: string;
  away: number;
}

const STEPS = 5;
const FULL_MM = 60;

/** The way in stretches of like distance from the line: drawn wider the farther beside it it was. */
export function stretches(run: DriveRun): Stretch[] {
  const step = (i: number) => {
    const value = run.away_mm[i];
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

/** The row at a time, s, of times that rise. */
export function rowAt(times: (number | null)[], t: number): number {
  let low = 0;
  let high = times.length - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if ((times[middle] ?? 0) <= t) low = middle;
    else high = middle - 1;
  }
  return low;
}

/** Where the vehicle is at a time, between two rows along a straight line. */
export function poseAt(run: DriveRun, t: number): Pose {
  const i = rowAt(run.t_s, t);
  const j = Math.min(i + 1, run.t_s.length - 1);
  const [a, b] = [run.t_s[i] ?? 0, run.t_s[j] ?? 0];
  const share = b > a ? Math.min(1, Math.max(0, (t - a) / (b - a))) : 0;
  const between = (values: (number | null)[]) => (values[i] ?? 0) + share * ((values[j] ?? 0) - (values[i] ?? 0));
  return { x: between(run.x_mm), y: between(run.y_mm), heading: between(run.heading_deg) };
}

/** Where the wheels of a vehicle are, in its own axes, and how far each is turned, °. */
export function wheelsAt(run: DriveRun, t: number): { x: number; y: number; turned: number }[] {
  const { track_mm: track, wheelbase_mm: base } = run.outline;
  const steers = run.lanes.find((lane) => lane.id === "steers")?.values[rowAt(run.lanes_t_s, t)] ?? 0;
  const axles =
    base == null
      ? [[0, 0]]
      : [
          [0, 0],
          [base, steers],
        ];
  return axles.flatMap(([x = 0, turned = 0]) => [-1, 1].map((side) => ({ x, y: (side * track) / 2, turned })));
}

const ROW = "row";

/** The lanes that a run has: how far beside the line, the row's states, what was commanded, what was read. */
export function runLanes(run: DriveRun): DrawnLane[] {
  const common = { digits: 0, t: run.lanes_t_s, exact: true };
  const lanes: DrawnLane[] = run.lanes
    .filter((lane) => lane.values.some((value) => value !== null))
    .map(({ id, title, unit, values }) => ({ ...common, id, title, unit, form: "numbers", low: values, high: values }));
  if (run.row.length > 0) {
    const after = lanes[0]?.id === "offset" ? 1 : 0;
    const row = {
      ...common,
      id: ROW,
      title: "row: left at the top",
      unit: "",
      form: ROW,
      low: [],
      high: [],
      flags: run.row,
    };
    lanes.splice(after, 0, row);
  }
  return lanes;
}

/** What went over into what in a run, and how often. */
export function passages(run: DriveRun): { from: number; to: number; count: number }[] {
  const counts = new Map<string, number>();
  for (let i = 1; i < run.states.length; i++) {
    const [from, to] = [run.states[i - 1], run.states[i]];
    if (from !== to) counts.set(`${from} ${to}`, (counts.get(`${from} ${to}`) ?? 0) + 1);
  }
  return [...counts].map(([key, count]) => {
    const [from, to] = key.split(" ").map(Number);
    return { from: from ?? 0, to: to ?? 0, count };
  });
}
