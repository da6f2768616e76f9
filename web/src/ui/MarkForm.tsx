import { type FormEvent, type ReactNode, useId, useState } from "react";
import type { Mark, Schemas, Sensor } from "../api/client";
import { type MarkFault, type MarkSaid, type MarkTime, markSaid, markTyped } from "../model/markTyped";
import styles from "./MarkForm.module.css";

interface Props {
  sensors: Sensor[];
  selected: Sensor;
  mark?: Mark;
  times: MarkTime[];
  keep: string;
  onKeep: (words: MarkSaid) => void;
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
  const [form, setForm] = useState(() => markTyped(mark, selected.id, times));
  const [fault, setFault] = useState<MarkFault | null>(null);
  const change = (more: Partial<typeof form>) => setForm({ ...form, ...more });
  const sensor = sensors.find((sensor) => sensor.id === form.about);
  const unit = truth?.unit ?? sensor?.unit ?? "";
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const words = markSaid(form, times, { quantity: truth?.quantity ?? sensor?.quantity ?? "value", unit });
    setFault("field" in words ? words : null);
    if (!("field" in words)) onKeep(words);
  };
  return (
    <form className={styles.markForm} onSubmit={submit}>
      <label htmlFor={`${id}-label`}>Words</label>
      <input
        id={`${id}-label`}
        value={form.label}
        placeholder="white, black, 20 cm, nose up …"
        onChange={(event) => change({ label: event.target.value })}
      />
      <label htmlFor={`${id}-about`}>About</label>
      <select id={`${id}-about`} value={form.about} onChange={(event) => change({ about: event.target.value })}>
        <option value="">all sensors</option>
        {sensors.map((sensor) => (
          <option key={sensor.id} value={sensor.id}>
            {sensor.name}
          </option>
        ))}
      </select>
      {times.map((time, place) => (
        <Field key={time.label} id={`${id}-${time.label}`} label={time.label}>
          <input
            id={`${id}-${time.label}`}
            inputMode="decimal"
            value={form.times[place]}
            onChange={(event) =>
              change({ times: form.times.map((old, other) => (other === place ? event.target.value : old)) })
            }
          />{" "}
          s <Fault fault={fault} of={time.label} />
        </Field>
      ))}
      {sensor && (
        <Field id={`${id}-truth`} label="Really was">
          <input
            id={`${id}-truth`}
            inputMode="decimal"
            value={form.value}
            onChange={(event) => change({ value: event.target.value })}
          />{" "}
          ±{" "}
          <input
            aria-label="give or take"
            inputMode="decimal"
            value={form.spread}
            onChange={(event) => change({ spread: event.target.value })}
          />{" "}
          {unit} <Fault fault={fault} of="truth" /> <Fault fault={fault} of="spread" />
        </Field>
      )}
      <Conditions id={id} conditions={form.conditions} onChange={(conditions) => change({ conditions })} />
      <p className={styles.markButtons}>
        <button type="submit" className="act act-first">
          {keep}
        </button>
        <button type="button" className="act" onClick={onLeave}>
          Cancel
        </button>
      </p>
    </form>
  );
}

function Field({ id, label, children }: { id: string; label: string; children: ReactNode }) {
  return (
    <div className={styles.markField}>
      <label htmlFor={id}>{label}</label>
      <span>{children}</span>
    </div>
  );
}

function Fault({ fault, of }: { fault: MarkFault | null; of: string }) {
  if (fault?.field !== of) return null;
  return (
    <span className="field-fault" role="alert">
      {fault.text}
    </span>
  );
}

interface ConditionsProps {
  id: string;
  conditions: Record<string, string>;
  onChange: (conditions: Record<string, string>) => void;
}

/** Under what conditions it was so: those that are known here, and whatever else the mark has. */
function Conditions({ id, conditions, onChange }: ConditionsProps) {
  const more = Object.keys(conditions).filter((name) => !KNOWN.some((known) => known.name === name));
  return [...KNOWN, ...more.map((name) => ({ name, label: name, unit: "" }))].map((known) => (
    <Field key={known.name} id={`${id}-${known.name}`} label={known.label}>
      <input
        id={`${id}-${known.name}`}
        value={conditions[known.name] ?? ""}
        placeholder={known.name === "lamp" ? "on, off" : ""}
        onChange={(event) => onChange({ ...conditions, [known.name]: event.target.value })}
      />{" "}
      {known.unit}
    </Field>
  ));
}
