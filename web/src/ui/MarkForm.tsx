import { type FormEvent, useId, useState } from "react";
import type { Mark, Schemas, Sensor } from "../api/client";
import { editable, typed } from "../model/format";
import styles from "./MarkForm.module.css";

export interface MarkSaid {
  label: string;
  sensor: string | null;
  truth: Schemas["TruthModel"] | null;
  conditions: Record<string, string | number>;
  times: number[];
}

interface Props {
  sensors: Sensor[];
  selected: Sensor;
  mark?: Mark;
  times: { label: string; value: string; needed: boolean }[];
  keep: string;
  onKeep: (said: MarkSaid) => void;
  onLeave: () => void;
}

const KNOWN = [
  { name: "lamp", label: "Lamp", unit: "" },
  { name: "height_mm", label: "Height", unit: "mm" },
  { name: "supply_v", label: "Supply", unit: "V" },
];

/** What a mark says: its words, what was really so there, and under what conditions. What was typed stays on a fault. */
export function MarkForm({ sensors, selected, mark, times, keep, onKeep, onLeave }: Props) {
  const id = useId();
  const truth = mark?.truth as Schemas["TruthModel"] | null | undefined;
  const [label, setLabel] = useState(mark?.label ?? "");
  const [about, setAbout] = useState(mark ? (mark.sensor ?? "") : selected.id);
  const [at, setAt] = useState(times.map((one) => one.value));
  const [value, setValue] = useState(truth ? editable(truth.value) : "");
  const [spread, setSpread] = useState(truth?.sd ? editable(2 * truth.sd) : "");
  const [conditions, setConditions] = useState<Record<string, string>>(
    Object.fromEntries(Object.entries(mark?.conditions ?? {}).map(([name, said]) => [name, String(said)])),
  );
  const [fault, setFault] = useState<[string, string] | null>(null);
  const sensor = sensors.find((one) => one.id === about);
  const unit = truth?.unit ?? sensor?.unit ?? "";
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const read: number[] = [];
    for (const [place, time] of times.entries()) {
      const text = at[place] ?? "";
      const number = typed(text);
      if (number === null && (time.needed || text.trim()))
        return setFault([time.label, "Write it in seconds, such as 12.5."]);
      read.push(number ?? Number.NaN);
    }
    const what = value.trim() ? typed(value) : null;
    if (value.trim() && what === null) return setFault(["truth", `“${value}” is not a number.`]);
    const plusMinus = spread.trim() ? typed(spread) : null;
    if (spread.trim() && (plusMinus === null || plusMinus < 0))
      return setFault(["spread", "± is a number above zero."]);
    setFault(null);
    onKeep({
      label: label.trim(),
      sensor: about || null,
      truth:
        what === null
          ? null
          : {
              quantity: truth?.quantity ?? sensor?.quantity ?? "value",
              value: what,
              unit,
              sd: plusMinus === null ? null : plusMinus / 2,
            },
      conditions: Object.fromEntries(
        Object.entries(conditions)
          .filter(([, said]) => said.trim())
          .map(([name, said]) => [name, typed(said) ?? said.trim()]),
      ),
      times: read,
    });
  };
  const wrong = (name: string) =>
    fault?.[0] === name && (
      <span className="field-fault" role="alert">
        {fault[1]}
      </span>
    );
  return (
    <form className={styles.markForm} onSubmit={submit}>
      <label htmlFor={`${id}-label`}>Words</label>
      <input
        id={`${id}-label`}
        value={label}
        placeholder="white, black, 20 cm, nose up …"
        onChange={(event) => setLabel(event.target.value)}
      />
      <label htmlFor={`${id}-about`}>About</label>
      <select id={`${id}-about`} value={about} onChange={(event) => setAbout(event.target.value)}>
        <option value="">all sensors</option>
        {sensors.map((one) => (
          <option key={one.id} value={one.id}>
            {one.name}
          </option>
        ))}
      </select>
      {times.map((time, place) => (
        <div className={styles.markField} key={time.label}>
          <label htmlFor={`${id}-${time.label}`}>{time.label}</label>
          <span>
            <input
              id={`${id}-${time.label}`}
              inputMode="decimal"
              value={at[place]}
              onChange={(event) => setAt(at.map((old, other) => (other === place ? event.target.value : old)))}
            />{" "}
            s {wrong(time.label)}
          </span>
        </div>
      ))}
      {sensor && (
        <div className={styles.markField}>
          <label htmlFor={`${id}-truth`}>Really was</label>
          <span>
            <input
              id={`${id}-truth`}
              inputMode="decimal"
              value={value}
              onChange={(event) => setValue(event.target.value)}
            />{" "}
            ±{" "}
            <input
              aria-label="give or take"
              inputMode="decimal"
              value={spread}
              onChange={(event) => setSpread(event.target.value)}
            />{" "}
            {unit} {wrong("truth")} {wrong("spread")}
          </span>
        </div>
      )}
      {[
        ...KNOWN,
        ...Object.keys(conditions)
          .filter((name) => !KNOWN.some((one) => one.name === name))
          .map((name) => ({ name, label: name, unit: "" })),
      ].map((one) => (
        <div className={styles.markField} key={one.name}>
          <label htmlFor={`${id}-${one.name}`}>{one.label}</label>
          <span>
            <input
              id={`${id}-${one.name}`}
              value={conditions[one.name] ?? ""}
              placeholder={one.name === "lamp" ? "on, off" : ""}
              onChange={(event) => setConditions({ ...conditions, [one.name]: event.target.value })}
            />{" "}
            {one.unit}
          </span>
        </div>
      ))}
      <p className={styles.markButtons}>
        <button type="submit" className="act act-first">
          {keep}
        </button>
        <button type="button" className="act" onClick={onLeave}>
          Leave it
        </button>
      </p>
    </form>
  );
}
