import type { Mark, Schemas } from "../api/client";
import { editable, typed } from "./format";

type Truth = Schemas["TruthModel"];

export interface MarkSaid {
  label: string;
  sensor: string | null;
  truth: Truth | null;
  conditions: Record<string, string | number>;
  times: number[];
}

/** A mark as it is typed: nothing in it is a number yet. */
export interface MarkTyped {
  label: string;
  about: string;
  times: string[];
  value: string;
  spread: string;
  conditions: Record<string, string>;
}

export interface MarkTime {
  label: string;
  value: string;
  needed: boolean;
}

/** Which field cannot be understood, and why. */
export interface MarkFault {
  field: string;
  text: string;
}

/** What stands in the form at first: the mark that is changed, or a new one about a sensor. */
export function markTyped(mark: Mark | undefined, selected: string, times: MarkTime[]): MarkTyped {
  const truth = mark?.truth as Truth | null | undefined;
  return {
    label: mark?.label ?? "",
    about: mark ? (mark.sensor ?? "") : selected,
    times: times.map((time) => time.value),
    value: truth ? editable(truth.value) : "",
    spread: truth?.sd ? editable(2 * truth.sd) : "",
    conditions: Object.fromEntries(
      Object.entries(mark?.conditions ?? {}).map(([name, value]) => [name, String(value)]),
    ),
  };
}

/** The mark that was typed, of a quantity in its unit, or the first field that cannot be understood. */
export function markSaid(
  form: MarkTyped,
  times: MarkTime[],
  of: { quantity: string; unit: string },
): MarkSaid | MarkFault {
  const read: number[] = [];
  for (const [place, time] of times.entries()) {
    const text = form.times[place] ?? "";
    const number = typed(text);
    if (number === null && (time.needed || text.trim()))
      return { field: time.label, text: "Write it in seconds, such as 12.5." };
    read.push(number ?? Number.NaN);
  }
  const value = form.value.trim() ? typed(form.value) : null;
  if (form.value.trim() && value === null) return { field: "truth", text: `“${form.value}” is not a number.` };
  const plusMinus = form.spread.trim() ? typed(form.spread) : null;
  if (form.spread.trim() && (plusMinus === null || plusMinus < 0))
    return { field: "spread", text: "± is a number above zero." };
  const conditions = Object.entries(form.conditions).filter(([, text]) => text.trim());
  return {
    label: form.label.trim(),
    sensor: form.about || null,
    truth: value === null ? null : { ...of, value, sd: plusMinus === null ? null : plusMinus / 2 },
    conditions: Object.fromEntries(conditions.map(([name, text]) => [name, typed(text) ?? text.trim()])),
    times: read,
  };
}
