import { describe, expect, it } from "vitest";
import { anchorOf, decades, graduations, logScale, niceStep, scale, stepDecimals } from "./scale";

describe("ruler steps", () => {
  it.each([
    [1000, 5, 200],
    [700, 8, 100],
    [12, 8, 2],
    [0.7, 7, 0.1],
    [4000, 10, 500],
  ])("a span of %f with about %i labels steps by %f", (span, count, step) => {
    expect(niceStep(span, count)).toBeCloseTo(step, 9);
  });

  it("never asks for more labels than about twice what was wanted", () => {
    for (let span = 0.013; span < 1e5; span *= 1.37) {
      const labels = graduations(0, span, 8).filter((mark) => mark.label).length;
      expect(labels).toBeGreaterThanOrEqual(4);
      expect(labels).toBeLessThanOrEqual(17);
    }
  });
});

describe("graduations", () => {
  const marks = graduations(-50, 150, 4);
  it("stay inside the ruler and rise", () => {
    expect(marks[0]?.at).toBeGreaterThanOrEqual(-50);
    expect(marks[marks.length - 1]?.at).toBeLessThanOrEqual(150);
    for (let i = 1; i < marks.length; i++) expect(marks[i]?.at ?? 0).toBeGreaterThan(marks[i - 1]?.at ?? 0);
  });
  it("are long at labels, middle halfway between, short elsewhere", () => {
    const sizes = Object.fromEntries(marks.map((mark) => [Math.round(mark.at), mark.size]));
    expect([sizes[0], sizes[25], sizes[5]]).toEqual(["long", "middle", "short"]);
    expect(marks.filter((mark) => mark.label).every((mark) => mark.size === "long")).toBe(true);
  });
});

it("scales are straight lines, and a span of nothing does not divide by zero", () => {
  const x = scale(100, 200, 0, 50);
  expect([x(100), x(150), x(200), x(300)]).toEqual([0, 25, 50, 100]);
  expect(Number.isFinite(scale(5, 5, 0, 50)(5))).toBe(true);
});

it("labels near an end turn inwards", () => {
  expect([anchorOf(2, 0, 100), anchorOf(50, 0, 100), anchorOf(99, 0, 100)]).toEqual(["start", "middle", "end"]);
});

it("labels have the decimals that their step needs", () => {
  expect([stepDecimals(100), stepDecimals(1), stepDecimals(0.5), stepDecimals(0.02)]).toEqual([0, 0, 1, 2]);
});

describe("ratio rulers", () => {
  it("label the powers of ten and graduate between them", () => {
    const marks = decades(60, 6000);
    expect(marks.filter((mark) => mark.label).map((mark) => mark.at)).toEqual([100, 1000]);
    expect(marks).toHaveLength(19);
  });
  it("put equal ratios at equal distances", () => {
    const x = logScale(10, 1000, 0, 100);
    expect([x(10), x(100), x(1000)]).toEqual([0, 50, 100]);
  });
});
