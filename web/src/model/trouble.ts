import type { Schemas } from "../api/client";
import { figure, THIN } from "./format";

type Health = Schemas["Health"];
type RecordingNow = Pick<Schemas["RecordingNow"], "store_away">;

const SERVER = "the database server";

/** What is the matter, the worst first; empty when nothing is. */
export function troubleOf(app: boolean, health: Health | undefined, recording: RecordingNow | null): string {
  if (!app) return "Tick Stone itself does not answer. Start it again; this page goes on by itself.";
  const waiting = health?.waiting ?? 0;
  const kept = waiting > 0 ? ` ${figure(waiting, 0)} readings wait in a file beside the data.` : "";
  if (health?.disk === "full")
    return `The disk is full.${kept} Make room: ${recording ? "recording goes on, and" : "everything goes on, and"} what waits is stored then.`;
  if (health?.database === false || recording?.store_away) {
    const own = health?.unwell.some(({ name }) => name === SERVER) ?? false;
    const how = own ? "The database server stopped and is started again." : "The database is away.";
    return `${how}${kept || (recording ? "" : " Nothing is lost.")} ${recording ? "Recording goes on; the counter stands until it is back." : "This page goes on by itself when it is back."}`;
  }
  if (kept) return `${kept.trim()} They are being stored.`;
  if (health?.unwell.length)
    return `A part of Tick Stone crashed and is begun again: ${health.unwell.map(({ name }) => name).join(", ")}. The log in the data folder says why.`;
  if (health?.disk === "very-low") return `${freeOf(health)}: make room before you record on.`;
  if (health?.disk === "low") return `${freeOf(health)}: make room before it is full.`;
  return "";
}

function freeOf({ disk_free }: Health): string {
  const words = disk_free < 1e9 ? `${figure(disk_free / 1e6, 0)}${THIN}MB` : `${figure(disk_free / 1e9, 1)}${THIN}GB`;
  return `The disk of the data has only ${words} left`;
}
