import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { api, ask } from "../api/client";
import { keys } from "../api/keys";
import { useAct } from "../hooks/act";
import { usePlace } from "../hooks/place";
import { moment } from "../model/format";
import { Verdict } from "../ui/Verdict";
import styles from "./Log.module.css";
import { Stones } from "./Stones";

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
  const cut = stones.data;
  const last = cut?.stones[0];
  const waiting = cut?.waiting ?? 0;
  const heading = !cut
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
        {cut && <Stones cut={cut} />}
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
          Add note
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
