import { describe, expect, it } from "vitest";
import {
  decimalsFor,
  few,
  figure,
  inLines,
  lengthText,
  lengthTyped,
  moment,
  ohms,
  ohmsTyped,
  shown,
  typed,
  typedIn,
} from "./format";

describe("digits follow the uncertainty", () => {
  it.each([
    [2.6, 1],
    [1.2, 1],
    [0.6, 1],
    [0.12, 2],
    [31, 0],
    [0, 3],
  ])("± %f gives %i decimals", (plusMinus, decimals) => {
    expect(decimalsFor(plusMinus, 3)).toBe(decimals);
  });
});

describe("figures", () => {
  it("groups thousands with thin spaces and uses a true minus", () => {
    expect(figure(-1748.25, 1)).toBe("\u22121\u2009748.3");
  });
  it("gives a number of which nothing else is known only the digits it has", () => {
    expect(shown(0.4, "m/s", null, "mm").text).toBe("0.4");
    expect(shown(23.9, "°C", null, "mm", 1).text).toBe("23.9");
  });
  it("says no more figures than a number is worth", () => {
    expect([few(1_875_000), few(28.61), few(0.00213), few(100), few(0)]).toEqual([
      "1\u2009875\u2009000",
      "28.6",
      "0.0021",
      "100",
      "0",
    ]);
  });
  it("never writes minus zero", () => {
    expect(figure(-0.04, 1)).toBe("0.0");
  });
  it("shows lengths in the chosen unit, with the same digits for both", () => {
    expect(shown(302.04, "mm", 2.6, "cm")).toEqual({ text: "30.20", unit: "cm", plusMinus: "0.26" });
    expect(shown(349.1, "m/s", 0.6, "in").unit).toBe("m/s");
    expect(lengthText(254, "in")).toBe("10.00\u2009in");
  });
});

describe("typing", () => {
  it("understands what people type", () => {
    expect(typed(" 1 457,5 ")).toBe(1457.5);
    expect(typed("\u22123.1")).toBe(-3.1);
    expect(lengthTyped("12", "cm")).toBe(120);
  });
  it("takes the unit that stands behind a length", () => {
    expect(["20.45 m", "2045cm", "20450 mm", "20450", "2,5 in", '2.5"'].map((text) => lengthTyped(text, "mm"))).toEqual(
      [20450, 20450, 20450, 20450, 63.5, 63.5],
    );
    expect(lengthTyped("3 m", "cm")).toBe(3000);
    expect(lengthTyped("3 km", "mm")).toBeNull();
    expect(lengthTyped("m", "mm")).toBeNull();
  });
  it("takes resistances as they are written at a bench", () => {
    const texts = ["4700", "4.7k", "4k7", "4,7 kΩ", "220R", "4R7", "1M", "2M2", "0.1", "k47"];
    expect(texts.map(ohmsTyped)).toEqual([4700, 4700, 4700, 4700, 220, 4.7, 1e6, 2.2e6, 0.1, 470]);
    for (const text of ["", "k", "4.7k7", "4kk7", "abc", "4m7"]) expect(ohmsTyped(text)).toBeNull();
    expect([typedIn("4k7", "Ω"), typedIn("4k7", "V"), typedIn("12 cm", "mm", "in")]).toEqual([4700, null, 120]);
  });
  it("refuses what is no number", () => {
    for (const text of ["", "12 mm", "1e999", "NaN", "--3"]) expect(typed(text)).toBeNull();
  });
});

it("says when, as a person does", () => {
  const now = new Date("2026-05-05T15:00:00");
  expect(moment("2026-05-05T14:20:00", now)).toBe("today 14:20");
  expect(moment("2026-05-04T09:05:00", now)).toBe("yesterday 09:05");
});

it("writes resistances as people do", () => {
  expect([ohms(220), ohms(4700), ohms(10_000), ohms(1e6)].map((text) => text.replace("\u2009", " "))).toEqual([
    "220 Ω",
    "4.7 kΩ",
    "10 kΩ",
    "1 MΩ",
  ]);
});

it("breaks a name between words and cuts what is too long", () => {
  expect(inLines("front ranger, raw", 16, 2)).toEqual(["front ranger,", "raw"]);
  expect(inLines("wheel", 16, 2)).toEqual(["wheel"]);
  expect(inLines("the left of three rangers under the tray", 16, 2)).toEqual(["the left of", "three rangers…"]);
  expect(inLines("unbreakablethermometer", 16, 2)).toEqual(["unbreakablether…"]);
});
