import { useId, useState } from "react";
import { editable, typedIn } from "../model/format";

interface Props {
  label: string;
  value: number | null;
  onChange: (value: number | null) => void;
  unit?: string;
  low?: number;
  needed?: boolean;
  onFault?: (faulty: boolean) => void;
  disabled?: boolean;
}

/** A number in a table; an empty cell is none. What cannot be stays in the cell, is said in words and not taken. */
export function Cell({ label, value, onChange, unit = "", low, needed = false, onFault, disabled }: Props) {
  const id = useId();
  const [text, setText] = useState(value === null ? "" : editable(value));
  const [fault, setFault] = useState("");
  const complaint = (typed: string, number: number | null): string => {
    if (typed.trim() === "") return needed ? `${label}: a number is missing.` : "";
    if (number === null) return `“${typed}” is not a number.`;
    return low !== undefined && number < low ? `It cannot be below ${low}.` : "";
  };
  const take = (typed: string) => {
    setText(typed);
    const number = typedIn(typed, unit);
    const wrong = complaint(typed, number);
    if ((wrong !== "") !== (fault !== "")) onFault?.(wrong !== "");
    setFault(wrong);
    if (!wrong) onChange(typed.trim() === "" ? null : number);
  };
  return (
    <>
      <input
        className="cell"
        inputMode="decimal"
        aria-label={label}
        aria-invalid={fault !== ""}
        aria-describedby={fault ? `${id}-fault` : undefined}
        value={text}
        disabled={disabled}
        onChange={(event) => take(event.target.value)}
      />
      {fault && (
        <span id={`${id}-fault`} className="field-fault" role="alert">
          {fault}
        </span>
      )}
    </>
  );
}
