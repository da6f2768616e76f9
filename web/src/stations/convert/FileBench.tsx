import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { api, ask, type Rig, type Schemas } from "../../api/client";
import { keys } from "../../api/keys";
import { useAddress } from "../../hooks/useAddress";
import { figure, THIN } from "../../model/format";
import { DropFiles } from "../../ui/DropFiles";
import table from "../../ui/table.module.css";
import styles from "./FileBench.module.css";
import { Head, Say } from "./Head";
import shared from "./shared.module.css";

type Preview = Schemas["PreviewModel"];

const LOOKED_AT = 400_000; // bytes of the file's beginning, for the preview

/** The file stays on the bench while one of its rows is worked elsewhere, until another takes its place. */
const onTheBench: { file: File | null; meanings: Record<string, string>; own: boolean } = {
  file: null,
  meanings: {},
  own: true,
};

/** A CSV of raw readings in, raw and converted columns out. */
export function FileBench({ first, rig }: { first: ReactNode; rig: Rig | null }) {
  const [file, setFile] = useState(onTheBench.file);
  const [meanings, setMeanings] = useState(onTheBench.meanings);
  const [own, setOwn] = useState(onTheBench.own);
  Object.assign(onTheBench, { file, meanings, own });
  const slug = own && rig ? rig.slug : "";
  const column = Object.entries(meanings).map(([name, target]) => `${name}=${target}`);
  const preview = useQuery({
    queryKey: keys.looseFile(file, slug, column),
    enabled: file !== null,
    queryFn: async () => {
      const text = await beginning(file as File);
      return ask(
        api.POST("/api/convert-file/preview", {
          params: { query: { rig: slug, column } },
          body: text,
          bodySerializer: (body) => body,
          headers: { "Content-Type": "text/csv" },
        }),
      );
    },
  });
  const shown = preview.isError ? undefined : preview.data;
  const take = (next: File | null | undefined) => {
    if (!next) return;
    setMeanings({});
    setFile(next);
  };
  return (
    <>
      <Head
        verdict={
          file === null
            ? "A file of raw readings becomes one with what they mean"
            : preview.isError
              ? preview.error.message
              : shown
                ? heading(shown)
                : `Reading ${file.name}`
        }
        first={first}
        next={
          <Say>
            {file === null
              ? "drop a CSV here: column names in its first line, such as t_us, echo_us, air_c, ax."
              : preview.isError
                ? "mend the file, or choose another; nothing of it was kept."
                : "see that each column is taken for what it is, then download the converted file."}
          </Say>
        }
      />
      <DropFiles
        label="File of raw readings"
        choose={file ? "Another file" : "Choose a file"}
        first={file === null}
        onFiles={(files) => take(files[0])}
      >
        {file ? `${file.name}, ${figure(file.size / 1000, file.size < 10_000 ? 1 : 0)}${THIN}kB` : "or drop it here"}
      </DropFiles>
      {rig && (
        <fieldset className={shared.askChoice}>
          <legend>Worked with</legend>
          <button type="button" className="act" aria-pressed={own} onClick={() => setOwn(true)}>
            {rig.rig.title}’s own constants
          </button>
          <button type="button" className="act" aria-pressed={!own} onClick={() => setOwn(false)}>
            usual values
          </button>
        </fieldset>
      )}
      {file && shown && (
        <>
          <Columns shown={shown} onSay={(name, target) => setMeanings({ ...meanings, [name]: target })} />
          <Download file={file} slug={slug} column={column} />
          <Rows shown={shown} mounted={own && rig !== null} />
        </>
      )}
    </>
  );
}

/** The beginning of a file, cut at a line's end. */
async function beginning(file: File): Promise<string> {
  const text = await file.slice(0, LOOKED_AT).text();
  const end = text.lastIndexOf("\n");
  return file.size > LOOKED_AT && end > 0 ? text.slice(0, end + 1) : text;
}

function heading(shown: Preview): string {
  const fresh = shown.header.slice(shown.columns.length).filter((name) => !name.endsWith("_reason"));
  const list = fresh.length > 3 ? `${fresh.slice(0, 3).join(", ")} and ${fresh.length - 3} more` : fresh.join(", ");
  return `It gives ${list}`;
}

const ROLES: Record<string, string> = { time: "time", plain: "by its unit" };

function Columns({ shown, onSay }: { shown: Preview; onSay: (name: string, target: string) => void }) {
  return (
    <ul className={styles.columns} aria-label="What each column is">
      {shown.columns.map((column) => (
        <li key={column.name}>
          <b>{column.name}</b>
          <select
            aria-label={`What ${column.name} is`}
            value={column.target}
            onChange={(event) => onSay(column.name, event.target.value)}
          >
            <option value="">{ROLES[column.role] ?? "left as it is"}</option>
            {shown.targets.map((target) => (
              <option key={target} value={target}>
                {target.replace(/-/g, " ").replace(".", ": ")}
              </option>
            ))}
          </select>
        </li>
      ))}
    </ul>
  );
}

function Download({ file, slug, column }: { file: File; slug: string; column: string[] }) {
  const [state, setState] = useState<
    { kind: "idle" } | { kind: "busy"; stop: () => void; got: number } | { kind: "failed"; why: string }
  >({ kind: "idle" });
  const start = async () => {
    const abort = new AbortController();
    const busy = (got: number) => setState({ kind: "busy", stop: () => abort.abort(), got });
    busy(0);
    try {
      const query = new URLSearchParams([["rig", slug], ...column.map((name) => ["column", name])]);
      const answer = await fetch(`/api/convert-file?${query}`, {
        method: "POST",
        body: file,
        headers: { "Content-Type": "text/csv" },
        signal: abort.signal,
      });
      if (!answer.ok || !answer.body) {
        const refused = (await answer.json().catch(() => ({}))) as { message?: string };
        return setState({ kind: "failed", why: refused.message ?? "The file was not converted." });
      }
      const parts: BlobPart[] = [];
      const reader = answer.body.getReader();
      for (let got = 0; ; ) {
        const { done, value } = await reader.read();
        if (done) break;
        parts.push(value);
        got += value.length;
        busy(got);
      }
      save(new Blob(parts, { type: "text/csv" }), `${file.name.replace(/\.\w+$/, "")}-converted.csv`);
      setState({ kind: "idle" });
    } catch (error) {
      setState(
        abort.signal.aborted
          ? { kind: "idle" }
          : { kind: "failed", why: error instanceof Error ? error.message : "The file was not converted." },
      );
    }
  };
  return (
    <p className={styles.download}>
      {state.kind === "busy" ? (
        <>
          <button type="button" className="act" onClick={state.stop}>
            Stop
          </button>
          <span>
            {figure(state.got / 1000, 0)}
            {THIN}kB so far
          </span>
        </>
      ) : (
        <button type="button" className="act act-first" onClick={() => void start()}>
          Download converted file
        </button>
      )}
      {state.kind === "failed" && (
        <span role="alert" className="field-fault">
          {state.why}
        </span>
      )}
    </p>
  );
}

function save(blob: Blob, name: string): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(blob);
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}

function Rows({ shown, mounted }: { shown: Preview; mounted: boolean }) {
  const { put } = useAddress();
  const raw = shown.columns.length;
  const work = (sensor: Preview["workable"][number], numbers: Record<string, number>) => {
    const asked = Object.fromEntries(Object.entries(numbers).map(([name, value]) => [`r.${name}`, String(value)]));
    put({ ...(mounted ? { sensor: sensor.sensor, part: null } : { part: sensor.kind }), bench: null, ...asked }, false);
  };
  return (
    <div className={styles.fileRows}>
      <table className={table.schedule}>
        <caption>
          The first rows
          {shown.ragged > 0 && `; too few or too many cells in ${shown.ragged} of them, filled or cut`}
        </caption>
        <thead>
          <tr>
            {shown.workable.length > 0 && <th scope="col">work out</th>}
            {shown.header.map((name, at) => (
              <th key={name} scope="col" className={at < raw ? undefined : styles.fresh}>
                {name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {shown.rows.map((row, at) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: rows are known by their place
            <tr key={at}>
              {shown.workable.length > 0 && (
                <td>
                  {shown.workable.map((sensor) => {
                    const numbers = sensor.rows[at];
                    return numbers && Object.keys(numbers).length > 0 ? (
                      <button
                        key={sensor.sensor}
                        type="button"
                        className="link"
                        onClick={() => work(sensor, numbers)}
                        aria-label={`Work out row ${at + 1} of ${sensor.sensor}`}
                      >
                        {sensor.sensor.replace(/-/g, " ")}
                      </button>
                    ) : null;
                  })}
                </td>
              )}
              {shown.header.map((name, i) => (
                <td key={name} className={i < raw ? undefined : styles.fresh}>
                  {row[i]}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
