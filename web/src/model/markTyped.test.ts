import { expect, test } from "vitest";
import { markSaid, markTyped } from "./markTyped";

const TIMES = [
  { label: "from", value: "1.5", needed: true },
  { label: "to", value: "", needed: false },
];
const OF = { quantity: "distance", unit: "mm" };

test("what is typed becomes a mark, half of its ± its sd", () => {
  const form = {
    ...markTyped(undefined, "front", TIMES),
    label: " box ",
    value: "85",
    spread: "2",
    conditions: { lamp: "on", height_mm: "8,5", supply_v: " " },
  };
  expect(markSaid(form, TIMES, OF)).toEqual({
    label: "box",
    sensor: "front",
    truth: { quantity: "distance", unit: "mm", value: 85, sd: 1 },
    conditions: { lamp: "on", height_mm: 8.5 },
    times: [1.5, Number.NaN],
  });
});

test("the first field that cannot be understood is named", () => {
  const form = markTyped(undefined, "front", TIMES);
  expect(markSaid({ ...form, times: ["", ""] }, TIMES, OF)).toMatchObject({ field: "from" });
  expect(markSaid({ ...form, times: ["1", "soon"] }, TIMES, OF)).toMatchObject({ field: "to" });
  expect(markSaid({ ...form, value: "far" }, TIMES, OF)).toEqual({ field: "truth", text: "“far” is not a number." });
  expect(markSaid({ ...form, value: "1", spread: "-2" }, TIMES, OF)).toMatchObject({ field: "spread" });
});

test("a mark that is changed stands as it was", () => {
  const mark = {
    label: "white",
    sensor: null,
    truth: { quantity: "value", value: 3, unit: "V", sd: 0.5 },
    conditions: { lamp: "off" },
  };
  expect(markTyped(mark as never, "front", TIMES)).toMatchObject({
    label: "white",
    about: "",
    value: "3",
    spread: "1",
    conditions: { lamp: "off" },
  });
});
