import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { useSearchParams } from "react-router";
import { api, ask, type Schemas } from "../api/client";
import { keys } from "../api/keys";
import { useAct } from "../hooks/act";
import { usePlace } from "../hooks/place";
import { useLength } from "../hooks/settings";
import { joined, moment, shown } from "../model/format";
import { Glyph, type Provenance } from "../ui/Glyph";
import table from "../ui/table.module.css";
import { Verdict } from "../ui/Verdict";
import styles from "./Log.module.css";

type Line = Schemas["LineModel"];

const KINDS: Record<string, string> = {
  wiring: "wiring",
  recording: "recording",
  calibration: "calibration",
  constant: "constant",
  stone: "stone",
  note: "note",
};

export function Log() {
  const place = usePlace();
  const { slug } = place.rig;
  const stones = useQuery({
    queryKey: keys.stones(slug),
    queryFn: () => ask(api.GET("/api/rigs/{slug}/stones", { params: { path: { slug } } })),
  });
  const found = stones.data;
  const last = found?.stones[0];
  const waiting = found?.waiting ?? 0;
  const heading = !found
    ? "Looking through the log"
    : !last
      ? "No stone is cut yet"
      : waiting
        ? `Stone ${last.number} is behind: ${waiting} constant${waiting > 1 ? "s" : ""} changed since`
        : `Stone ${last.number} holds everything as it stands`;
  return (
    <>
      <Verdict>{heading}</Verdict>
      <div className={styles.log}>
        <Timeline />
        <Stones found={found} />
      </div>
    </>
  );
}

function Timeline() {
  const place = usePlace();
  const act = useAct();
  const { slug } = place.rig;
  const [search, setSearch] = useState("");
  const [note, setNote] = useState("");
  const entries = useQuery({
    queryKey: keys.entries(slug, search),
    queryFn: () => ask(api.GET("/api/rigs/{slug}/entries", { params: { path: { slug }, query: { search } } })),
    placeholderData: (old) => old,
  });
  const write = async (event: FormEvent) => {
    event.preventDefault();
    if (!note.trim()) return;
    const done = await act.attempt(
      ask(api.POST("/api/rigs/{slug}/notes", { params: { path: { slug } }, body: { text: note } })),
    );
    if (done) setNote((now) => (now === note ? "" : now));
  };
  const open = (reference: Record<string, unknown>) => {
    if (reference.recording)
      return place.go("watch", { recording: String(reference.recording), t0: null, t1: null, t: null });
    if (reference.stone) return place.show({ stone: String(reference.stone) });
    if (reference.calibration) return place.go("calibrate");
    return place.go(reference.revision ? "wire" : "decide");
  };
  return (
    <section className={styles.timeline}>
      <h2>What was done</h2>
      <form onSubmit={write} className={styles.note}>
        <input
          aria-label="Note"
          placeholder="Write a note"
          value={note}
          onChange={(event) => setNote(event.target.value)}
        />
        <button type="submit" className="act">
          Note it
        </button>
      </form>
      <input
        type="search"
        aria-label="Search the log"
        placeholder="Search the log"
        value={search}
        onChange={(event) => setSearch(event.target.value)}
      />
      <ol>
        {entries.data?.map((entry) => (
          <li key={entry.id} className={entry.kind === "stone" ? styles.entryStone : undefined}>
            <span className={styles.entryWhen}>
              {moment(entry.at)} <small>{KINDS[entry.kind] ?? entry.kind}</small>
            </span>
            {Object.keys(entry.reference).length ? (
              <button type="button" className="link" onClick={() => open(entry.reference)}>
                {entry.text}
              </button>
            ) : (
              <span>{entry.text}</span>
            )}
          </li>
        ))}
        {entries.data?.length === 0 && <li>{search ? `Nothing in the log about “${search}”.` : "Nothing yet."}</li>}
      </ol>
    </section>
  );
}

function Stones({ found }: { found: Schemas["StonesModel"] | undefined }) {
  const place = usePlace();
  const act = useAct();
  const { slug } = place.rig;
  const [search] = useSearchParams();
  const [why, setWhy] = useState("");
  const number = Number(search.get("stone")) || found?.stones[0]?.number || 0;
  const before = search.get("before") === null ? Math.max(number - 1, 0) : Number(search.get("before"));
  const changes = useQuery({
    queryKey: keys.stoneChanges(slug, number, before),
    enabled: found !== undefined,
    queryFn: () =>
      ask(
        api.GET("/api/rigs/{slug}/stones/{number}/compare", {
          params: { path: { slug, number }, query: { before: before || undefined } },
        }),
      ),
    placeholderData: (old) => old,
  });
  const cut = async (event: FormEvent) => {
    event.preventDefault();
    const done = await act.attempt(
      ask(api.POST("/api/rigs/{slug}/stones", { params: { path: { slug } }, body: { why } })).then((stone) => {
        place.show({ stone: null, before: null });
        return stone;
      }),
      `Stone ${found?.next ?? ""} is cut.`,
    );
    if (done) setWhy((now) => (now === why ? "" : now));
  };
  if (!found) return null;
  const stone = found.stones.find((one) => one.number === number);
  return (
    <section className="stones">
      <h2>Stones</h2>
      <form onSubmit={cut} className={styles.note}>
        <input
          aria-label="Why this stone"
          placeholder="Why this stone"
          value={why}
          onChange={(event) => setWhy(event.target.value)}
        />
        <button type="submit" className={`act${found.waiting ? " act-first" : ""}`}>
          Cut stone {found.next}
        </button>
      </form>
      {found.stones.length > 0 ? (
        <p className={styles.stonePick}>
          <label>
            Stone{" "}
            <select value={number} onChange={(event) => place.show({ stone: event.target.value })}>
              {found.stones.map((one) => (
                <option key={one.number} value={one.number}>
                  {one.number}, {moment(one.cut_at)}
                </option>
              ))}
            </select>
          </label>{" "}
          <label>
            beside{" "}
            <select value={before} onChange={(event) => place.show({ before: event.target.value })}>
              <option value="0">nothing</option>
              {found.stones
                .filter((one) => one.number !== number)
                .map((one) => (
                  <option key={one.number} value={one.number}>
                    stone {one.number}
                  </option>
                ))}
            </select>
          </label>
          {stone?.why && <span className={styles.stoneWhy}>{stone.why}</span>}
          <span className={styles.exports}>
            {(
              [
                ["c", "C header"],
                ["python", "Python"],
                ["json", "JSON"],
              ] as const
            ).map(([form, title]) => (
              <a key={form} className="act" href={`/api/rigs/${slug}/stones/${number}/export/${form}`} download>
                {title}
              </a>
            ))}
          </span>
        </p>
      ) : (
        <p>A stone freezes every constant with where it comes from. Below is what stone 1 would hold.</p>
      )}
      <div className={table.tableScroll}>
        <table className={table.schedule}>
          <thead>
            <tr>
              <th scope="col">Constant</th>
              {before > 0 && <th scope="col">stone {before}</th>}
              <th scope="col">{number ? `stone ${number}` : "as it stands"}</th>
            </tr>
          </thead>
          <tbody>
            {changes.data?.map((change) => (
              <tr
                key={`${change.sensor}-${change.label}`}
                className={before && change.changed ? table.changed : undefined}
              >
                <th scope="row">
                  {change.label} <small>{place.rig.sensors.find((one) => one.id === change.sensor)?.name}</small>
                </th>
                {before > 0 && <Cell line={change.before} />}
                <Cell line={change.after} />
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}

function Cell({ line }: { line: Line | null | undefined }) {
  const length = useLength();
  if (!line) return <td>—</td>;
  const value = shown(line.value, line.unit, line.plus_minus, length);
  return (
    <td title={`${line.source}${line.made_at ? `, ${moment(line.made_at)}` : ""}`}>
      <Glyph of={line.provenance as Provenance} /> {joined(value)}
      {line.stale && <span className="stale"> stale</span>}
      {line.warning && <span className="stale"> {line.warning}</span>}
    </td>
  );
}
