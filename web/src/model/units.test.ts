import { describe, expect, it } from "vitest";
import { countsInto, into, lengthInto, spreadInto, type Units } from "./units";

const METRIC: Units = { length: "mm", speed: "km/h", slope: "%", level: "V" };

describe("units a person chose", () => {
  it("turn a travelling speed, and leave the speed of sound alone", () => {
    expect(into("m/s", "speed", METRIC).to(10)).toBeCloseTo(36);
    expect(into("m/s", "speed", { ...METRIC, speed: "mph" }).to(0.44704)).toBeCloseTo(1);
    expect(into("m/s", "sound", METRIC)).toMatchObject({ unit: "m/s" });
  });
  it("turn a tilt into a grade, both ways", () => {
    const way = into("°", "tilt", METRIC);
    expect(way.to(45)).toBeCloseTo(100);
    expect(way.back(way.to(12))).toBeCloseTo(12);
    expect(spreadInto(0, 1, way)).toBeCloseTo(1.7455, 3);
  });
  it("show counts as volts where the converter is known", () => {
    expect(countsInto("counts", 5 / 1024, METRIC).to(512)).toBeCloseTo(2.5);
    expect(countsInto("counts", null, METRIC).unit).toBe("counts");
    expect(countsInto("counts", 5 / 1024, { ...METRIC, level: "counts" }).to(512)).toBe(512);
  });
  it("turn lengths", () => {
    expect(lengthInto("in").to(254)).toBe(10);
    expect(spreadInto(100, null, lengthInto("cm"))).toBeNull();
  });
});
