import { expect, it } from "vitest";
import { type DriveRun, passages, poseAt, rowAt, runLanes, stretches, wheelsAt } from "./drive";

const run = {
  t_s: [0, 1, 2, 3],
  x_mm: [0, 100, 200, 300],
  y_mm: [0, 0, 50, 50],
  heading_deg: [0, 0, 90, 90],
  away_mm: [0, 1, 70, -80],
} as unknown as DriveRun;

it("is between two rows along a straight line, and stays at the ends", () => {
  expect(poseAt(run, 1.5)).toEqual({ x: 150, y: 25, heading: 45 });
  expect(poseAt(run, -1).x).toBe(0);
  expect(poseAt(run, 9).x).toBe(300);
  expect([0, 0.99, 1, 2.5].map((t) => rowAt(run.t_s, t))).toEqual([0, 0, 1, 2]);
});

it("cuts the way where it leaves the line, each stretch joined to the next", () => {
  const [near, far] = stretches(run);
  expect(near).toEqual({ d: "M0 0L100 0L200 50", away: 0 });
  expect(far).toEqual({ d: "M200 50L300 50", away: 1 });
});

it("has no stretches of a run of one row", () => {
  expect(stretches({ ...run, t_s: [0] } as DriveRun)).toEqual([]);
});

it("counts what went over into what", () => {
  const states = [0, 0, 1, 0, 1, 2];
  expect(passages({ ...run, states } as DriveRun)).toEqual([
    { from: 0, to: 1, count: 2 },
    { from: 1, to: 0, count: 1 },
    { from: 1, to: 2, count: 1 },
  ]);
});

it("has the row's states behind the offset, and nothing that was never read", () => {
  const lane = (id: string, values: (number | null)[]) => ({ id, title: id, unit: "", values });
  const lanes = [lane("offset", [1, 2]), lane("left_pct", [3, 4]), lane("s9", [null, null])];
  const shown = runLanes({ ...run, lanes_t_s: [0, 1], lanes, row: [[true, false]] } as DriveRun);
  expect(shown.map(({ id, form }) => [id, form])).toEqual([
    ["offset", "numbers"],
    ["row", "row"],
    ["left_pct", "numbers"],
  ]);
  expect(runLanes({ ...run, lanes_t_s: [], lanes: [], row: [] } as DriveRun)).toEqual([]);
});

it("turns the front wheels of what is steered", () => {
  const outline = { track_mm: 100, wheelbase_mm: null } as unknown as DriveRun["outline"];
  const lanes = [{ id: "steers", title: "", unit: "°", values: [0, 12] }];
  const plain = { ...run, outline, lanes, lanes_t_s: [0, 1] } as DriveRun;
  expect(wheelsAt(plain, 1).map(({ turned }) => turned)).toEqual([0, 0]);
  const car = { ...plain, outline: { ...outline, wheelbase_mm: 160 } };
  expect(wheelsAt(car, 1)).toEqual([
    { x: 0, y: -50, turned: 0 },
    { x: 0, y: 50, turned: 0 },
    { x: 160, y: -50, turned: 12 },
    { x: 160, y: 50, turned: 12 },
  ]);
});
