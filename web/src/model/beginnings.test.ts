import { expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { beginnings, startName } from "./beginnings";

const part = (kind: string, family = "distance") => ({ id: kind, name: `the ${kind}`, kind, family });
const template = (id: string, title: string, ...parts: object[]) =>
  ({ id, title, board: "", drawn: { parts } }) as unknown as Schemas["TemplateLine"];
const all = [
  template("A", "ranger and row, both", part("ranger"), part("row", "surface")),
  template("B", "ranger that stops", part("ranger"), part("led", "output")),
  template("C", "a wheel", part("hall", "turning")),
];

it("shows all templates while nothing is chosen, with nothing more to need", () => {
  expect(beginnings(all, []).map(({ id, more }) => [id, more])).toEqual([
    ["A", []],
    ["B", []],
    ["C", []],
  ]);
});

it("shows those that use what lies there, first those that need no other sensor", () => {
  expect(beginnings(all, ["ranger"]).map(({ id, more }) => [id, more])).toEqual([
    ["B", []],
    ["A", ["the row"]],
  ]);
  expect(beginnings(all, ["microphone"])).toEqual([]);
  expect(beginnings(all, [])[1]?.title).toBe("Ranger that stops");
});

it("names a rig by what it begins with", () => {
  const lists = { templates: all, kinds: [{ id: "row", title: "line row, 1 to 8" }] } as unknown as Schemas["Lists"];
  expect(startName(lists, "B", "")).toBe("Ranger");
  expect(startName(lists, "", "row")).toBe("Line row");
  expect(startName(undefined, "", "row")).toBe("Bench");
});
