import type { Field, Procedure, Step, Want } from "../../hooks/useProcedure";
import { editable, type LengthUnit, lengthText, THIN } from "../../model/format";

/** The wants that no step holds yet, in working order; those that are only welcome come last. */
export function missing(procedure: Procedure): Want[] {
  const held = new Set(procedure.steps.map((step) => step.key));
  return procedure.wants.filter((want) => !held.has(want.key) && !want.more);
}

/** What a place is called, its length in the unit that is set. */
export function called(label: string, trueMm: number | null | undefined, length: LengthUnit): string {
  if (trueMm === null || trueMm === undefined) return label;
  const rest = label.replace(/^[\d.]+ mm/, "");
  return lengthText(trueMm, length) + rest;
}

/** A want's length, where it asks for one. */
export function lengthOf(want: Want): number | null {
  return want.fields.find((field) => field.name === "true_mm")?.typical ?? null;
}

/** What was typed for a step, field by field; a length that its name tells already is left out. */
export function typedOf(step: Step, fields: Field[], length: LengthUnit): string {
  return fields
    .filter(({ name }) => name !== "true_mm" && step.truth[name] !== undefined)
    .map(({ name, label, unit, choices }) => {
      const value = step.truth[name] ?? 0;
      const number = unit === "mm" ? lengthText(value, length) : `${editable(value)}${unit && THIN}${unit}`;
      return `${label.toLowerCase()} ${choices[value] ?? number}`;
    })
    .join(" · ");
}
