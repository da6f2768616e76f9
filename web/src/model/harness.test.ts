import { describe, expect, it } from "vitest";
import type { Rig } from "../api/client";
import { BAND_COLOURS, harness, layout, ohms, WIDTH, WIRE_COLOURS } from "./harness";

const pin = (name: string, ...abilities: string[]) => ({ name, abilities });
const wire = (sensor: string, name: string, to: string, colour = "green") => ({
  sensor,
  pin: name,
  to,
  colour,
  divider: null,
  pull_up: null,
});

function rig(wires: ReturnType<typeof wire>[]): Rig {
  const sensors = [
    { id: "ranger", kind: "k", name: "ranger" },
    { id: "air", kind: "k", name: "air" },
  ];
  return {
    rig: {
      title: "Fern",
      purpose: "",
      schema: 1,
      sensors,
      wires,
      board: {
        kind: "b",
        title: "board",
        logic_v: 5,
        limit_v: 5,
        high_level_v: 3,
        low_level_v: 1,
        supply_ma: 400,
        adc_bits: null,
        adc_reference_v: null,
        rails: [
          { name: "5 V", volts: 5 },
          { name: "ground", volts: 0 },
        ],
        pins: [
          pin("a", "digital"),
          pin("b", "digital"),
          pin("c", "digital", "capture"),
          pin("d", "analogue"),
          pin("e", "digital"),
          pin("f", "digital"),
          pin("g", "digital"),
        ],
      },
    },
    sensors: sensors.map((one) => ({ ...one, pins: { echo: ["capture", "digital"], trigger: ["digital"] } })),
  } as unknown as Rig;
}

const WIRES = [
  wire("ranger", "supply", "5 V"),
  wire("ranger", "trigger", "b"),
  wire("ranger", "echo", "c"),
  wire("ranger", "ground", "ground"),
  wire("air", "data", "a"),
];

/** The straight pieces of a path of M, H and V. */
function pieces(path: string): { x0: number; y0: number; x1: number; y1: number }[] {
  const found = [];
  let [x, y] = [0, 0];
  for (const [, command, a, b] of path.matchAll(/([MHV])(-?[\d.]+)(?: (-?[\d.]+))?/g)) {
    const [nx, ny] = command === "M" ? [Number(a), Number(b)] : command === "H" ? [Number(a), y] : [x, Number(a)];
    if (command !== "M")
      found.push({ x0: Math.min(x, nx), y0: Math.min(y, ny), x1: Math.max(x, nx), y1: Math.max(y, ny) });
    [x, y] = [nx, ny];
  }
  return found;
}

describe("the harness", () => {
  const drawn = harness(rig(WIRES), "ranger");

  it("shows the used pins and a few free ones that could take the selected sensor, and counts the rest", () => {
    expect(drawn.pins.filter((one) => one.used).map((one) => one.name)).toEqual(["a", "b", "c"]);
    expect(drawn.pins.filter((one) => !one.used).map((one) => one.name)).toEqual(["e", "f"]);
    expect(drawn.folded?.count).toBe(2);
  });

  it("ends every wire at its sensor's pin, inside the drawing", () => {
    for (const { wire: one, path } of drawn.wires) {
      const end = pieces(path).at(-1);
      const at = drawn.sensors.find((s) => s.id === one.sensor)?.pins.find((p) => p.name === one.pin);
      expect(end?.x1).toBe(layout.sensor.left);
      expect(end?.y1).toBe(at?.y);
      for (const piece of pieces(path)) expect(piece.x1).toBeLessThanOrEqual(WIDTH);
    }
  });

  it("takes supplies from their rail and signals from their pin", () => {
    const rails = new Map(drawn.rails.map((rail) => [rail.name, rail.y]));
    for (const { wire: one, path, rail } of drawn.wires) {
      const start = Number(/M[\d.]+ ([\d.]+)/.exec(path)?.[1]);
      expect(start).toBe(rail ? rails.get(one.to) : drawn.pins.find((p) => p.name === one.to)?.y);
    }
  });

  it("keeps sensors apart", () => {
    for (let i = 1; i < drawn.sensors.length; i++) {
      const before = drawn.sensors[i - 1];
      expect(drawn.sensors[i]?.y).toBeGreaterThan((before?.y ?? 0) + (before?.height ?? 0));
    }
    expect(drawn.height).toBeGreaterThan(drawn.sensors.at(-1)?.y ?? 0);
  });

  it("does not let two wires that keep their order cross", () => {
    const down = harness(
      rig([wire("ranger", "trigger", "a"), wire("ranger", "echo", "b"), wire("air", "data", "c")]),
      "air",
    );
    const [one, two] = down.wires.map((placed) => pieces(placed.path));
    for (const a of one ?? [])
      for (const b of two ?? []) {
        const apart = a.x1 < b.x0 || b.x1 < a.x0 || a.y1 < b.y0 || b.y1 < a.y0;
        expect(apart).toBe(true);
      }
  });

  it("lets a wire that is on no pin hang free at its sensor", () => {
    const loose = harness(rig([wire("ranger", "echo", "")]), "ranger");
    expect(pieces(loose.wires[0]?.path ?? "")).toHaveLength(1);
  });
});

it("writes resistances as people do", () => {
  expect([ohms(220), ohms(4700), ohms(10_000), ohms(1e6)].map((text) => text.replace("\u2009", " "))).toEqual([
    "220 Ω",
    "4.7 kΩ",
    "10 kΩ",
    "1 MΩ",
  ]);
});

it("knows every colour that a wire or a band can have", () => {
  for (const colour of ["red", "orange", "yellow", "green", "white", "black"])
    expect(WIRE_COLOURS[colour]).toMatch(/^#/);
  for (const band of [
    "black",
    "brown",
    "red",
    "orange",
    "yellow",
    "green",
    "blue",
    "violet",
    "grey",
    "white",
    "gold",
  ]) {
    expect(BAND_COLOURS[band]).toMatch(/^#/);
  }
});
