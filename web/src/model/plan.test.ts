import { expect, it } from "vitest";
import { beamPath, extent, rowPlaces, scaleBar, spread } from "./plan";

const SIZES = { length_mm: 400, width_mm: 300, front_mm: 260, track_mm: 240 };
const ahead = { mount: { x_mm: 240, y_mm: 0, heading_deg: 0 }, reach_mm: 4000 };

it("draws nothing when nothing is known", () => {
  expect(extent({ length_mm: null, width_mm: null, front_mm: null, track_mm: null }, [])).toBeNull();
});

it("spans the vehicle, and leaves room where a beam looks", () => {
  const alone = extent(SIZES, []);
  const seeing = extent(SIZES, [ahead]);
  expect(alone?.y).toBeLessThan(-260);
  expect((alone?.y ?? 0) + (alone?.height ?? 0)).toBeGreaterThan(140);
  expect(seeing?.y).toBeLessThan((alone?.y ?? 0) - 150);
  expect((seeing?.width ?? 0) / 2).toBeGreaterThan(150);
});

it("opens a beam about its heading, counter-clockwise from ahead, which is up", () => {
  const [, left, right] = /L(\S+ \S+)A.* (\S+ \S+)Z/.exec(beamPath(0, 0, 0, 60, 100)) ?? [];
  expect(left).toBe("-50 -86.6");
  expect(right).toBe("50 -86.6");
  expect(beamPath(0, 0, 90, 0, 100)).toContain("-100 0");
});

it("sets a row evenly about its middle", () => {
  expect(rowPlaces(5, 12)).toEqual([-24, -12, 0, 12, 24]);
});

it("takes a round length for the scale", () => {
  expect([scaleBar(1000), scaleBar(620), scaleBar(90)]).toEqual([200, 100, 10]);
});

it("keeps labels apart, each on its part's side", () => {
  const at = (x_mm: number, y_mm: number) => ({ mount: { x_mm, y_mm, heading_deg: 0 }, reach_mm: null });
  const labels = spread([at(240, 0), at(236, 0), at(40, 90)], 10);
  expect(labels.map((label) => [label.side, label.y])).toEqual([
    ["left", -40],
    ["right", -240],
    ["right", -230],
  ]);
});
