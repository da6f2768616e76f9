import { useEffect, useRef } from "react";
import { useNow } from "../../hooks/live";
import { usePlace } from "../../hooks/place";
import { useSettings } from "../../hooks/settings";
import { isOn, valueText } from "../../model/readings";
import styles from "./Large.module.css";

/** One figure as large as the window, readable from two metres; Escape or a tap puts it away. */
export function Large() {
  const place = usePlace();
  const settings = useSettings();
  const dialog = useRef<HTMLDialogElement>(null);
  const now = useNow();
  const { sensor } = place;
  const seen = now.sensors[sensor.id];
  const value = isOn(now) && seen?.value != null ? valueText(seen.value, sensor, settings) : null;
  const close = () => place.show({ large: null });
  useEffect(() => dialog.current?.showModal(), []);
  const next = () => {
    const at = place.rig.sensors.findIndex((other) => other.id === sensor.id);
    const other = place.rig.sensors[(at + 1) % place.rig.sensors.length];
    if (other) place.show({ sensor: other.id });
  };
  return (
    <dialog ref={dialog} className={styles.large} aria-label={`${sensor.name}, large`} onClose={close}>
      <p className={styles.largeName}>{sensor.name}</p>
      <p className={styles.largeFigure} data-long={(value?.text.length ?? 1) > 5}>
        {value?.text ?? "—"}
        <small>{value?.unit}</small>
      </p>
      <p className={styles.largeWords}>
        {isOn(now) ? (value ? seen?.sentence : seen?.reason || seen?.sentence) : "Not connected."}
      </p>
      <p className={styles.largeKeys}>
        {place.rig.sensors.length > 1 && (
          <button type="button" className="act" onClick={next}>
            Next sensor
          </button>
        )}
        <button type="button" className="act" onClick={() => dialog.current?.close()}>
          Close <kbd>Esc</kbd>
        </button>
      </p>
    </dialog>
  );
}
