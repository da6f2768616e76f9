import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Recording } from "../../api/client";
import { keys } from "../../api/keys";
import { usePlace } from "../../hooks/place";
import { useAddress } from "../../hooks/useAddress";
import { FORGET } from "../../model/address";
import { figure } from "../../model/format";
import { Verdict } from "../../ui/Verdict";
import styles from "./AllRecordings.module.css";
import { recordingLine } from "./Recordings";
import { useCutting } from "./useCutting";

const ORIGINS: Record<string, string> = { live: "recorded", import: "from a file", hand: "typed by hand" };

/** Every recording of the rig, archived ones too: opened, joined, brought back. */
export function AllRecordings() {
  const place = usePlace();
  const { search } = useAddress();
  const away = search.get("away") !== null;
  const { slug } = place.rig;
  const list = useQuery({
    queryKey: keys.recordings(slug, away),
    queryFn: () =>
      ask(api.GET("/api/rigs/{slug}/recordings", { params: { path: { slug }, query: { archived: away } } })),
  });
  const [picked, setPicked] = useState<number[]>([]);
  const cut = useCutting(0);
  const every = list.data ?? [];
  const turn = (id: number) =>
    setPicked(picked.includes(id) ? picked.filter((other) => other !== id) : [...picked, id]);
  const count = every.length === 1 ? "One recording" : `${figure(every.length, 0)} recordings`;
  return (
    <>
      <Verdict
        next={
          <p className="next">
            <span>
              {away
                ? "Nothing is ever thrown away: what a constant rests on stays here."
                : picked.length > 1
                  ? "They become one, in the order of their beginnings; each begins a new segment."
                  : "Open one, or pick several to join them."}
            </span>
            {picked.length > 1 && (
              <button type="button" className="act act-first" onClick={() => void cut.join(picked)}>
                Join the {picked.length}
              </button>
            )}
            <button type="button" className="act" onClick={() => place.show({ away: away ? null : "1" })}>
              {away ? "Those at hand" : "Archived ones"}
            </button>
            <button type="button" className="act" onClick={() => place.show({ view: null, away: null })}>
              Back to the readings
            </button>
          </p>
        }
      >
        {away
          ? every.length
            ? `${count} archived`
            : "No recording is archived"
          : every.length
            ? count
            : "No recording yet"}
      </Verdict>
      {every.length > 0 && (
        <table className={styles.allRecordings}>
          <thead>
            <tr>
              {!away && (
                <th scope="col">
                  <span className="visually-hidden">pick</span>
                </th>
              )}
              <th scope="col">name</th>
              <th scope="col">when, how long</th>
              <th scope="col">readings</th>
              <th scope="col">from</th>
            </tr>
          </thead>
          <tbody>
            {every.map((recording) => (
              <Line
                key={recording.id}
                recording={recording}
                picked={picked.includes(recording.id)}
                onPick={away ? null : () => turn(recording.id)}
              />
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}

function Line({ recording, picked, onPick }: { recording: Recording; picked: boolean; onPick: (() => void) | null }) {
  const place = usePlace();
  const readings = recording.streams.reduce((sum, stream) => sum + stream.n, 0);
  return (
    <tr>
      {onPick && (
        <td>
          <input
            type="checkbox"
            aria-label={`Pick ${recording.name}`}
            checked={picked}
            disabled={recording.status === "live"}
            onChange={onPick}
          />
        </td>
      )}
      <th scope="row">
        <button
          type="button"
          className="link"
          onClick={() => place.go("watch", { ...FORGET, recording: String(recording.id) })}
        >
          {recording.name}
        </button>
        {recording.note && <small> {recording.note.slice(0, 80)}</small>}
      </th>
      <td>{recordingLine(recording)}</td>
      <td className="figures">{figure(readings, 0)}</td>
      <td>
        {ORIGINS[recording.origin] ?? recording.origin}
        {recording.origin === "live" && `, ${recording.source}`}
      </td>
    </tr>
  );
}
