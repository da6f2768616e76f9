import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import type { Units } from "./units";
import { askedText, intervalOf, resultDecimals, verdict } from "./worked";

const UNITS: Units = { length: "mm", speed: "m/s", slope: "°", level: "counts" };
const THIN = "\u2009";

function ask(change: Partial<Schemas["AskModel"]> = {}): Schemas["AskModel"] {
  return {
    name: "echo",
    label: "echo time",
    unit: "µs",
    low: 0,
    high: 400_000,
    value: 1748,
    digits: 0,
    logarithmic: true,
    choices: [],
    slide_low: 100,
    slide_high: 25_000,
    volts: null,
    ...change,
  };
}

function worked(change: Partial<Schemas["WorkedModel"]> = {}): Schemas["WorkedModel"] {
  return {
    kind: "ultrasonic-ranger",
    title: "ultrasonic ranger",
    quantity: "distance",
    unit: "mm",
    digits: 0,
    asks: [ask()],
    chains: [],
    terms: [],
    value: 302.04,
    plus_minus: 2.6,
    low: null,
    high: null,
    valid: true,
    reason: "",
    shares: [],
    rules: [],
    more: [],
    moves: [],
    said: "Something 302 mm ahead.",
    warnings: [],
    cautions: [],
    constants: [],
    inverse: null,
    ...change,
  };
}

describe("the verdict", () => {
  it("says one raw number with its result, digits following the ±", () => {
    expect(verdict(worked(), UNITS)).toBe(`1${THIN}748${THIN}µs is 302.0${THIN}mm`);
    expect(verdict(worked(), { ...UNITS, length: "cm" })).toBe(`1${THIN}748${THIN}µs is 30.20${THIN}cm`);
  });
  it("never calls a dropout a distance", () => {
    const dropout = worked({ asks: [ask({ value: 0 })], value: null, valid: false, reason: "dropout" });
    expect(verdict(dropout, UNITS)).toBe(`0${THIN}µs is no distance: dropout`);
  });
  it("says what a number would be where it means nothing", () => {
    const near = worked({ value: 12, plus_minus: null, valid: false, reason: "nearer than the ranger can see" });
    expect(verdict(near, UNITS)).toContain(`would be 12${THIN}mm: nearer`);
  });
  it("speaks in words where there are several raw numbers, or only a level", () => {
    const tilt = worked({ asks: [ask({ name: "x" }), ask({ name: "y" })], said: "Nose up 5.0°." });
    expect(verdict(tilt, UNITS)).toBe("Nose up 5.0°");
    const level = worked({ asks: [ask({ choices: ["low", "high"], value: 1 })], said: "Over the line: dark." });
    expect(verdict(level, UNITS)).toBe("Over the line: dark");
  });
});

describe("raw numbers", () => {
  it("are counts or volts as a person likes, and levels by name", () => {
    const counts = ask({ unit: "counts", value: 512, volts: 5 / 1024 });
    expect(askedText(counts, UNITS)).toBe(`512${THIN}counts`);
    expect(askedText(counts, { ...UNITS, level: "V" })).toBe(`2.500${THIN}V`);
    expect(askedText(ask({ choices: ["low", "high"], value: 0 }), UNITS)).toBe("low");
    expect(askedText(ask({ value: 1750.66 }), UNITS)).toBe(`1${THIN}750.7${THIN}µs`);
  });
});

describe("where the result lies", () => {
  it("is the value ± where nothing else is said, in the units a person chose", () => {
    const mm = intervalOf(worked({ value: 300 }), UNITS);
    expect(mm?.low).toBeCloseTo(297.4);
    expect(mm?.high).toBeCloseTo(302.6);
    expect(mm?.even).toBeCloseTo(2.6);
    const cm = intervalOf(worked({ value: 300 }), { ...UNITS, length: "cm" });
    expect(cm?.even).toBeCloseTo(0.26);
    expect(intervalOf(worked({ plus_minus: null }), UNITS)).toBeNull();
  });
  it("has ends of its own near an edge, and decimals that follow them", () => {
    const level = worked({ quantity: "tilt", unit: "°", digits: 1, value: 0, plus_minus: 0, low: 0, high: 2.43 });
    expect(intervalOf(level, UNITS)).toEqual({ low: 0, high: 2.43, even: null });
    expect(resultDecimals(level, UNITS)).toBe(1);
    const slope = intervalOf(level, { ...UNITS, slope: "%" });
    expect(slope?.high).toBeCloseTo(4.244, 2);
  });
});

it("degrees stand close to their number", () => {
  const level = worked({ quantity: "tilt", unit: "°", digits: 1, value: 5.04, plus_minus: null });
  expect(verdict(level, UNITS)).toBe(`1${THIN}748${THIN}µs is 5.04°`);
});
