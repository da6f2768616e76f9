/** Where everything in the harness drawing goes: pure geometry from the rig document. */

import type { Rig } from "../api/client";

type Wire = Rig["rig"]["wires"][number];

export const WIDTH = 860;
const COMB = { left: 0, width: 168, top: 118, row: 36 };
const SENSOR = { left: 596, width: 264, row: 34, head: 14, gap: 26 };
const RAIL = { top: 22, gap: 26, left: 84 };
const CHANNELS = { from: 208, to: 330 };
const SUPPLY_CHANNELS = { from: 572, step: 14 };

export interface PlacedPin {
  name: string;
  y: number;
  used: boolean;
  abilities: readonly string[];
}

export interface PlacedSensor {
  id: string;
  y: number;
  height: number;
  pins: { name: string; y: number }[];
}

export interface PlacedWire {
  wire: Wire;
  path: string;
  /** The straight run before the sensor, where parts and faults sit. */
  run: { x0: number; x1: number; y: number };
  rail: boolean;
}

export interface Harness {
  height: number;
  rails: { name: string; volts: number; y: number }[];
  pins: PlacedPin[];
  folded: { y: number; count: number } | null;
  combHeight: number;
  sensors: PlacedSensor[];
  wires: PlacedWire[];
}

export const layout = { comb: COMB, sensor: SENSOR, rail: RAIL };

const FREE_SHOWN = 2;

/** Lay a rig out. `selected` is the sensor whose pins may want other places: the free ones that could take them show. */
export function harness(rig: Rig, selected: string): Harness {
  const board = rig.rig.board;
  const rails = board.rails.map((rail, i) => ({ ...rail, y: RAIL.top + i * RAIL.gap }));
  const isRail = new Set(rails.map((rail) => rail.name));
  const used = new Set(rig.rig.wires.map((wire) => wire.to));
  const wanted = Object.values(rig.sensors.find((one) => one.id === selected)?.pins ?? {}).flat();
  const couldTake = board.pins.filter(
    (pin) => !used.has(pin.name) && pin.abilities.some((can) => wanted.includes(can)),
  );
  const shown = new Set([...used, ...couldTake.slice(0, FREE_SHOWN).map((pin) => pin.name)]);
  const visible = board.pins.filter((pin) => shown.has(pin.name));
  const pins = visible.map((pin, i) => ({
    name: pin.name,
    abilities: pin.abilities,
    used: used.has(pin.name),
    y: COMB.top + 22 + i * COMB.row,
  }));
  const hidden = board.pins.length - visible.length;
  const foldedY = COMB.top + 22 + pins.length * COMB.row;
  const combHeight = pins.length * COMB.row + (hidden ? 40 : 8);

  const order = new Map(board.pins.map((pin, i) => [pin.name, i]));
  const firstPin = (id: string) =>
    Math.min(...rig.rig.wires.filter((wire) => wire.sensor === id).map((wire) => order.get(wire.to) ?? 99));
  const sorted = [...rig.rig.sensors].sort((a, b) => firstPin(a.id) - firstPin(b.id));
  let y = COMB.top;
  const sensors = sorted.map((sensor) => {
    const mine = rig.rig.wires.filter((wire) => wire.sensor === sensor.id);
    const placed = mine.map((wire, i) => ({ name: wire.pin, y: y + SENSOR.head + 18 + i * SENSOR.row }));
    const height = SENSOR.head + mine.length * SENSOR.row + 10;
    const result = { id: sensor.id, y, height, pins: placed };
    y += height + SENSOR.gap;
    return result;
  });

  return {
    height: Math.max(COMB.top + combHeight, y - SENSOR.gap) + 8,
    rails,
    pins,
    folded: hidden ? { y: foldedY, count: hidden } : null,
    combHeight,
    sensors,
    wires: routes(rig, pins, sensors, rails, isRail),
  };
}

function routes(
  rig: Rig,
  pins: PlacedPin[],
  sensors: PlacedSensor[],
  rails: Harness["rails"],
  isRail: Set<string>,
): PlacedWire[] {
  const pinY = new Map(pins.map((pin) => [pin.name, pin.y]));
  const railY = new Map(rails.map((rail) => [rail.name, rail.y]));
  const end = (wire: Wire) =>
    sensors.find((one) => one.id === wire.sensor)?.pins.find((pin) => pin.name === wire.pin)?.y ?? 0;
  const signals = rig.rig.wires
    .filter((wire) => pinY.has(wire.to))
    .sort((a, b) => (pinY.get(a.to) ?? 0) - (pinY.get(b.to) ?? 0));
  const step = (CHANNELS.to - CHANNELS.from) / Math.max(signals.length - 1, 1);
  let supply = 0;
  return rig.rig.wires.map((wire) => {
    const y1 = end(wire);
    const x1 = SENSOR.left;
    if (isRail.has(wire.to)) {
      const x = SUPPLY_CHANNELS.from - supply++ * SUPPLY_CHANNELS.step;
      const y0 = railY.get(wire.to) ?? 0;
      return { wire, rail: true, path: `M${x} ${y0}V${y1}H${x1}`, run: { x0: x, x1, y: y1 } };
    }
    const y0 = pinY.get(wire.to);
    if (y0 === undefined) {
      return { wire, rail: false, path: `M${x1 - 70} ${y1}H${x1}`, run: { x0: x1 - 200, x1, y: y1 } };
    }
    const place = signals.indexOf(wire);
    // Wires that run down turn the earlier the lower they start, and the other way round: they do not cross.
    const x = y1 >= y0 ? CHANNELS.to - place * step : CHANNELS.from + place * step;
    return {
      wire,
      rail: false,
      path: `M${COMB.width} ${y0}H${x}V${y1}H${x1}`,
      run: { x0: x, x1: x1 - 60, y: y1 },
    };
  });
}

/** Real insulation colours. */
export const WIRE_COLOURS: Record<string, string> = {
  red: "#b5332e",
  orange: "#c9742a",
  yellow: "#c8a018",
  green: "#2f7d4f",
  blue: "#2f5f9e",
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

/** A resistance as people write it. */
export function ohms(value: number): string {
  if (value >= 1e6) return `${value / 1e6}\u2009MΩ`;
  return value >= 1e3 ? `${value / 1e3}\u2009kΩ` : `${value}\u2009Ω`;
}
