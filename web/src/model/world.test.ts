import { expect, it } from "vitest";
import {
  added,
  bent,
  dashes,
  extended,
  type Ground,
  handlesOf,
  linePoints,
  moved,
  patched,
  removed,
  spanOf,
  uphill,
} from "./world";

const floor: Ground = {
  name: "mine",
  kind: "floor",
  size_mm: [2000, 1000],
  lines: [
    {
      points: [
        [0, 0],
        [100, 0],
      ],
      arcs: [],
      width_mm: 19,
      closed: false,
      gaps: [],
    },
  ],
  patches: [],
  walls: [[0, 0, 500, 0]],
  curtains: [],
  boxes: [],
  start: { x_mm: 10, y_mm: 20, heading_deg: 0 },
};
const labels = (ground: Ground) => handlesOf(ground).map(({ label }) => label);

it("draws arcs out, counter-clockwise", () => {
  const points = linePoints({
    points: [[100, 0]],
    arcs: [{ x_mm: 0, y_mm: 0, radius_mm: 100, from_deg: 0, to_deg: 90 }],
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

it("has a handle for every point of everything, and each moves what it is of", () => {
  expect(labels(floor)).toEqual(["line 1, point 1", "line 1, point 2", "wall 1, point 1", "wall 1, point 2", "start"]);
  for (const handle of handlesOf(floor)) {
    const there = moved(floor, handle, [321, 123]);
    expect(handlesOf(there).find(({ label }) => label === handle.label)?.at).toEqual([321, 123]);
    const others = (ground: Ground) => handlesOf(ground).filter(({ label }) => label !== handle.label);
    expect(others(there)).toEqual(others(floor));
  }
});

it("takes away a point, and what has too few points left as a whole", () => {
  const [, second, wall] = handlesOf(floor);
  if (!second || !wall) throw new Error("there are handles");
  expect(removed(floor, second).lines).toEqual([]);
  const longer = extended(floor, second);
  expect(longer.lines?.[0]?.points).toEqual([
    [0, 0],
    [100, 0],
    [200, 0],
  ]);
  expect(removed(longer, second).lines?.[0]?.points).toEqual([
    [0, 0],
    [200, 0],
  ]);
  expect(removed(floor, wall).walls).toEqual([]);
  expect(labels(removed(floor, { ...wall, what: "start" }))).toContain("start");
});

it("puts a point between two, and new things where they are wanted", () => {
  const [first] = handlesOf(floor);
  if (!first) throw new Error("there are handles");
  expect(extended(floor, first).lines?.[0]?.points[1]).toEqual([50, 0]);
  for (const what of ["line", "wall", "curtain", "box", "patch"] as const) {
    const more = added(floor, what, [600, 400]);
    expect(handlesOf(more).length).toBeGreaterThan(handlesOf(floor).length);
    expect(handlesOf(floor).length).toBe(5); // the world before it stands
  }
});

it("bends on from the end of a line along its direction", () => {
  const bow = bent(floor, 0, 200, 90);
  const points = linePoints(bow.lines?.[0] ?? { points: [], arcs: [] });
  const [x, y] = points.at(-1) ?? [0, 0];
  expect([x, y].map(Math.round)).toEqual([300, 200]);
  const again = bent(bow, 0, 100, -90);
  const [x2, y2] = linePoints(again.lines?.[0] ?? { points: [], arcs: [] }).at(-1) ?? [0, 0];
  expect([x2, y2].map(Math.round)).toEqual([400, 300]);
});

it("puts something else on one patch, with an arrow uphill where it is steep", () => {
  const two = added(added(floor, "patch", [600, 400]), "patch", [1000, 400]);
  const steep = patched(two, 1, { grade_pct: -10, heading_deg: 90 });
  expect(steep.patches?.map((patch) => patch.grade_pct)).toEqual([0, -10]);
  const [plain, ramp] = steep.patches ?? [];
  if (!plain || !ramp) throw new Error("there are patches");
  expect(uphill(plain)).toBeNull();
  const [from, to] = uphill(ramp) ?? [];
  expect(from?.[0]).toBeCloseTo(1000);
  expect((from?.[1] ?? 0) > (to?.[1] ?? 0)).toBe(true); // down where it falls
});

it("shows all of a world with room around it", () => {
  expect(spanOf(floor, [[2000, 900]])).toEqual([-140, -140, 2280, 1180]);
});
