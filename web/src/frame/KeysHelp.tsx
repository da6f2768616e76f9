import { Modal } from "react-bootstrap";
import styles from "./KeysHelp.module.css";

const KEYS: [string, string][] = [
  ["1 – 7", "the stations, Wire to Log"],
  ["R", "record, and stop"],
  ["M or Space", "mark this moment; held down, a span"],
  ["B", "one figure as big as the window"],
  ["F", "freeze the traces"],
  ["C", "connect, and disconnect"],
  ["T", "fold the tape"],
  ["← →", "nudge the ochre tick, with Shift ten times as far"],
  ["H", "hold what is wanted next; while it holds, take it now"],
  ["/", "find"],
  ["?", "this list"],
];

export function KeysHelp({ show, onHide }: { show: boolean; onHide: () => void }) {
  return (
    <Modal show={show} onHide={onHide} centered aria-labelledby="keys-title">
      <Modal.Header closeButton>
        <Modal.Title id="keys-title" as="h2">
          Keys
        </Modal.Title>
      </Modal.Header>
      <Modal.Body>
        <dl className={styles.keys}>
          {KEYS.map(([key, what]) => (
            <div key={key}>
              <dt>
                <kbd>{key}</kbd>
              </dt>
              <dd>{what}</dd>
            </div>
          ))}
        </dl>
        <p>Letter keys can be turned off in Settings. None of them works while you type.</p>
      </Modal.Body>
    </Modal>
  );
}
