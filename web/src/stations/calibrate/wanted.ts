import type { Procedure, Want } from "../../hooks/useProcedure";
import { type LengthUnit, lengthText } from "../../model/format";

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
