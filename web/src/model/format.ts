/** Numbers as people at a bench read them: thin spaces, true minus, digits that follow the uncertainty. */

export const THIN = "\u2009";
const MINUS = "\u2212";

/** How many decimals a value deserves: the uncertainty keeps two figures when it begins with 1 or 2, one otherwise. */
export function decimalsFor(plusMinus: number | null | undefined, fallback: number): number {
  if (plusMinus === null || plusMinus === undefined || !(plusMinus > 0)) return fallback;
  const power = Math.floor(Math.log10(plusMinus));
  const first = Math.floor(plusMinus / 10 ** power + 1e-9);
  return Math.max(0, Math.min(6, (first <= 2 ? 1 : 0) - power));
}

/** So many of something: 1 step, 3 steps. */
export function counted(count: number, what: string): string {
  return `${count} ${what}${count === 1 ? "" : "s"}`;
}

/** A number with a fixed count of decimals, thin spaces between thousands, and a true minus sign. */
export function figure(value: number, decimals: number): string {
  const [whole = "0", part] = Math.abs(value).toFixed(decimals).split(".");
  const grouped = whole.replace(/\B(?=(\d{3})+$)/g, THIN);
  const text = part ? `${grouped}.${part}` : grouped;
  return value < 0 && Number(value.toFixed(decimals)) !== 0 ? MINUS + text : text;
}

/** Decimals for a number of which nothing else is known: about four figures. */
export function plainDecimals(value: number): number {
  const [, part = ""] = String(Number(value.toPrecision(4))).split(".");
  return Math.min(part.length, 4);
}

/** A number as few figures as it is worth: 28.6, 1 875 000, 0.0021. */
export function few(value: number): string {
  if (value === 0 || value >= 1000) return figure(value, 0);
  const short = Number(value.toPrecision(3));
  return value < 0.01 ? String(Number(value.toPrecision(2))) : figure(short, plainDecimals(short));
}

export type LengthUnit = "mm" | "cm" | "in";
const LENGTHS: Record<LengthUnit, { per: number; decimals: number }> = {
  mm: { per: 1, decimals: 0 },
  cm: { per: 10, decimals: 1 },
  in: { per: 25.4, decimals: 2 },
};

export interface Shown {
  text: string;
  unit: string;
  plusMinus: string | null;
}

/** A value as shown: lengths go into the unit chosen in the settings, everything else stays in its own. */
export function shown(
  value: number,
  unit: string,
  plusMinus: number | null | undefined,
  length: LengthUnit,
  digits?: number,
): Shown {
  const into = unit === "mm" ? LENGTHS[length] : null;
  const per = into?.per ?? 1;
  const spread = plusMinus ? plusMinus / per : null;
  const decimals = decimalsFor(spread, into ? into.decimals : (digits ?? plainDecimals(value)));
  return {
    text: figure(value / per, decimals),
    unit: into ? length : unit,
    plusMinus: spread ? figure(spread, decimals) : null,
  };
}

/** A value as shown, in one string: "118 ± 2 mm", "15°". */
export function joined(value: Shown): string {
  const spread = value.plusMinus ? ` ±${THIN}${value.plusMinus}` : "";
  const gap = value.unit === "" || value.unit === "°" ? "" : THIN;
  return `${value.text}${spread}${gap}${value.unit}`;
}

/** A length in mm with its unit, at a stated number of decimals beyond the unit's own. */
export function lengthText(mm: number, length: LengthUnit, extra = 0): string {
  const { per, decimals } = LENGTHS[length];
  return `${figure(mm / per, decimals + extra)}${THIN}${length}`;
}

const LENGTH_SUFFIXES: Record<string, number> = { mm: 1, cm: 10, m: 1000, in: 25.4, '"': 25.4, "\u2033": 25.4 };

/** The length that a person typed, in mm: in the chosen unit, or in the one that stands behind the number; null when it is
 * no number. */
export function lengthTyped(text: string, length: LengthUnit): number | null {
  const [, number = "", suffix = ""] = /^(.*?)(mm|cm|m|in|"|\u2033)?$/i.exec(text.trim()) ?? [];
  const value = typed(number);
  return value === null ? null : value * (LENGTH_SUFFIXES[suffix.toLowerCase()] ?? LENGTHS[length].per);
}

const OHM_SUFFIXES: Record<string, number> = { r: 1, k: 1e3, M: 1e6 };

/** The resistance that a person typed, in Ω: 4700, 4.7k, 4k7, 4.7 kΩ, 220R, 1M; null when it is none. */
export function ohmsTyped(text: string): number | null {
  const plain = text.trim().replace(/\s|\u2009|ohms?|[\u03a9\u2126]/gi, "");
  const [, whole = "", letter = "", part = ""] = /^([\d.,]*)([rRkKM]?)(\d*)$/.exec(plain) ?? [];
  if (!letter) return typed(plain);
  const value = typed(part ? `${whole || "0"}.${part}` : whole);
  const per = OHM_SUFFIXES[letter === "M" ? "M" : letter.toLowerCase()] ?? 1;
  return value === null || (part && /[.,]/.test(whole)) ? null : Number((value * per).toPrecision(12));
}

/** A number that a person typed for something in this unit; null when it is none. */
export function typedIn(text: string, unit: string, length?: LengthUnit): number | null {
  if (unit === "mm") return lengthTyped(text, length ?? "mm");
  return unit === "\u03a9" || unit === "\u2126" ? ohmsTyped(text) : typed(text);
}

/** A number as typed: decimal comma and thin spaces are understood; null when it is none. */
export function typed(text: string): number | null {
  const plain = text
    .trim()
    .replace(/[\s\u2009\u202f\u00a0]/g, "")
    .replace(",", ".")
    .replace(MINUS, "-");
  if (!/^[+-]?(\d+\.?\d*|\.\d+)(e[+-]?\d+)?$/i.test(plain)) return null;
  const value = Number(plain);
  return Number.isFinite(value) ? value : null;
}

/** A number for an input field: no grouping, so that it can be edited. */
export function editable(value: number, length?: LengthUnit): string {
  const scaled = length ? value / LENGTHS[length].per : value;
  return String(Number(scaled.toPrecision(7)));
}

/** A moment as a person says it: today 14:20, yesterday 9:05, 12 Nov. */
export function moment(iso: string, now = new Date()): string {
  const at = new Date(iso);
  const clock = at.toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });
  const day = (date: Date) => new Date(date.getFullYear(), date.getMonth(), date.getDate()).getTime();
  const days = Math.round((day(now) - day(at)) / 86_400_000);
  if (days === 0) return `today ${clock}`;
  if (days === 1) return `yesterday ${clock}`;
  return at.toLocaleDateString("en-GB", { day: "numeric", month: "short", year: days > 300 ? "numeric" : undefined });
}

/** A duration in seconds as a person says it. */
export function duration(seconds: number): string {
  if (seconds < 90) return `${figure(seconds, seconds < 10 ? 1 : 0)}${THIN}s`;
  if (seconds < 5400) return `${figure(seconds / 60, 0)}${THIN}min`;
  return `${figure(seconds / 3600, 1)}${THIN}h`;
}

/** A resistance as it is said: 4.7 kΩ. */
export function ohms(value: number): string {
  const [per, unit] = value >= 1e6 ? [1e6, "MΩ"] : value >= 1e3 ? [1e3, "kΩ"] : [1, "Ω"];
  return `${figure(value / per, plainDecimals(value / per))}${THIN}${unit}`;
}

/** A name in lines of at most so many signs, broken between words; what is more than so many lines is cut. */
export function inLines(name: string, signs: number, most: number): string[] {
  const lines: string[] = [];
  for (const word of name.split(" ")) {
    const last = lines.at(-1);
    if (last !== undefined && `${last} ${word}`.length <= signs) lines[lines.length - 1] = `${last} ${word}`;
    else lines.push(word);
  }
  const kept = lines.slice(0, most).map((line) => (line.length > signs ? `${line.slice(0, signs - 1)}…` : line));
  if (lines.length > most) kept[most - 1] = `${(lines[most - 1] ?? "").slice(0, signs - 1)}…`;
  return kept;
}
