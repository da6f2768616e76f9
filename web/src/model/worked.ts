/** The worked line as text: the numbers in the units a person chose. */

import type { Schemas } from "../api/client";
import { decimalsFor, figure, plainDecimals, THIN } from "./format";
import { countsInto, type Into, into, spreadInto, type Units } from "./units";

type Worked = Schemas["WorkedModel"];
type Ask = Schemas["AskModel"];

/** A number with its unit, digits following the ±. */
export function valueText(value: number, unit: string, plusMinus: number | null, way: Into, digits?: number): string {
  const spread = spreadInto(value, plusMinus, way);
  const decimals = decimalsFor(spread, way.decimals ?? digits ?? plainDecimals(way.to(value)));
  const gap = way.unit === "" || way.unit === "°" ? "" : THIN;
  return `${figure(way.to(value), decimals)}${gap}${way.unit || unit}`;
}

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

/** The verdict: what the raw number is. One number is said with its result, several in words. */
export function verdict(worked: Worked, units: Units): string {
  const numbers = worked.asks.filter((ask) => ask.choices.length === 0);
  const only = numbers[0];
  if (!only || numbers.length > 1) return sentence(worked.said);
  const raw = askedText(only, units);
  if (worked.value === null) return `${raw} is no ${worked.quantity}: ${worked.reason}`;
  const result = valueText(worked.value, worked.unit, worked.plus_minus, resultInto(worked, units), worked.digits);
  return worked.valid ? `${raw} is ${result}` : `${raw} would be ${result}: ${worked.reason}`;
}

/** A sentence as a heading: without its full stop. */
function sentence(text: string): string {
  return text.replace(/\.$/, "");
}
