import { type FormEvent, useState } from "react";
import { Modal } from "react-bootstrap";
import { Refused } from "../../api/client";
import { useAct } from "../../hooks/act";
import { useLength } from "../../hooks/settings";
import { type Field, type Procedure, useCalls } from "../../hooks/useProcedure";
import { editable, type LengthUnit } from "../../model/format";
import { readField } from "./Asked";

/** Lines from a notebook: the fields of the procedure, in order, spaces between. */
export function Notebook({ procedure, show, onHide }: { procedure: Procedure; show: boolean; onHide: () => void }) {
  const act = useAct();
  const length = useLength();
  const calls = useCalls(procedure.procedure);
  const [text, setText] = useState("");
  const [fault, setFault] = useState("");
  const save = async (event: FormEvent) => {
    event.preventDefault();
    const rows: Record<string, number>[] = [];
    for (const [i, line] of text.split("\n").entries()) {
      if (!line.trim()) continue;
      const row = readLine(procedure.notebook, line, length);
      if (typeof row === "string") return setFault(`Line ${i + 1}: ${row}`);
      rows.push(row);
    }
    try {
      const done = await calls.notebook(rows);
      void act.attempt(Promise.resolve(true), `${done.taken} lines are in.`);
      setText("");
      setFault("");
      onHide();
    } catch (error) {
      setFault(error instanceof Refused ? error.message : "They were not taken.");
    }
  };
  const fields = procedure.notebook.map((field) => heading(field, length));
  return (
    <Modal show={show} onHide={onHide} centered aria-labelledby="notebook-title">
      <Modal.Header closeButton>
        <Modal.Title id="notebook-title" as="h2">
          From a notebook
        </Modal.Title>
      </Modal.Header>
      <Modal.Body>
        <form onSubmit={save} noValidate>
          <label htmlFor="notebook">One line each: {fields.join(", then ")}; spaces between</label>
          <textarea
            id="notebook"
            rows={7}
            value={text}
            placeholder={procedure.notebook.map((field) => usual(field, length)).join(" ")}
            onChange={(event) => setText(event.target.value)}
            aria-invalid={fault !== ""}
            aria-describedby="notebook-fault"
          />
          <p id="notebook-fault" className="field-fault" role="alert">
            {fault}
          </p>
          <button type="submit" className="act act-first">
            Keep these readings
          </button>
        </form>
      </Modal.Body>
    </Modal>
  );
}

function heading(field: Field, length: LengthUnit): string {
  if (field.choices.length) return `${field.label} (${field.choices.join(" or ")})`;
  const unit = field.unit === "mm" ? length : field.unit;
  return unit ? `${field.label} in ${unit}` : field.label;
}

function usual(field: Field, length: LengthUnit): string {
  if (field.choices.length) return field.choices[0] ?? "";
  return field.typical === null ? "" : editable(field.typical, field.unit === "mm" ? length : undefined);
}

function readLine(fields: Field[], line: string, length: LengthUnit): Record<string, number> | string {
  const cells = line.trim().split(/[\s;]+/);
  if (cells.length > fields.length) return `“${line.trim()}” has more than ${fields.length} numbers.`;
  const row: Record<string, number> = {};
  for (const [i, field] of fields.entries()) {
    const cell = cells[i] ?? "";
    const chosen = field.choices.findIndex((choice) => choice.toLowerCase() === cell.toLowerCase());
    if (field.choices.length && chosen < 0) return `“${cell}” is none of ${field.choices.join(", ")}.`;
    const read = field.choices.length ? { value: chosen, fault: "" } : readField(field, cell, length);
    if (read.fault) return read.fault;
    if (read.value !== null) row[field.name] = read.value;
  }
  return row;
}
