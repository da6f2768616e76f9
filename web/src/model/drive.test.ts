import { expect, it } from "vitest";
import { type DriveRun, dashes, linePoints, poseAt, rowAt, stretches } from "./drive";

const run = {
  t_s: [0, 1, 2, 3],
  x_mm: [0, 100, 200, 300],
  y_mm: [0, 0, 50, 50],
  heading_deg: [0, 0, 90, 90],
  lanes: [{ id: "offset", title: "offset", unit: "mm", values: [0, 1, 70, -80] }],
} as unknown as DriveRun;

it("is between two rows along a straight line, and stays at the ends", () => {
  expect(poseAt(run, 1.5)).toEqual({ x: 150, y: 25, heading: 45 });
  expect(poseAt(run, -1).x).toBe(0);
  expect(poseAt(run, 9).x).toBe(300);
  expect([0, 0.99, 1, 2.5].map((t) => rowAt(run, t))).toEqual([0, 0, 1, 2]);
});

it("cuts the way where it leaves the line, each stretch joined to the next", () => {
  const [near, far] = stretches(run);
  expect(near).toEqual({ d: "M0 0L100 0L200 50", away: 0 });
  expect(far).toEqual({ d: "M200 50L300 50", away: 1 });
});

it("has no stretches of a run of one row", () => {
  expect(stretches({ ...run, t_s: [0] } as DriveRun)).toEqual([]);
});

it("draws arcs out, counter-clockwise", () => {
  const points = linePoints({
    points: [[100, 0]],
    arcs: [{ x_mm: 0, y_mm: 0, radius_mm: 100, from_deg: 0, to_deg: 90 }],
    closed: false,
  });
  const [x, y] = points.at(-1) ?? [0, 0];
  expect(x).toBeCloseTo(0);
  expect(y).toBeCloseTo(100);
});

it("draws gaps as dashes, a gap beyond the end as none", () => {
  const line: [number, number][] = [
    [0, 0],
    [100, 0],
  ];
  expect(dashes(line, false, [])).toBeUndefined();
  expect(dashes(line, false, [[40, 60]])).toBe("40.0 20.0 40.0 0.0");
  expect(dashes(line, false, [[90, 130]])).toBe("90.0 10.0 0.0 0.0");
  expect(dashes(line, true, [[150, 160]])).toBe("150.0 10.0 40.0 0.0");
});
