import type { LengthUnit } from "./format";

/** Units in which a person wants to read: what the core computes is never changed by them. */
export interface Units {
  length: LengthUnit;
  speed: "m/s" | "km/h" | "mph";
  slope: "°" | "%";
  level: "V" | "counts";
}

/** How a quantity is shown: its unit, its way there and back, and the decimals when nothing else is known. */
export interface Into {
  unit: string;
  to: (value: number) => number;
  back: (value: number) => number;
  decimals: number | null;
}

const LENGTHS: Record<LengthUnit, [number, number]> = { mm: [1, 0], cm: [10, 1], in: [25.4, 2] };
const SPEEDS: Record<Units["speed"], number> = { "m/s": 1, "km/h": 1 / 3.6, mph: 0.44704 };
const DEGREE = Math.PI / 180;

function by(unit: string, per: number, decimals: number | null): Into {
  return { unit, to: (value) => value / per, back: (value) => value * per, decimals };
}

/** A length in the unit chosen. */
export function lengthInto(length: LengthUnit): Into {
  const [per, decimals] = LENGTHS[length];
  return by(length, per, decimals);
}

/** How a number of this unit is shown, when it is this quantity: a speed of sound is no travelling speed. */
export function into(unit: string, quantity: string, units: Units): Into {
  if (unit === "mm") return lengthInto(units.length);
  if (unit === "m/s" && quantity === "speed") return by(units.speed, SPEEDS[units.speed], 2);
  if (unit === "°" && quantity === "tilt" && units.slope === "%")
    return {
      unit: "%",
      to: (value) => 100 * Math.tan(value * DEGREE),
      back: (value) => Math.atan(value / 100) / DEGREE,
      decimals: 1,
    };
  return by(unit, 1, null);
}

/** Counts of a converter as volts, where a person would rather read those. */
export function countsInto(unit: string, volts: number | null, units: Units): Into {
  return unit === "counts" && volts !== null && units.level === "V" ? by("V", 1 / volts, 3) : by(unit, 1, null);
}

/** A ± around a value, as wide as it is in the shown unit. */
export function spreadInto(value: number, plusMinus: number | null, way: Into): number | null {
  if (plusMinus === null) return null;
  return Math.abs(way.to(value + plusMinus / 2) - way.to(value - plusMinus / 2));
}
