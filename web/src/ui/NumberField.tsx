import { useEffect, useId, useRef, useState } from "react";
import { editable, type LengthUnit, typedIn } from "../model/format";
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
  const editingNow = useRef(editing);
  editingNow.current = editing;
  useEffect(() => {
    if (editingNow.current) return; // what is being typed stands
    setText(editable(shownValue));
    setFault("");
  }, [shownValue]);
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
    const read = readAs(next, unit, into);
    const wrong = complaint(read, next);
    setFault(wrong);
    if (!wrong && read !== null) onChange(read);
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
        onBlur={() => {
          setEditing(false);
          if (!fault) setText(editable(shownValue)); // what is wrong stays, with what is wrong about it
        }}
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

/** What was typed, in the unit of the value; null when it is no number. */
function readAs(text: string, unit: string, into: Into | undefined): number | null {
  if (unit === "mm") return typedIn(text, unit, (into?.unit ?? "mm") as LengthUnit);
  const number = typedIn(text, unit);
  return number === null || !into ? number : into.back(number);
}
