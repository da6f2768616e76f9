import { useState } from "react";
import type { Recording } from "../../api/client";
import { useLists } from "../../hooks/useLists";
import styles from "./Export.module.css";

interface Props {
  recording: Recording;
  span: [number, number] | undefined;
  stone: number | undefined;
}

/** The recording, or its span, as a file that opens again as the same readings. */
export function Export({ recording, span, stone }: Props) {
  const lists = useLists();
  const [form, setForm] = useState("csv");
  const [converted, setConverted] = useState(true);
  const [part, setPart] = useState(true);
  if (recording.status === "live") return null;
  const query = new URLSearchParams({ form, converted: String(converted) });
  if (span && part) {
    query.set("t0", String(span[0]));
    query.set("t1", String(span[1]));
  }
  if (stone !== undefined) query.set("stone", String(stone));
  return (
    <section className={styles.export}>
      <h2>Export</h2>
      <p>
        <select aria-label="Form of the file" value={form} onChange={(event) => setForm(event.target.value)}>
          {lists.data?.forms.map((form) => (
            <option key={form.id} value={form.id}>
              {form.title}
            </option>
          ))}
        </select>
        {form !== "value-change-dump" && (
          <label>
            <input type="checkbox" checked={converted} onChange={(event) => setConverted(event.target.checked)} />
            converted columns beside the raw ones
          </label>
        )}
        {span && (
          <label>
            <input type="checkbox" checked={part} onChange={(event) => setPart(event.target.checked)} />
            only the span
          </label>
        )}
        <a className="act" href={`/api/recordings/${recording.id}/export?${query}`} download>
          Download file
        </a>
      </p>
      <p>
        <small>
          Units stand in the names of its columns, where it comes from in its first lines; taken in again it is the same
          recording.
        </small>
      </p>
    </section>
  );
}
