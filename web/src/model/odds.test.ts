import { describe, expect, it } from "vitest";
import { fitSaid, oddsAt } from "./odds";

const ODDS = {
  first: 0,
  step: 2,
  counted: [9, 4, 0],
  of: 20,
  fitted: [400, 12.5, 0.001],
  margin: [-3, 0, 2],
  margin_sds: [-1, 0, 4.5],
  worst: [0, 1, 1],
  tested: [],
  tested_of: 0,
  proved_per_1000: 150,
};

describe("odds", () => {
  it("are looked up at the nearest threshold told", () => {
    expect(oddsAt(ODDS, 2.6)).toMatchObject({ counted: 4, fitted: 12.5, worst: 1, tested: null });
    expect(oddsAt({ ...ODDS, tested: [5, 6, 7] }, 2)?.tested).toBe(6);
  });
  it("keep their ends beyond the table", () => {
    expect(oddsAt(ODDS, -50)?.counted).toBe(9);
    expect(oddsAt(ODDS, 1e6)?.marginSds).toBe(4.5);
    expect(oddsAt({ ...ODDS, counted: [] }, 1)).toBeNull();
  });
  it("are said without claiming more than is known", () => {
    expect(fitSaid(0)).toBe("below 1 in a thousand million");
    expect(fitSaid(0.01).replace(/\s/g, "")).toBe("1in100000");
    expect(fitSaid(12.4)).toBe("12 of 1000");
    expect(fitSaid(2.34)).toBe("2.3 of 1000");
  });
});
