import { useState } from "react";
import { editable, typed } from "../model/format";

interface Props {
  label: string;
  value: number | null;
  onChange: (value: number | null) => void;
  disabled?: boolean;
}

/** A number in a table; an empty cell is none. What is no number yet stays in the cell and is not taken. */
export function Cell({ label, value, onChange, disabled }: Props) {
  const [text, setText] = useState(value === null ? "" : editable(value));
  return (
    <input
      className="cell"
      inputMode="decimal"
      aria-label={label}
      aria-invalid={text !== "" && typed(text) === null}
      value={text}
      disabled={disabled}
      onChange={(event) => {
        setText(event.target.value);
        const next = typed(event.target.value);
        if (next !== null || event.target.value === "") onChange(next);
      }}
    />
  );
}
