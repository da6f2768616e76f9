import { expect, it } from "vitest";
import { troubleOf } from "./trouble";

const WELL = {
  ok: true,
  database: true,
  standin: true,
  demo: false,
  unwell: [],
  waiting: 0,
  disk: "enough",
  disk_free: 9e9,
};
const RECORDS = { store_away: true };
const server = [{ name: "the database server", crashes: 1, trouble: "" }];

it("says nothing while all is well", () => {
  expect(troubleOf(true, WELL, null)).toBe("");
  expect(troubleOf(true, undefined, { store_away: false })).toBe("");
});

it.each([
  [false, WELL, null, "Tick Stone itself does not answer"],
  [true, { ...WELL, database: false }, null, "The database is away. Nothing is lost."],
  [true, { ...WELL, database: false, unwell: server }, null, "The database server stopped and is started again."],
  [true, { ...WELL, database: false, waiting: 1820 }, RECORDS, "away. 1\u2009820 readings wait in a file"],
  [true, WELL, RECORDS, "The database is away. Recording goes on"],
  [
    true,
    { ...WELL, disk: "full", waiting: 12 },
    RECORDS,
    "The disk is full. 12 readings wait in a file beside the data. Make",
  ],
  [true, { ...WELL, waiting: 12 }, null, "12 readings wait in a file beside the data. They are being stored."],
  [true, { ...WELL, unwell: [{ name: "flush", crashes: 1, trouble: "" }] }, null, "crashed and is begun again: flush"],
  [true, { ...WELL, disk: "low", disk_free: 1.9e9 }, null, "only 1.9\u2009GB left: make room before it is full"],
  [true, { ...WELL, disk: "very-low", disk_free: 4.2e8 }, null, "only 420\u2009MB left: make room before you record"],
])("says the worst first: %#", (app, health, recording, words) => {
  expect(troubleOf(app, health, recording)).toContain(words);
});
