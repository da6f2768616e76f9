import { useState } from "react";
import type { Schemas, Whole } from "../api/client";
import { few, typed } from "../model/format";

type Meaning = Whole<Schemas["MeaningModel"]>;
type Target = Schemas["TargetModel"];

const TIMES = [
  { value: "time:1", title: "the time, µs" },
  { value: "time:1000", title: "the time, ms" },
  { value: "time:1000000", title: "the time, s" },
];

interface Props {
  name: string;
  meaning: Meaning | null;
  targets: Target[];
  unknown?: string;
  marks?: boolean;
  onSay: (asked: Schemas["MeaningModel"]) => void;
}

/** What a label or a column means, to be chosen among everything that it can be. */
export function MeaningChoice({ name, meaning, targets, unknown = "nobody knows", marks = false, onSay }: Props) {
  const say = (change: Partial<Meaning>) =>
    onSay({ role: "ignored", sensor: "", channel: "", factor: 1, zero: 0, unit_us: null, ...change });
  const choose = (value: string) => {
    if (value === "" || value === "command" || value === "time:") return;
    if (value === "ignored" || value === "mark") return say({ role: value });
    if (value.startsWith("time:")) return say({ role: "time", unit_us: Number(value.slice(5)) });
    const [sensor = "", channel = ""] = value.split("|");
    say({ role: "channel", sensor, channel });
  };
  const now =
    meaning === null
      ? ""
      : meaning.role === "time"
        ? `time:${meaning.unit_us ?? ""}`
        : meaning.role === "channel"
          ? `${meaning.sensor}|${meaning.channel}`
          : meaning.role;
  return (
    <select aria-label={`What ${name} means`} value={now} onChange={(event) => choose(event.target.value)}>
      <option value="">{unknown}</option>
      {targets.map((target) => (
        <option key={`${target.sensor}|${target.channel}`} value={`${target.sensor}|${target.channel}`}>
          {target.title}
          {target.unit && `, ${target.unit}`}
        </option>
      ))}
      {now === "time:" && <option value="time:">the time: in what?</option>}
      {TIMES.map((time) => (
        <option key={time.value} value={time.value}>
          {time.title}
        </option>
      ))}
      {marks && <option value="mark">what was true there</option>}
      {now === "command" && <option value="command">what the program commands</option>}
      <option value="ignored">nothing: leave it out</option>
    </select>
  );
}

interface FactorProps {
  label: string;
  factor: number;
  zero: number;
  unit: string;
  onChange: (factor: number) => void;
}

/** What a printed number is multiplied by to be the raw one: kept when the field is left. */
export function Factor({ label, factor, zero, unit, onChange }: FactorProps) {
  const [text, setText] = useState(String(Number(factor.toPrecision(6))));
  const read = typed(text);
  const wrong = read === null || read === 0;
  const keep = () => {
    if (!wrong && read !== factor) onChange(read);
  };
  return (
    <>
      <input
        aria-label={`${label} times`}
        inputMode="decimal"
        value={text}
        aria-invalid={wrong}
        onChange={(event) => setText(event.target.value)}
        onBlur={keep}
        onKeyDown={(event) => event.key === "Enter" && keep()}
      />{" "}
      {zero !== 0 && <small>+ {few(zero)} </small>}
      <small>{unit}</small>
      {wrong && (
        <span className="field-fault" role="alert">
          A number other than 0.
        </span>
      )}
    </>
  );
}
