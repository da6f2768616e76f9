import type { Sensor } from "../api/client";
import type { Finding } from "./live";

/** Whose a finding is, in the rig's own names; the line's where it is nobody's. */
export function whose(finding: Finding, sensors: Sensor[]): string {
  const name = sensors.find((sensor) => sensor.id === finding.sensor)?.name ?? (finding.sensor || "the line");
  return name.charAt(0).toUpperCase() + name.slice(1);
}

/** A finding as a heading: "Front ranger: readings drop out". */
export function headline(findings: Finding[], sensors: Sensor[]): string {
  const [first] = findings;
  if (!first) return "";
  const more = findings.length - 1;
  return `${whose(first, sensors)}: ${first.title}${more ? `, and ${more} more fault${more > 1 ? "s" : ""}` : ""}`;
}

/** What a recording's name is followed by: its only fault, or how many there are. */
export function wrongIn(findings: Finding[], sensors: Sensor[]): string {
  if (findings.length > 1) return `${findings.length} things look wrong`;
  return headline(findings, sensors)
    .replace(/^./, (letter) => letter.toLowerCase())
    .replace(": ", ", ");
}

/** How sure a finding is, in a word. */
export function sureness(confidence: number): string {
  if (confidence >= 0.95) return "surely";
  return confidence >= 0.9 ? "probably" : "perhaps";
}

/** Findings that concern a sensor: its own, and those of the line. */
export function concerning(findings: Finding[], sensor: string): Finding[] {
  return findings.filter((finding) => finding.sensor === sensor || finding.sensor === "");
}
