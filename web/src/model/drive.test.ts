import { expect, it } from "vitest";
import { type DriveRun, passages, poseAt, rowAt, stretches } from "./drive";

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
