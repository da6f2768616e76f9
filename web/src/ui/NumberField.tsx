import { useEffect, useId, useState } from "react";
import { editable, type LengthUnit, lengthTyped, typed } from "../model/format";

interface Props {
  label: string;
  value: number;
  unit: string;
  length?: LengthUnit;
  low?: number;
  high?: number;
  onChange: (value: number) => void;
  hideLabel?: boolean;
}

/** A number that is typed: what cannot be is refused with a sentence at the field, and what was typed stays. */
export function NumberField({ label, value, unit, length, low, high, onChange, hideLabel }: Props) {
  const id = useId();
  const [text, setText] = useState(editable(value, length));
  const [editing, setEditing] = useState(false);
  const [fault, setFault] = useState("");
  useEffect(() => {
    if (!editing) setText(editable(value, length));
  }, [value, length, editing]);
  const shownUnit = length ?? unit;
  const complaint = (read: number | null, text: string): string => {
    if (read === null) return `“${text}” is not a number.`;
    const per = length ? (lengthTyped("1", length) ?? 1) : 1;
    if (low !== undefined && read < low) return `${label} cannot be below ${editable(low / per)} ${shownUnit}.`;
    if (high !== undefined && read > high) return `${label} cannot be above ${editable(high / per)} ${shownUnit}.`;
    return "";
  };
  const take = (next: string): void => {
    setText(next);
    const read = length ? lengthTyped(next, length) : typed(next);
    const said = complaint(read, next);
    setFault(said);
    if (!said && read !== null) onChange(read);
  };
  return (
    <span className="number-field">
      <label htmlFor={id} className={hideLabel ? "visually-hidden" : undefined}>
        {label}
      </label>
      <input
        id={id}
        inputMode="decimal"
        value={text}
        onFocus={() => setEditing(true)}
        onBlur={() => setEditing(false)}
        onChange={(event) => take(event.target.value)}
        aria-invalid={fault !== ""}
        aria-describedby={fault ? `${id}-fault` : undefined}
      />
      <span className="unit">{shownUnit}</span>
      {fault && (
        <span id={`${id}-fault`} className="field-fault" role="alert">
          {fault}
        </span>
      )}
    </span>
  );
}
