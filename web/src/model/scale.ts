/** Linear scales and the graduations on them. */

export interface Graduation {
  at: number;
  size: "long" | "middle" | "short";
  label: boolean;
}

/** A step of 1, 2 or 5 times a power of ten, such that about `count` of them fill the span. */
export function niceStep(span: number, count: number): number {
  const rough = span / Math.max(count, 1);
  const power = 10 ** Math.floor(Math.log10(rough));
  const lead = rough / power;
  return (lead > 5 ? 10 : lead > 2 ? 5 : lead > 1 ? 2 : 1) * power;
}

/** Ruler graduations between two values: long and labelled at each step, middle at halves, short at tenths. */
export function graduations(low: number, high: number, labels: number): Graduation[] {
  const step = niceStep(high - low, labels);
  const fine = step / 10;
  const marks: Graduation[] = [];
  for (let i = Math.ceil(low / fine - 1e-9); i <= Math.floor(high / fine + 1e-9); i++) {
    const size = i % 10 === 0 ? "long" : i % 5 === 0 ? "middle" : "short";
    marks.push({ at: i * fine, size, label: i % 10 === 0 });
  }
  return marks;
}

/** A function from values to pixels. */
export function scale(low: number, high: number, from: number, to: number): (value: number) => number {
  return (value) => from + ((value - low) / (high - low || 1)) * (to - from);
}

/** Decimals that labels at this step need. */
export function stepDecimals(step: number): number {
  return Math.max(0, -Math.floor(Math.log10(step) + 1e-9));
}

/** Labels near an end turn inwards, so that they are never cut off. */
export function anchorOf(x: number, from: number, to: number): "start" | "middle" | "end" {
  if (x < from + 16) return "start";
  return x > to - 16 ? "end" : "middle";
}

/** A function from values to pixels by ratio. */
export function logScale(low: number, high: number, from: number, to: number): (value: number) => number {
  const span = Math.log(high / low) || 1;
  return (value) => from + (Math.log(value / low) / span) * (to - from);
}

/** Graduations of a ratio ruler: powers of ten are labelled, the steps between them short. */
export function decades(low: number, high: number): { at: number; label: boolean }[] {
  const marks: { at: number; label: boolean }[] = [];
  for (let power = Math.floor(Math.log10(low)); power <= Math.ceil(Math.log10(high)); power++)
    for (let digit = 1; digit < 10; digit++) {
      const at = digit * 10 ** power;
      if (at >= low * (1 - 1e-9) && at <= high * (1 + 1e-9)) marks.push({ at, label: digit === 1 });
    }
  return marks;
}
