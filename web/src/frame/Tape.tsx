import { useQuery } from "@tanstack/react-query";
import { api, ask } from "../api/client";
import { keys } from "../api/keys";
import { useAct } from "../hooks/act";
import { useLive, useNow } from "../hooks/live";
import { say, useNotice } from "../hooks/notice";
import { usePlace } from "../hooks/place";
import { setSettings, useLength, useSettings } from "../hooks/settings";
import type { Held } from "../hooks/useHeld";
import { figure, lengthText, moment, THIN } from "../model/format";
import { isOn, valueText } from "../model/readings";
import { Strip, type StripMark } from "../plot/Strip";
import { Chevron, Glyph } from "../ui/Glyph";
import shared from "./shared.module.css";
import styles from "./Tape.module.css";
import { useRecordingMarks } from "./useRecordingMarks";

const TAPE_S = 30;

/** A thin strip of the selected sensor at every station; above it the line that undoes. */
export function Tape({ marking, onWords }: { marking: Held; onWords: () => void }) {
  const settings = useSettings();
  const marks = useRecordingMarks();
  const now = useNow();
  const { sensor } = usePlace();
  const notice = useNotice();
  const connected = isOn(now);
  return (
    <footer className={shared.tape}>
      {notice && (
        <div
          className={`${shared.notice}${notice.tone === "fault" ? ` ${shared.fault}` : ""}`}
          role={notice.tone === "fault" ? "alert" : "status"}
        >
          <span>{notice.text}</span>
          {notice.undo && (
            <button
              type="button"
              className="act"
              onClick={() => {
                notice.undo?.();
                say(null);
              }}
            >
              Undo
            </button>
          )}
          <button type="button" className="plain" aria-label="Close this line" onClick={() => say(null)}>
            <Glyph of="fault" />
          </button>
        </div>
      )}
      <button
        type="button"
        className={`plain ${shared.tapeFold}`}
        aria-expanded={settings.tape}
        aria-label={settings.tape ? "Fold the tape" : "Unfold the tape"}
        onClick={() => setSettings({ tape: !settings.tape })}
      >
        <Chevron up={!settings.tape} />
      </button>
      {settings.tape && (connected ? <Running marking={marking} onWords={onWords} marks={marks} /> : <Unconnected />)}
      {!settings.tape && <span>{sensor.name}</span>}
    </footer>
  );
}

function Running({ marking, onWords, marks }: { marking: Held; onWords: () => void; marks: StripMark[] }) {
  const live = useLive();
  const length = useLength();
  const settings = useSettings();
  const { letterKeys } = settings;
  const now = useNow();
  const { sensor } = usePlace();
  const seen = now.sensors[sensor.id];
  const value = seen?.value != null ? valueText(seen.value, sensor, settings) : null;
  const edge = (at: number) =>
    sensor.unit === "mm" ? lengthText(at, length) : `${figure(at, sensor.digits)}${THIN}${sensor.unit}`;
  return (
    <>
      <div className={styles.tapeNow}>
        <span>{sensor.name}</span>
        <b>{value?.text ?? "—"}</b> {value?.unit}
      </div>
      <Strip
        read={() => live.feed.buffer(sensor.id)}
        end={() => live.feed.clock()}
        seconds={TAPE_S}
        low={sensor.low}
        high={sensor.high}
        fit
        edge={edge}
        frozen={live.frozen}
        label={`${sensor.name}, the last ${TAPE_S} seconds`}
        marks={marks}
      />
      <div className={styles.tapeKeys}>
        <span className={styles.markKeys}>
          <button
            type="button"
            className="plain"
            data-held={marking.held}
            title="Press for a moment, hold for a span"
            onPointerDown={(event) => marking.down(event.timeStamp)}
            onPointerUp={(event) => marking.up(event.timeStamp)}
            onPointerLeave={marking.drop}
            onClick={(event) => event.detail === 0 && marking.tap()}
          >
            {marking.held ? "Marking a span …" : "Mark"} {letterKeys && <kbd>M</kbd>}
          </button>
          <button
            type="button"
            className="plain"
            aria-label="Words for a mark"
            title="Mark with words"
            onClick={onWords}
          >
            …
          </button>
        </span>
        <button type="button" className="plain" aria-pressed={live.frozen} onClick={() => live.setFrozen(!live.frozen)}>
          {live.frozen ? "Frozen" : "Freeze"} {letterKeys && <kbd>F</kbd>}
        </button>
      </div>
    </>
  );
}

function Unconnected() {
  const place = usePlace();
  const act = useAct();
  const now = useNow();
  const { letterKeys } = useSettings();
  const recordings = useQuery({
    queryKey: keys.recordings(place.rig.slug),
    queryFn: () => ask(api.GET("/api/rigs/{slug}/recordings", { params: { path: { slug: place.rig.slug } } })),
  });
  const last = recordings.data?.[0];
  return (
    <>
      <div className={styles.tapeNow}>
        <span>{place.sensor.name}</span>
        <b>{now.status === "lost" ? "unplugged" : "not connected"}</b>
      </div>
      <button type="button" className="act" onClick={() => void act.connect()}>
        Connect {letterKeys && <kbd>C</kbd>}
      </button>
      <p className={styles.tapeSaid}>
        {now.status === "lost" ? `${now.why} ` : ""}
        {last && (
          <button
            type="button"
            className="link"
            onClick={() => place.go("watch", { recording: String(last.id), t0: null, t1: null, t: null })}
          >
            {last.name}
          </button>
        )}
        {last && `, ${moment(last.started_at)}`}
      </p>
    </>
  );
}
