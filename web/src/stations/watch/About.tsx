import { useId, useState } from "react";
import { api, ask, type Opened, type Schemas } from "../../api/client";
import { useAct } from "../../hooks/act";
import { usePlace } from "../../hooks/place";
import { FORGET } from "../../model/address";
import { figure } from "../../model/format";
import { Before } from "../../ui/Before";
import styles from "./About.module.css";
import shared from "./shared.module.css";

/** What is in a recording, its name and note, where it came from; archived and brought back. */
export function About({ opened }: { opened: Opened }) {
  const place = usePlace();
  const act = useAct();
  const { recording, odd, earlier } = opened;
  const path = { params: { path: { recording_id: recording.id } } };
  const change = (body: Schemas["RecordingChange"]) =>
    ask(api.PATCH("/api/recordings/{recording_id}", { ...path, body }));
  const seen = earlier[0]?.id ?? 0;
  const before = (field: string) =>
    earlier
      .filter((state) => state.mark_id === null && state.before[field])
      .map((state) => ({ text: `“${state.before[field]}”`, at: state.at }));
  const putAway = () =>
    act.attempt(
      change({ archived: true }).then(() => place.go("watch", FORGET)),
      "The recording is archived.",
      () => void act.attempt(change({ archived: false })),
    );
  return (
    <section className="about-recording">
      <h2>About it</h2>
      <Text
        key={`name ${recording.id}`}
        label="Name"
        value={recording.name}
        onKeep={(name) => act.attempt(change({ name, seen }), "Renamed.")}
      />
      <Before states={before("name")} />
      <Text
        key={`note ${recording.id}`}
        label="Note"
        value={recording.note}
        many
        onKeep={(note) => act.attempt(change({ note, seen }), "Noted.")}
      />
      <Before states={before("note")} />
      <ul className="ticks">
        {recording.streams.map((stream) => (
          <li key={stream.key}>
            {stream.key === "~other" ? "columns of no sensor" : stream.key}: {figure(stream.n, 0)} readings
            {stream.segments > 1 && `, ${stream.segments} segments`}
          </li>
        ))}
        {recording.made_from.map((source) => (
          <li key={String(source.recording)}>
            {String(source.how)} from{" "}
            <button
              type="button"
              className="link"
              onClick={() => place.go("watch", { ...FORGET, recording: String(source.recording) })}
            >
              an earlier recording
            </button>
          </li>
        ))}
        <li>
          {recording.odd_lines
            ? `${figure(recording.odd_lines, 0)} lines not understood, kept as text`
            : "every line understood"}
        </li>
      </ul>
      {odd.slice(0, 5).map((line) => (
        <p key={`${line.line} ${line.t_s} ${line.text}`} className={shared.odd}>
          {line.line !== null && <small>line {line.line} </small>}
          <code>{line.text}</code> {line.why}
        </p>
      ))}
      {recording.status !== "live" &&
        (recording.archived ? (
          <button
            type="button"
            className="act"
            onClick={() => void act.attempt(change({ archived: false }), "It is back among the recordings.")}
          >
            Bring recording back
          </button>
        ) : (
          <button type="button" className="plain" onClick={() => void putAway()}>
            Archive recording
          </button>
        ))}
    </section>
  );
}

interface TextProps {
  label: string;
  value: string;
  many?: boolean;
  onKeep: (text: string) => Promise<unknown>;
}

/** A line or two of text, kept when the field is left. What another window makes of it meanwhile is told, and what was
 * typed here stays until a person has chosen. */
function Text({ label, value, many = false, onKeep }: TextProps) {
  const [draft, setDraft] = useState<{ text: string; over: string } | null>(null);
  const text = draft?.text ?? value;
  const type = (fresh: string) => setDraft({ text: fresh, over: draft?.over ?? value });
  const first = draft !== null && draft.over !== value && draft.text.trim() !== value;
  const store = async () => {
    if (await onKeep(text.trim())) setDraft(null);
  };
  const leave = () => {
    if (text.trim() === value || !(many || text.trim())) setDraft(null);
    else if (!first) void store();
  };
  const id = useId();
  const field = { id, value: text, onBlur: leave };
  return (
    <p className={styles.aboutText}>
      <label htmlFor={id}>{label}</label>
      {many ? (
        <textarea
          {...field}
          rows={2}
          maxLength={4000}
          placeholder="what was done, what is odd about it"
          onChange={(event) => type(event.target.value)}
        />
      ) : (
        <input
          {...field}
          maxLength={120}
          onChange={(event) => type(event.target.value)}
          onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
        />
      )}
      {first && (
        <span role="alert" className={styles.elsewhere}>
          <span>Changed in another window meanwhile: “{value}”.</span>
          <button type="button" className="act" onClick={() => void store()}>
            Keep mine
          </button>
          <button type="button" className="act" onClick={() => setDraft(null)}>
            Take theirs
          </button>
        </span>
      )}
    </p>
  );
}
