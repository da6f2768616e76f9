import type { Sensor } from "../api/client";
import { headline } from "./findings";
import { figure, plainDecimals, THIN } from "./format";
import type { FeedNow, SensorNow } from "./live";
import { into, type Units } from "./units";

/** Whether a source is open and there. */
export function isOn(now: FeedNow): boolean {
  return now.status === "live" || now.status === "silent";
}

/** The heading of the live view: what the selected sensor says, or why there is nothing to say. */
export function heading(sensors: Sensor[], sensor: Sensor, opening: boolean, now: FeedNow): string {
  if (opening) return "Looking for readings";
  if (now.status === "lost") return "The board was unplugged: waiting for it";
  if (now.status === "idle") return now.why ? now.why.replace(/\.$/, "") : "Nothing is connected yet";
  if (now.advice) return "What comes is no text: another baud?";
  const first = now.sensors[sensor.id];
  if (now.status === "silent" && !first?.readings) return `${now.source} is connected but says nothing`;
  if (!first || first.readings === 0) return `Waiting for the ${sensor.name}`;
  if (now.findings.length) return headline(now.findings, sensors);
  const sentence = first.sentence.replace(/\.$/, "");
  const silent = sensors.filter((sensor) => (now.sensors[sensor.id]?.readings ?? 0) === 0);
  if (!silent.length) return sentence;
  const others = silent.length > 1 ? `${silent.length} others say` : `the ${silent[0]?.name} says`;
  return `${sentence}; ${others} nothing yet`;
}

/** A value in the unit that the person chose, with the kind's own decimals. */
export function valueText(value: number, sensor: Sensor, units: Units): { text: string; unit: string } {
  const way = into(sensor.unit, sensor.quantity, units);
  return { text: figure(way.to(value), way.decimals ?? sensor.digits), unit: way.unit };
}

/** The raw numbers of a sensor as one line: "182 171 612 664 240 counts", "41.2 ms", "101". */
export function rawText(sensor: Sensor, seen: SensorNow | undefined): string {
  const parts = sensor.asks.flatMap((ask) => {
    const number = seen?.asked[ask.name];
    if (number === null || number === undefined) return [];
    if (ask.choices.length) return [{ text: ask.choices[number] ?? String(number), unit: "" }];
    const long = ask.unit === "µs" && ask.name === "period" && number >= 1000;
    const shown = long ? number / 1000 : number;
    const digits = long ? 1 : Math.max(ask.digits, Number.isInteger(shown) ? 0 : Math.min(1, plainDecimals(shown)));
    return [{ text: figure(shown, digits), unit: long ? "ms" : ask.unit }];
  });
  if (!parts.length) return "no reading";
  const units = new Set(parts.map((part) => part.unit));
  if (units.size === 1) return `${parts.map((part) => part.text).join(" ")}${THIN}${parts[0]?.unit ?? ""}`.trim();
  return parts.map((part) => `${part.text}${part.unit ? THIN + part.unit : ""}`).join("  ");
}
