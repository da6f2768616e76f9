import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, ask, type Schemas, sent, type Whole } from "../../api/client";
import { keys } from "../../api/keys";
import { useAct } from "../../hooks/act";
import { usePlace } from "../../hooks/place";
import { useAddress } from "../../hooks/useAddress";
import { FORGET } from "../../model/address";
import { few, figure, THIN, typed } from "../../model/format";
import { DropFiles } from "../../ui/DropFiles";
import { Glyph } from "../../ui/Glyph";
import { Factor, MeaningChoice } from "../../ui/MeaningChoice";
import { Verdict } from "../../ui/Verdict";
import styles from "./Import.module.css";
import { type BenchFile, isBusy, useFiles } from "./useFiles";

type Look = Whole<Schemas["LookModel"]>;
type Column = Look["columns"][number];
type Meaning = Schemas["MeaningModel"];

const FORMATS: Record<string, string> = {
  csv: "a table, commas between",
  tsv: "a table, tabs between",
  semicolons: "a table, semicolons between",
  bars: "a table, bars between",
  spaces: "a table, spaces between",
  column: "one column",
  labelled: "labels with their numbers",
  sentences: "sentences",
  "json-lines": "JSON Lines",
  parquet: "Parquet",
  "value-change-dump": "a value change dump",
};

/** Files of readings on the bench: what each column is taken for, then the whole as a recording. */
export function Import() {
  const place = usePlace();
  const { search } = useAddress();
  const { files, sending, hand } = useFiles();
  const chosen = files.find((file) => file.id === Number(search.get("file"))) ?? files[files.length - 1];
  return (
    <>
      {chosen ? <OnTheBench key={chosen.id} file={chosen} /> : <Nothing waiting={sending.length > 0} />}
      <DropFiles
        label="Files of readings"
        tall={files.length === 0}
        choose={files.length ? "More files" : "Choose files"}
        first={files.length === 0}
        many
        onFiles={(all) => void hand(all)}
      >
        {sending.length === 0 && "or drop them here, one or many"}
        {files.length === 0 && sending.length === 0 && <Examples />}
        {sending.map((file) => (
          <span key={file.name} className={styles.sending}>
            {file.name} <progress value={file.done} aria-label={`Handing over ${file.name}`} />
            <button type="button" className="plain" onClick={file.stop}>
              Stop
            </button>
          </span>
        ))}
      </DropFiles>
      <Typed onTable={(text) => void hand([new File([text], "from the notebook.txt")], true)} />
      {files.length > 1 && (
        <ul className={`ticks ${styles.fileList}`} aria-label="Files on the bench">
          {files.map((file) => (
            <li key={file.id}>
              <button
                type="button"
                className="link"
                aria-current={file.id === chosen?.id}
                onClick={() => place.show({ file: String(file.id) })}
              >
                {file.name}
              </button>{" "}
              <small>{standing(file)}</small>
            </li>
          ))}
        </ul>
      )}
    </>
  );
}

const EXAMPLES = [
  ["tables", "t_ms;front_cm;mark", "0;40,2;", "20;40,4;50 cm"],
  ["labels and sentences", "t_us:1204500 echo_us:1748", "Distance: 23.4 cm, air 21.5 C"],
  ["objects", '{"t":1200,"air":{"temp":21.5}}'],
  ["levels", "value change dumps: wires, vectors, reals"],
  ["and", "Parquet; whatever Tick Stone exported"],
];

function Examples() {
  return (
    <span className={styles.examples}>
      {EXAMPLES.map(([what, ...lines]) => (
        <span key={what}>
          <small>{what}</small>
          {lines.map((line) => (
            <code key={line}>{line}</code>
          ))}
        </span>
      ))}
    </span>
  );
}

/** A table from a notebook, typed or pasted. */
function Typed({ onTable }: { onTable: (text: string) => void }) {
  const [text, setText] = useState("");
  return (
    <details className={styles.typedTable}>
      <summary>Or type a table from a notebook</summary>
      <p>
        <small>
          Names of the columns in the first line, then a line a reading, commas or tabs between; a column called{" "}
          <code>mark</code> says what was true there.
        </small>
      </p>
      <textarea
        rows={6}
        value={text}
        aria-label="Table from a notebook"
        placeholder={"echo_us, mark\n1748, 30 cm\n2914, 50 cm"}
        onChange={(event) => setText(event.target.value)}
      />
      <button type="button" className="act" disabled={!text.trim()} onClick={() => onTable(text)}>
        Look at table
      </button>
    </details>
  );
}

function Nothing({ waiting }: { waiting: boolean }) {
  const place = usePlace();
  return (
    <Verdict
      next={
        <p className="next">
          <span>
            Tables of any kind, labels with numbers, sentences, JSON Lines, Parquet and value change dumps; you see what
            each column is taken for before anything is kept.
          </span>
          <Back onBack={() => place.show({ view: null })} />
        </p>
      }
    >
      {waiting ? "Handing over" : "Drop files of readings here; each becomes a recording"}
    </Verdict>
  );
}

const Back = ({ onBack }: { onBack: () => void }) => (
  <button type="button" className="act" onClick={onBack}>
    Back to the readings
  </button>
);

function standing(file: BenchFile): string {
  const size = `${figure(file.size / 1000, file.size < 10_000 ? 1 : 0)}${THIN}kB`;
  return {
    new: size,
    waiting: "waits for those before it",
    running: `${Math.round((100 * file.done) / file.size)}${THIN}% read`,
    done: `${figure(file.rows, 0)} rows taken in`,
    failed: file.message,
    stopped: "stopped",
  }[file.state] as string;
}

function OnTheBench({ file }: { file: BenchFile }) {
  const place = usePlace();
  const act = useAct();
  const [meanings, setMeanings] = useState<Record<string, Meaning>>(file.said);
  const [name, setName] = useState(file.name);
  const [rate, setRate] = useState(
    file.asked_rate_hz === null ? (file.by_hand ? "1" : "") : String(file.asked_rate_hz),
  );
  const settled = ["new", "failed", "stopped"].includes(file.state);
  const wish = { said: meanings, name, rate_hz: rate.trim() ? typed(rate) : null };
  const path = { params: { path: { file_id: file.id } } };
  const look = useQuery({
    queryKey: keys.fileLook(place.rig.slug, file.id, meanings, wish.rate_hz),
    enabled: settled,
    queryFn: () => ask(api.POST("/api/files/{file_id}/look", { ...path, body: sent<Schemas["WishAsked"]>(wish) })),
    placeholderData: (old) => old,
    retry: false,
  });
  const own = look.data?.own ? look.data.name : null;
  useEffect(() => {
    if (own) setName(own);
  }, [own]);
  const seen = look.isError ? undefined : look.data;
  const take = () =>
    void act.attempt(
      ask(api.POST("/api/files/{file_id}/take-in", { ...path, body: sent<Schemas["WishAsked"]>(wish) })),
    );
  const away = (text?: string) => void act.attempt(ask(api.DELETE("/api/files/{file_id}", path)), text);
  return (
    <>
      <Verdict next={<Next file={file} look={seen} refused={look.isError} onTake={take} onAway={() => away()} />}>
        {heading(file, seen, look.isError ? look.error.message : "")}
      </Verdict>
      {isBusy(file) && <Progress file={file} onStop={() => away("Stopped; nothing of it was kept.")} />}
      {settled && seen && (
        <>
          <div className={styles.importSaid}>
            <label>
              Name <input value={name} maxLength={120} onChange={(event) => setName(event.target.value)} />
            </label>
            {seen.time === "" && (
              <label>
                Rows a second{" "}
                <input
                  inputMode="decimal"
                  className={styles.rate}
                  value={rate}
                  placeholder="50"
                  aria-invalid={rate.trim() !== "" && (wish.rate_hz ?? 0) <= 0}
                  onChange={(event) => setRate(event.target.value)}
                />
              </label>
            )}
            <small>
              {FORMATS[seen.format]}
              {seen.encoding && seen.encoding !== "utf-8" && seen.encoding !== "ascii" && `, ${seen.encoding}`}
              {seen.own && ", exported by Tick Stone"}
              {seen.rate_hz !== null && `, about ${few(seen.rate_hz)} rows/s`}
            </small>
          </div>
          <Sheet look={seen} onSay={(column, meaning) => setMeanings({ ...meanings, [column]: meaning })} />
          <Bad look={seen} />
        </>
      )}
    </>
  );
}

function heading(file: BenchFile, look: Look | undefined, refused: string): string {
  if (file.state === "done") return `${file.name} is taken in: ${figure(file.rows, 0)} rows`;
  if (file.state === "failed") return file.message;
  if (isBusy(file)) return `Taking in ${file.name}`;
  if (refused) return refused;
  if (!look) return `Looking at ${file.name}`;
  if (look.wanting) return look.wanting;
  const unknown = look.columns.filter((column) => column.meaning === null).map((column) => column.name);
  if (look.sensors.length === 0) return "None of its columns is known to be of a sensor of this rig";
  if (unknown.length === 1) return `All columns but “${unknown[0]}” are understood`;
  if (unknown.length > 1)
    return `${look.columns.length - unknown.length} of ${look.columns.length} columns are understood`;
  return `Every column of ${file.name} is understood`;
}

interface NextProps {
  file: BenchFile;
  look: Look | undefined;
  refused: boolean;
  onTake: () => void;
  onAway: () => void;
}

function Next({ file, look, refused, onTake, onAway }: NextProps) {
  const place = usePlace();
  if (file.state === "done")
    return (
      <p className="next">
        <button
          type="button"
          className="act act-first"
          onClick={() => place.go("watch", { ...FORGET, recording: String(file.recording) })}
        >
          Open the recording
        </button>
        <button type="button" className="plain" onClick={onAway}>
          Clear file
        </button>
      </p>
    );
  if (isBusy(file)) return <p className="next">You can go on working; it is kept when it is whole.</p>;
  const again = file.state === "failed" || file.state === "stopped";
  return (
    <p className="next">
      <span>
        {refused
          ? "Mend the file, or choose another; nothing of it was kept."
          : again
            ? "Nothing of it was kept. Say otherwise what its columns are, or mend the file."
            : look?.wanting
              ? ""
              : "What you say of a column is remembered for this rig."}
      </span>
      {look && !look.wanting && (
        <button type="button" className="act act-first" onClick={onTake}>
          {again ? "Store file again" : "Store file"}
        </button>
      )}
      <button type="button" className="plain" onClick={onAway}>
        Discard file
      </button>
      <Back onBack={() => place.show({ view: null, file: null })} />
    </p>
  );
}

function Progress({ file, onStop }: { file: BenchFile; onStop: () => void }) {
  return (
    <div className={styles.takingIn}>
      <progress value={file.done} max={file.size} aria-label={`Taking in ${file.name}`} />
      <span className="figures">
        {figure(file.done / 1e6, 1)} of {figure(file.size / 1e6, 1)}
        {THIN}MB, {figure(file.rows, 0)} rows
      </span>
      <button type="button" className="act" onClick={onStop}>
        Stop
      </button>
    </div>
  );
}

/** The first rows as they stand, and over each column what it becomes. */
function Sheet({ look, onSay }: { look: Look; onSay: (column: string, meaning: Meaning) => void }) {
  return (
    <div className={styles.importSheet}>
      <table>
        <thead>
          <tr>
            <th scope="col">
              <span className="visually-hidden">line</span>
            </th>
            {look.columns.map((column) => (
              <th key={column.name} scope="col" className={kindOf(column)}>
                <code>{column.name}</code> {column.unit && <small>{column.unit}</small>}
                <MeaningChoice
                  name={column.name}
                  meaning={column.meaning}
                  targets={column.type === "number" ? look.targets : []}
                  unknown={column.type === "number" ? "a reading of no sensor" : "choose"}
                  marks={column.type === "text"}
                  onSay={(meaning) => onSay(column.name, meaning)}
                />
                <Becomes column={column} look={look} onSay={onSay} />
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {look.lines.map((line, at) => (
            <tr key={line}>
              <th scope="row">{line}</th>
              {look.columns.map((column) => (
                <td key={column.name} className={kindOf(column)}>
                  {column.cells[at]}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

const kindOf = (column: Column) => (column.meaning?.role === "ignored" ? styles.leftOut : undefined);

function Becomes({
  column,
  look,
  onSay,
}: {
  column: Column;
  look: Look;
  onSay: (name: string, meaning: Meaning) => void;
}) {
  const { meaning } = column;
  if (meaning === null) return <small className={styles.becomes}>kept, shown as it is</small>;
  if (meaning.role === "ignored") return <small className={styles.becomes}>left out</small>;
  if (meaning.role === "mark") return <small className={styles.becomes}>becomes marks</small>;
  if (meaning.role === "time")
    return (
      <small className={styles.becomes}>{column.type === "clock" ? "date and time of day" : "when each row was"}</small>
    );
  const unit =
    look.targets.find((target) => target.sensor === meaning.sensor && target.channel === meaning.channel)?.unit ?? "";
  return (
    <span className={styles.becomes}>
      <Glyph of={column.guessed ? "assumed" : "chosen"} />{" "}
      {meaning.factor === 1 && meaning.zero === 0 ? (
        <small>{column.guessed ? "guessed" : "as you said"}, as it stands</small>
      ) : (
        <>
          <small>× </small>
          <Factor
            key={meaning.factor}
            label={column.name}
            factor={meaning.factor}
            zero={meaning.zero}
            unit={unit}
            onChange={(factor) => onSay(column.name, { ...meaning, factor })}
          />
        </>
      )}
    </span>
  );
}

function Bad({ look }: { look: Look }) {
  if (look.bad_count === 0) return null;
  return (
    <section className={styles.badLines}>
      <h2>Not understood near its beginning; kept as text</h2>
      <ol>
        {look.bad.slice(0, 8).map((line) => (
          <li key={line.line} value={line.line}>
            <code>{line.text}</code> <small>{line.why}</small>
          </li>
        ))}
      </ol>
    </section>
  );
}
