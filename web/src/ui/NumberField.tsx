import { useEffect, useId, useState } from "react";
import { editable, typed } from "../model/format";
import type { Into } from "../model/units";

interface Props {
  label: string;
  value: number;
  unit: string;
  into?: Into;
  low?: number;
  high?: number;
  onChange: (value: number) => void;
  hideLabel?: boolean;
}

/** A number that is typed, in the unit it is shown in: what cannot be is refused with a sentence at the field, and what
 * was typed stays. */
export function NumberField({ label, value, unit, into, low, high, onChange, hideLabel }: Props) {
  const id = useId();
  const shownValue = into ? into.to(value) : value;
  const [text, setText] = useState(editable(shownValue));
  const [editing, setEditing] = useState(false);
  const [fault, setFault] = useState("");
  useEffect(() => {
    if (!editing) setText(editable(shownValue));
  }, [shownValue, editing]);
  const shownUnit = into?.unit ?? unit;
  const complaint = (read: number | null, text: string): string => {
    if (read === null) return `“${text}” is not a number.`;
    const bound = (value: number) => `${editable(into ? into.to(value) : value)} ${shownUnit}`.trim();
    if (low !== undefined && read < low) return `${label} cannot be below ${bound(low)}.`;
    if (high !== undefined && read > high) return `${label} cannot be above ${bound(high)}.`;
    return "";
  };
  const take = (next: string): void => {
    setText(next);
    const number = typed(next);
    const read = number === null || !into ? number : into.back(number);
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
