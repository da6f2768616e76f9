import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Modal } from "react-bootstrap";
import { api, ask } from "../api/client";
import { keys } from "../api/keys";
import { usePlace } from "../hooks/place";
import { moment } from "../model/format";
import { STATIONS, type StationId } from "../model/stations";
import styles from "./Find.module.css";

interface Hit {
  key: string;
  text: string;
  where: string;
  open: () => void;
}

const STEADY_FRAMES = 60;

/** Focus an element that a change of station is about to bring, and again where it is drawn anew meanwhile. */
function focusWhenThere(id: string, frames = 900, held = 0): void {
  const element = document.getElementById(id);
  const elsewhere = document.activeElement !== document.body && document.activeElement !== element;
  if (held > 0 && elsewhere) return; // the person went on
  element?.closest("details")?.setAttribute("open", "");
  if (document.activeElement !== element) element?.focus();
  const steady = element !== null && document.activeElement === element ? held + 1 : 0;
  if (steady < STEADY_FRAMES && frames > 0) requestAnimationFrame(() => focusWhenThere(id, frames - 1, steady));
}

/** Everything of a rig that a text finds; `onFocus` takes the id of what is to be focused once it is there. */
function useHits(text: string, show: boolean, onFocus: (id: string) => void): Hit[] {
  const place = usePlace();
  const slug = place.rig.slug;
  const path = { params: { path: { slug } } };
  const recordings = useQuery({
    queryKey: keys.recordings(slug),
    queryFn: () => ask(api.GET("/api/rigs/{slug}/recordings", path)),
    enabled: show,
  });
  const entries = useQuery({
    queryKey: keys.entries(slug, text),
    queryFn: () => ask(api.GET("/api/rigs/{slug}/entries", { params: { path: { slug }, query: { search: text } } })),
    enabled: show && text.length > 1,
  });
  const has = (title: string) => title.toLowerCase().includes(text.trim().toLowerCase());
  return [
    ...STATIONS.filter((station) => has(station.title)).map((station) => ({
      key: station.id,
      text: station.title,
      where: "station",
      open: () => place.go(station.id),
    })),
    ...place.constants
      .filter((constant) => text && has(constant.label))
      .map((constant) => ({
        key: `c-${constant.name}`,
        text: constant.label,
        where: "constant",
        open: () => {
          place.go(constant.station as StationId);
          onFocus(`constant-${constant.name}`);
        },
      })),
    ...(recordings.data ?? [])
      .filter((recording) => text && has(recording.name))
      .map((recording) => ({
        key: `r-${recording.id}`,
        text: recording.name,
        where: `recording, ${moment(recording.started_at)}`,
        open: () => place.go("watch", { recording: String(recording.id), t0: null, t1: null, t: null }),
      })),
    ...(entries.data ?? []).slice(0, 8).map((entry) => ({
      key: `e-${entry.id}`,
      text: entry.text,
      where: `log, ${moment(entry.at)}`,
      open: () => place.go("log"),
    })),
  ];
}

/** Find a station, a constant, a recording, or a line of the log. */
export function Find({ show, onHide }: { show: boolean; onHide: () => void }) {
  const [text, setText] = useState("");
  const [focus, setFocus] = useState<string | null>(null);
  const hits = useHits(text, show, setFocus);
  const close = (open: () => void) => () => {
    onHide();
    setText("");
    open();
  };
  return (
    <Modal
      show={show}
      onHide={close(() => undefined)}
      restoreFocus={focus === null}
      onExited={() => {
        if (focus) focusWhenThere(focus);
        setFocus(null);
      }}
      aria-label="Find"
    >
      <Modal.Body>
        <form
          onSubmit={(event) => {
            event.preventDefault();
            if (hits[0]) close(hits[0].open)();
          }}
        >
          <input
            className={styles.find}
            aria-label="Find a station, constant, recording or line of the log"
            placeholder="a station, a constant, a recording, a word of the log"
            value={text}
            onChange={(event) => setText(event.target.value)}
            // biome-ignore lint/a11y/noAutofocus: the dialog was opened to type here
            autoFocus
          />
        </form>
        <ul className={styles.hits}>
          {hits.map((hit) => (
            <li key={hit.key}>
              <button type="button" className="plain" onClick={close(hit.open)}>
                <span>{hit.text}</span> <small>{hit.where}</small>
              </button>
            </li>
          ))}
          {hits.length === 0 && <li>Nothing by that name on this rig.</li>}
        </ul>
      </Modal.Body>
    </Modal>
  );
}
