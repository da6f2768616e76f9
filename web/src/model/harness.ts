/** Where everything in the harness drawing goes: pure geometry from the rig document. */

import type { Rig } from "../api/client";
import { ohms } from "./format";

export type Wire = Rig["rig"]["wires"][number];
type Part = Rig["parts"][number];

export const WIDTH = 860;
const COMB = { left: 0, width: 176, row: 25, gap: 26, pad: 7 };
const PART = { left: 598, width: 262, row: 25, pad: 7, least: 60, gap: 9, beside: 16, letters: 27, line: 19 };
const RAIL = { top: 12, gap: 21, left: 116 };
const SHELF = { height: 52, right: 520, step: 66, beside: 28, letter: 7.4 };
const CHANNELS = { from: 212, to: 336 };
const POWER = { from: 584, step: 11 };
const MOST_FREE = 4;

export interface PlacedPin {
  name: string;
  y: number;
  used: boolean;
  abilities: readonly string[];
}

/** A block of pins in the comb: the board's own, or those that a converter adds. */
export interface Block {
  title: string;
  top: number;
  height: number;
}

export interface PlacedPart {
  id: string;
  y: number;
  height: number;
  /** Its name: beside the pins, or in lines above them where it is long. */
  title: string[];
  head: number;
  pins: { name: string; y: number }[];
  /** Supply and ground in words, where their wires are folded away. */
  power: string;
}

/** A resistor on the shelf between rails and comb: from a rail down to a wire. */
export interface Shelved {
  x: number;
  y: number;
  railY: number;
  ohms: number;
  bands: readonly string[];
}

export interface PlacedWire {
  wire: Wire;
  path: string;
  /** Where its end on the comb is, when it is on a pin. */
  end: { x: number; y: number } | null;
  /** The straight run before the part, where resistors and faults sit. */
  run: { x0: number; x1: number; y: number };
  inLine: { x: number; y: number; ohms: number; bands: readonly string[] } | null;
  shelved: Shelved | null;
}

export interface Harness {
  height: number;
  rails: { name: string; volts: number; y: number }[];
  pins: PlacedPin[];
  blocks: Block[];
  folded: { y: number; count: number } | null;
  parts: PlacedPart[];
  wires: PlacedWire[];
}

export const layout = { comb: COMB, part: PART, rail: RAIL };

/**
 * @param selected the part whose wires come forward, its supply and ground among them
 * @param picked a wire that is being moved: every pin is shown while it is
 */
export function harness(rig: Rig, selected: string, picked: { sensor: string; pin: string } | null = null): Harness {
  const rails = [
    ...rig.rig.board.rails,
    ...rig.rig.supplies.map((supply) => ({ name: supply.name, volts: supply.volts })),
  ]
    .sort((a, b) => b.volts - a.volts)
    .map((rail, i) => ({ name: rail.name, volts: rail.volts, y: RAIL.top + i * RAIL.gap }));
  const top = RAIL.top + rails.length * RAIL.gap + SHELF.height;
  const { pins, blocks, folded, bottom } = comb(rig, selected, picked !== null, top);
  const parts = boxes(rig, selected, top);
  const last = parts[parts.length - 1];
  return {
    height: Math.max(bottom, last ? last.y + last.height : 0) + 8,
    rails,
    pins,
    blocks,
    folded,
    parts,
    wires: routes(rig, pins, parts, rails),
  };
}

function comb(rig: Rig, selected: string, all: boolean, top: number) {
  const used = new Set(rig.rig.wires.map((wire) => wire.to));
  const signals = (rig.parts.find((part) => part.id === selected)?.pins ?? []).filter((pin) => !isPower(pin.role));
  const able = new Set(signals.flatMap((pin) => pin.places));
  const free = rig.pins.filter((pin) => !used.has(pin.name) && able.has(pin.name)).slice(0, MOST_FREE);
  const shown = rig.pins.filter((pin) => all || used.has(pin.name) || free.includes(pin));
  const own = new Set(rig.rig.board.pins.map((pin) => pin.name));
  const pins: PlacedPin[] = [];
  const blocks: Block[] = [];
  let y = top;
  let folded: Harness["folded"] = null;
  for (const [title, mine] of [
    [rig.rig.board.title, shown.filter((pin) => own.has(pin.name))],
    ["on the bus", shown.filter((pin) => !own.has(pin.name))],
  ] as const) {
    if (mine.length === 0) continue;
    const begin = y;
    y += COMB.pad + COMB.row / 2;
    for (const pin of mine) {
      pins.push({ name: pin.name, y, used: used.has(pin.name), abilities: pin.abilities });
      y += COMB.row;
    }
    const hidden = own.size - shown.filter((pin) => own.has(pin.name)).length;
    if (title === rig.rig.board.title && hidden > 0) {
      folded = { y, count: hidden };
      y += COMB.row;
    }
    y += COMB.pad - COMB.row / 2;
    blocks.push({ title, top: begin, height: y - begin });
    y += COMB.gap;
  }
  return { pins, blocks, folded, bottom: y - COMB.gap };
}

function isPower(role: string): boolean {
  return role === "supply" || role === "ground";
}

function boxes(rig: Rig, selected: string, top: number): PlacedPart[] {
  const order = new Map(rig.pins.map((pin, i) => [pin.name, i]));
  const first = (part: Part) =>
    Math.min(...rig.rig.wires.filter((wire) => wire.sensor === part.id).map((wire) => order.get(wire.to) ?? Infinity));
  let y = top;
  return [...rig.parts]
    .sort((a, b) => first(a) - first(b) || 0)
    .map((part) => {
      const faulty = (name: string) =>
        rig.findings.some(
          (finding) => finding.severity === "fault" && finding.sensor === part.id && finding.pin === name,
        );
      const shown = part.pins.filter((pin) => !isPower(pin.role) || part.id === selected || faulty(pin.name));
      const folded = part.pins.filter((pin) => !shown.includes(pin));
      const title = twoLines(part.name, PART.letters);
      const head = part.name.length > PART.beside ? title.length * PART.line : 0;
      const to = (name: string) => rig.rig.wires.find((wire) => wire.sensor === part.id && wire.pin === name)?.to;
      const pins = [...shown]
        .sort((a, b) => rank(to(a.name), order) - rank(to(b.name), order))
        .map((pin, i) => ({ name: pin.name, y: y + head + PART.pad + PART.row / 2 + i * PART.row }));
      const room = folded.length > 0 ? 20 : 0; // room for supply and ground in words
      const height = head + Math.max(PART.least, pins.length * PART.row + 2 * PART.pad + room);
      const power = folded.map((pin) => placeName(rig, to(pin.name) ?? "")).join(", ");
      const placed = { id: part.id, y, height, title, head, pins, power };
      y += height + PART.gap;
      return placed;
    });
}

/** Supplies above the signals, grounds below them, signals in the order of their pins. */
function rank(to: string | undefined, order: Map<string, number>): number {
  if (!to) return 1e6;
  const place = order.get(to);
  if (place !== undefined) return place;
  return to === "ground" ? 1e7 : -1;
}

function routes(rig: Rig, pins: PlacedPin[], parts: PlacedPart[], rails: Harness["rails"]): PlacedWire[] {
  const pinY = new Map(pins.map((pin) => [pin.name, pin.y]));
  const railY = new Map(rails.map((rail) => [rail.name, rail.y]));
  const lowest = Math.min(...rails.filter((rail) => rail.volts === 0).map((rail) => rail.y));
  const at = (wire: Wire) =>
    parts.find((part) => part.id === wire.sensor)?.pins.find((pin) => pin.name === wire.pin)?.y;
  const drawn = rig.rig.wires.filter((wire) => at(wire) !== undefined);
  const signals = drawn
    .filter((wire) => pinY.has(wire.to))
    .sort((a, b) => (pinY.get(a.to) ?? 0) - (pinY.get(b.to) ?? 0) || (at(a) ?? 0) - (at(b) ?? 0));
  const step = (CHANNELS.to - CHANNELS.from) / Math.max(signals.length - 1, 1);
  let power = 0;
  let shelf = SHELF.right;
  return drawn.map((wire) => {
    const y1 = at(wire) ?? 0;
    const x1 = PART.left;
    const y0 = pinY.get(wire.to);
    if (y0 === undefined) {
      const rail = railY.get(wire.to);
      const x = rail === undefined ? x1 - 70 : POWER.from - power++ * POWER.step;
      const path = rail === undefined ? `M${x} ${y1}H${x1}` : `M${x} ${rail}V${y1}H${x1}`;
      const run = { x0: Math.min(x, x1 - 250), x1, y: y1 };
      return { wire, path, end: null, run, inLine: null, shelved: null };
    }
    const place = signals.indexOf(wire);
    // Wires that run down turn the earlier the lower they start, and the other way round: they do not cross.
    const x = y1 >= y0 ? CHANNELS.to - place * step : CHANNELS.from + place * step;
    const run = { x0: x, x1: x1 - 20, y: y1 };
    const up = wire.pull_up ?? null;
    const { divider, series } = wire;
    const value = divider ? divider.bottom_ohm : up?.ohms;
    const railOf = divider ? lowest : up ? railY.get(up.rail) : undefined;
    const shelved =
      value !== undefined && railOf !== undefined
        ? {
            x: shelf,
            y: (rails[rails.length - 1]?.y ?? 0) + SHELF.height / 2 + 6,
            railY: railOf,
            ohms: value,
            bands: (divider ? divider.bottom_bands : up?.bands) ?? [],
          }
        : null;
    // A resistor's label stands left of it, and the next one left of that.
    if (shelved) shelf -= Math.max(SHELF.step, SHELF.beside + SHELF.letter * ohms(shelved.ohms).length);
    const inLine = divider
      ? { x: (shelved?.x ?? x1 - 90) + 44, y: y1, ohms: divider.top_ohm, bands: divider.top_bands }
      : series
        ? { x: x1 - 100, y: y1, ohms: series.ohms, bands: series.bands }
        : null;
    return { wire, path: `M${COMB.width} ${y0}H${x}V${y1}H${x1}`, end: { x: COMB.width, y: y0 }, run, inLine, shelved };
  });
}

/** Real insulation colours. */
export const WIRE_COLOURS: Record<string, string> = {
  red: "#b5332e",
  orange: "#c9742a",
  yellow: "#c8a018",
  green: "#2f7d4f",
  blue: "#2f5f9e",
  violet: "#6d4796",
  white: "#f4f1e8",
  black: "#23282b",
  brown: "#6d4326",
};

/** Colours of the bands on a resistor. */
export const BAND_COLOURS: Record<string, string> = {
  black: "#1c1c1c",
  brown: "#6f3f1d",
  red: "#b02a24",
  orange: "#d97a1e",
  yellow: "#d9b81e",
  green: "#2e7a45",
  blue: "#2c5aa0",
  violet: "#71409a",
  grey: "#808080",
  white: "#f2f2f2",
  gold: "#b08d2b",
  silver: "#a9a9a9",
  pink: "#d98a9e",
};

/** Where a wire goes, as people say it: a pin, a rail, another part's pin. */
export function placeName(rig: Rig, to: string): string {
  const [id, pin] = to.split(".");
  const other = pin === undefined ? undefined : rig.parts.find((part) => part.id === id);
  return other ? `${other.name} ${pin}` : to || "nowhere";
}

/** A text in lines of at most so many characters, two at most. */
export function twoLines(text: string, most: number): string[] {
  const comma = text.indexOf(", ") + 1;
  if (comma > 0 && text.length > most && comma <= most && text.length - comma - 1 <= most)
    return [text.slice(0, comma), text.slice(comma + 1)];
  const words = text.split(" ");
  let first = words.shift() ?? "";
  while (words[0] && `${first} ${words[0]}`.length <= most) first += ` ${words.shift()}`;
  const rest = words.join(" ");
  return rest ? [first, rest.length > most ? `${rest.slice(0, most - 1).trimEnd()}…` : rest] : [first];
}

/** The pins a picked wire may be put on, in the comb's order: those that can take it, free ones and its own. */
export function targets(rig: Rig, wire: Wire): string[] {
  const places = rig.parts.find((part) => part.id === wire.sensor)?.pins.find((pin) => pin.name === wire.pin)?.places;
  const able = new Set(places ?? []);
  const taken = new Set(rig.rig.wires.filter((other) => other !== wire).map((wire) => wire.to));
  const pins = rig.pins.filter((pin) => able.has(pin.name) && (!taken.has(pin.name) || pin.name === wire.to));
  return pins.map((pin) => pin.name);
}
