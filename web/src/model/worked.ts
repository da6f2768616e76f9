/** The worked line as text: the numbers in the units a person chose. */

import type { Schemas } from "../api/client";
import { decimalsFor, figure, plainDecimals, THIN } from "./format";
import { countsInto, type Into, into, spreadInto, type Units } from "./units";

type Worked = Schemas["WorkedModel"];
type Ask = Schemas["AskModel"];

/** A raw number in its own unit, with the decimals it came with. */
export function readFigure(ask: Ask, value: number): string {
  return figure(value, value % 1 ? Math.max(1, ask.digits) : ask.digits);
}

/** A raw number as it was read, counts as volts where a person likes those better. */
export function askedText(ask: Ask, units: Units): string {
  const choice = ask.choices[ask.value];
  if (choice) return choice;
  const way = countsInto(ask.unit, ask.volts, units);
  const text = way.decimals === null ? readFigure(ask, ask.value) : figure(way.to(ask.value), way.decimals);
  return `${text}${way.unit ? THIN : ""}${way.unit}`;
}

/** How the result of a worked line is shown. */
export function resultInto(worked: Worked, units: Units): Into {
  return into(worked.unit, worked.quantity, units);
}

/** Where the result lies 95 times in 100, as shown; `even` is the ± where it says it, both ways alike. */
export function intervalOf(worked: Worked, units: Units): { low: number; high: number; even: number | null } | null {
  const way = resultInto(worked, units);
  if (worked.value === null) return null;
  if (worked.low !== null && worked.high !== null) {
    const ends = [way.to(worked.low), way.to(worked.high)];
    return { low: Math.min(...ends), high: Math.max(...ends), even: null };
  }
  const even = spreadInto(worked.value, worked.plus_minus, way);
  if (even === null) return null;
  const shown = way.to(worked.value);
  return { low: shown - even, high: shown + even, even };
}

/** Decimals for the result, by how far it is known. */
export function resultDecimals(worked: Worked, units: Units): number {
  if (worked.value === null) return 0;
  const way = resultInto(worked, units);
  const ends = intervalOf(worked, units);
  const usual = way.decimals ?? Math.max(worked.digits, plainDecimals(worked.value));
  return decimalsFor(ends && (ends.high - ends.low) / 2, usual);
}

/** The verdict: what the raw number is. One number is said with its result, several in words. */
export function verdict(worked: Worked, units: Units): string {
  const numbers = worked.asks.filter((ask) => ask.choices.length === 0);
  const only = numbers[0];
  if (!only || numbers.length > 1) return sentence(worked.said);
  const raw = askedText(only, units);
  if (worked.value === null) return `${raw} is no ${worked.quantity}: ${worked.reason}`;
  const way = resultInto(worked, units);
  const gap = way.unit === "" || way.unit === "°" ? "" : THIN;
  const result = `${figure(way.to(worked.value), resultDecimals(worked, units))}${gap}${way.unit || worked.unit}`;
  return worked.valid ? `${raw} is ${result}` : `${raw} would be ${result}: ${worked.reason}`;
}

/** A sentence as a heading: without its full stop. */
function sentence(text: string): string {
  return text.replace(/\.$/, "");
}
