import { describe, expect, it } from "vitest";
import { bandPath, blocks, edgePath, laneSpan, lasting, pulseSpans, stepPath, stretches } from "./lanes";

const same = (value: number) => value;
const lane = (low: (number | null)[], exact = true) => ({ t: low.map((_, i) => i), low, high: low, exact });

describe("lanes", () => {
  it("draws no line over a hole", () => {
    expect(stretches(lane([1, 2, null, 3]))).toEqual([
      [0, 1],
      [3, 3],
    ]);
    expect(bandPath(lane([1, 2, null, 3]), same, same)).toBe("M0.0 1.0L1.0 2.0M3.0 3.0h0.01");
  });
  it("fills the band between lowest and highest", () => {
    const band = { t: [0, 1], low: [1, 2], high: [3, 4], exact: false };
    expect(bandPath(band, same, same)).toBe("M0.0 3.0L1.0 4.0L1.0 2.0L0.0 1.0Z");
  });
  it("holds a level until the next one", () => {
    expect(stepPath(lane([0, 1]), same, same, 5)).toBe("M0.0 0.0H1.0V1.0H5.0");
    expect(stepPath(lane([]), same, same, 5)).toBe("");
    expect(pulseSpans(lane([0, 1, 0]))).toEqual([{ from: 1, to: 2, level: 1 }]);
  });
  it("draws a block for each stretch that is so, the last one to its end", () => {
    expect(blocks([0, 1, 2, 3], [true, false, false, true], same, 2, 4)).toBe(
      "M0.0 2.0H1.0v4.0H0.0ZM3.0 2.0H3.5v4.0H3.0Z",
    );
    expect(blocks([0, 1], [false, false], same, 2, 4)).toBe("");
  });
  it("ticks each edge", () => {
    expect(edgePath(lane([7, 8]), same, 0, 4)).toBe("M0.0 0.0V4.0M1.0 0.0V4.0");
  });
  it("is never thinner than its last digit, and never without a span", () => {
    expect(laneSpan(lane([5, 5]), 0)).toEqual([3, 7]);
    expect(laneSpan(lane([null]), 0)).toEqual([0, 1]);
  });
  it("says a time in the unit of its size", () => {
    expect(lasting(0.0123)).toEqual({ value: 12.3, unit: "ms" });
    expect(lasting(2e-5).unit).toBe("µs");
    expect(lasting(4).unit).toBe("s");
  });
});
