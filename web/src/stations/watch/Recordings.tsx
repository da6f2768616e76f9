import { useQuery } from "@tanstack/react-query";
import { api, ask, type Recording } from "../../api/client";
import { keys } from "../../api/keys";
import { usePlace } from "../../hooks/place";
import { FORGET } from "../../model/address";
import { duration, moment } from "../../model/format";
import styles from "./Recordings.module.css";

/** A recording in one line: when, how long, how it ended. */
export function recordingLine(recording: Recording): string {
  const kept = { live: "running", closed: "", cut: "cut short" }[recording.status] ?? recording.status;
  const length = recording.status === "live" ? "" : duration(recording.duration_s);
  return [moment(recording.started_at), length, kept].filter(Boolean).join(", ");
}

/** The last recordings of the rig. */
export function Recordings() {
  const place = usePlace();
  const list = useQuery({
    queryKey: keys.recordings(place.rig.slug),
    queryFn: () => ask(api.GET("/api/rigs/{slug}/recordings", { params: { path: { slug: place.rig.slug } } })),
  });
  return (
    <section className="recordings">
      <h2>Recordings</h2>
      <p className={styles.recordingsActs}>
        <button type="button" className="act" onClick={() => place.show({ view: "import" })}>
          Take in files
        </button>
        {(list.data?.length ?? 0) > 0 && (
          <button type="button" className="plain" onClick={() => place.show({ view: "recordings" })}>
            All recordings
          </button>
        )}
      </p>
      <ul className="ticks">
        {list.data?.slice(0, 6).map((recording) => (
          <li key={recording.id}>
            <button
              type="button"
              className="link"
              onClick={() => place.go("watch", { ...FORGET, recording: String(recording.id) })}
            >
              {recording.name}
            </button>{" "}
            <small>{recordingLine(recording)}</small>
          </li>
        ))}
      </ul>
    </section>
  );
}
