import { describe, expect, it } from "vitest";
import type { Rig } from "../api/client";
import { BAND_COLOURS, harness, layout, placeName, targets, twoLines, WIDTH, WIRE_COLOURS, type Wire } from "./harness";

const pin = (name: string, ...abilities: string[]) => ({ name, abilities, code: "", timer: "" });
const BARE = { divider: null, pull_up: null, series: null, fixed: false };
const wire = (sensor: string, name: string, to: string, parts: Partial<Wire> = {}): Wire =>
  ({ sensor, pin: name, to, colour: "green", ...BARE, ...parts }) as Wire;

const PINS = [
  pin("a", "digital"),
  pin("b", "digital"),
  pin("c", "digital", "capture"),
  pin("d", "analogue"),
  pin("e", "digital"),
  pin("f", "digital"),
  pin("g", "digital"),
];
const DIGITAL = ["a", "b", "c", "e", "f", "g"];

function rig(wires: Wire[]): Rig {
  const spec = (name: string, role: string, places: string[]) => ({ name, role, places });
  const part = (id: string, ...signals: string[]) => ({
    id,
    name: id,
    kind_title: "kind",
    pins: [
      spec("supply", "supply", ["5 V"]),
      ...signals.map((name) => spec(name, "output", DIGITAL)),
      spec("ground", "ground", ["ground"]),
    ],
  });
  return {
    rig: {
      wires,
      supplies: [{ name: "battery", volts: 7.4 }],
      board: {
        title: "board",
        rails: [
          { name: "5 V", volts: 5 },
          { name: "ground", volts: 0 },
        ],
        pins: PINS,
      },
    },
    pins: PINS,
    parts: [part("ranger", "trigger", "echo"), part("air", "data")],
    findings: [],
  } as unknown as Rig;
}

const WIRES = [
  wire("ranger", "supply", "5 V"),
  wire("ranger", "trigger", "b"),
  wire("ranger", "echo", "c"),
  wire("ranger", "ground", "ground"),
  wire("air", "supply", "5 V"),
  wire("air", "data", "a"),
  wire("air", "ground", "ground"),
];

/** The straight pieces of a path of M, H and V. */
function pieces(path: string): { x0: number; y0: number; x1: number; y1: number }[] {
  const crossings = [];
  let [x, y] = [0, 0];
  for (const [, command, a, b] of path.matchAll(/([MHV])(-?[\d.]+)(?: (-?[\d.]+))?/g)) {
    const [nx, ny] = command === "M" ? [Number(a), Number(b)] : command === "H" ? [Number(a), y] : [x, Number(a)];
    if (command !== "M")
      crossings.push({ x0: Math.min(x, nx), y0: Math.min(y, ny), x1: Math.max(x, nx), y1: Math.max(y, ny) });
    [x, y] = [nx, ny];
  }
  return crossings;
}

describe("the harness", () => {
  const drawn = harness(rig(WIRES), "ranger");

  it("shows the used pins and free ones that could take the selected part, and counts the rest", () => {
    expect(drawn.pins.filter((pin) => pin.used).map((pin) => pin.name)).toEqual(["a", "b", "c"]);
    expect(drawn.pins.filter((pin) => !pin.used).map((pin) => pin.name)).toEqual(["e", "f", "g"]);
    expect(drawn.folded?.count).toBe(1);
  });

  it("shows every pin while a wire is being moved", () => {
    expect(harness(rig(WIRES), "ranger", WIRES[1]).pins).toHaveLength(PINS.length);
    expect(harness(rig(WIRES), "ranger", WIRES[1]).folded).toBeNull();
  });

  it("draws supply and ground of the selected part, and says those of the others in words", () => {
    const pins = (id: string) => drawn.parts.find((part) => part.id === id)?.pins.map((pin) => pin.name);
    expect(pins("ranger")).toEqual(["supply", "trigger", "echo", "ground"]);
    expect(pins("air")).toEqual(["data"]);
    expect(drawn.parts.find((part) => part.id === "air")?.power).toBe("5 V, ground");
  });

  it("ends every wire at its part's pin, inside the drawing", () => {
    for (const { wire: leading, path } of drawn.wires) {
      const end = pieces(path).at(-1);
      const at = drawn.parts.find((s) => s.id === leading.sensor)?.pins.find((p) => p.name === leading.pin);
      expect(end?.x1).toBe(layout.part.left);
      expect(end?.y1).toBe(at?.y);
      for (const piece of pieces(path)) expect(piece.x1).toBeLessThanOrEqual(WIDTH);
    }
  });

  it("takes supplies from their rail and signals from their pin", () => {
    const rails = new Map(drawn.rails.map((rail) => [rail.name, rail.y]));
    expect([...rails.keys()]).toEqual(["battery", "5 V", "ground"]);
    for (const { wire: leading, path, end } of drawn.wires) {
      const start = Number(/M[\d.]+ ([\d.]+)/.exec(path)?.[1]);
      expect(start).toBe(end ? drawn.pins.find((p) => p.name === leading.to)?.y : rails.get(leading.to));
    }
  });

  it("keeps parts apart, and holds them all", () => {
    for (let i = 1; i < drawn.parts.length; i++) {
      const before = drawn.parts[i - 1];
      expect(drawn.parts[i]?.y).toBeGreaterThan((before?.y ?? 0) + (before?.height ?? 0));
    }
    expect(drawn.height).toBeGreaterThan(drawn.parts.at(-1)?.y ?? 0);
  });

  it("does not let two wires that keep their order cross", () => {
    const down = harness(
      rig([wire("ranger", "trigger", "a"), wire("ranger", "echo", "b"), wire("air", "data", "c")]),
      "air",
    );
    const [first, second] = down.wires.map((placed) => pieces(placed.path));
    for (const a of first ?? [])
      for (const b of second ?? []) {
        const apart = a.x1 < b.x0 || b.x1 < a.x0 || a.y1 < b.y0 || b.y1 < a.y0;
        expect(apart).toBe(true);
      }
  });

  it("lets a wire that is on no pin hang free at its part", () => {
    const loose = harness(rig([wire("ranger", "echo", "")]), "ranger");
    expect(pieces(loose.wires[0]?.path ?? "")).toHaveLength(1);
  });

  it("gives every resistor a place of its own between rail and wire", () => {
    const up = { ohms: 10_000, rail: "5 V", bands: [] };
    const divider = { top_ohm: 1000, bottom_ohm: 2000, tolerance_pct: 5, top_bands: [], bottom_bands: [] };
    const parts = harness(
      rig([
        wire("ranger", "trigger", "a", { pull_up: up }),
        wire("ranger", "echo", "b", { divider }),
        wire("air", "data", "c", { series: { ohms: 390, bands: [] } }),
      ]),
      "ranger",
    );
    const [pulled, divided, inLine] = parts.wires;
    expect(pulled?.shelved?.railY).toBe(parts.rails.find((rail) => rail.name === "5 V")?.y);
    expect(divided?.shelved?.railY).toBe(parts.rails.find((rail) => rail.name === "ground")?.y);
    expect(Math.abs((pulled?.shelved?.x ?? 0) - (divided?.shelved?.x ?? 0))).toBeGreaterThan(40);
    expect(divided?.inLine?.ohms).toBe(1000);
    expect(inLine?.inLine?.y).toBe(inLine?.run.y);
  });
});

it("offers a moving wire the free pins that can take it, and its own", () => {
  expect(targets(rig(WIRES), WIRES[1] as Wire)).toEqual(["b", "e", "f", "g"]);
});

it("names the pin of another part that a wire goes on to", () => {
  expect(placeName(rig(WIRES), "ranger.ground")).toBe("ranger ground");
  expect(["3.3 V", "a", ""].map((to) => placeName(rig(WIRES), to))).toEqual(["3.3 V", "a", "nowhere"]);
});

it("breaks a title at its comma, else between words", () => {
  expect(twoLines("ultrasonic ranger, 4 pins", 24)).toEqual(["ultrasonic ranger,", "4 pins"]);
  expect(twoLines("Hall switch with wheel magnets", 24)).toEqual(["Hall switch with wheel", "magnets"]);
  expect(twoLines("microphone", 24)).toEqual(["microphone"]);
});

it("knows every colour that a wire or a band can have", () => {
  for (const colour of ["red", "orange", "yellow", "green", "blue", "violet", "white", "black"])
    expect(WIRE_COLOURS[colour]).toMatch(/^#/);
  for (const band of ["black", "brown", "red", "orange", "yellow", "green", "blue", "violet", "grey", "white", "gold"])
    expect(BAND_COLOURS[band]).toMatch(/^#/);
});
