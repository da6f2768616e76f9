import type { Sensor } from "../../api/client";
import { useLive, useNow } from "../../hooks/live";
import { usePlace } from "../../hooks/place";
import { useSettings } from "../../hooks/settings";
import { isOn, rawText, valueText } from "../../model/readings";
import { Strip } from "../../plot/Strip";
import { Glyph } from "../../ui/Glyph";
import { Glance } from "./Instruments";
import styles from "./Row.module.css";

/** One sensor: raw, converted, in words, with a short trace. */
export function Row({ sensor }: { sensor: Sensor }) {
  const place = usePlace();
  const live = useLive();
  const now = useNow();
  const settings = useSettings();
  const seen = now.sensors[sensor.id];
  const on = isOn(now);
  const value = on && seen?.value != null ? valueText(seen.value, sensor, settings) : null;
  const unheard = on && !seen?.readings;
  return (
    <button
      type="button"
      className={unheard ? `${styles.watchRow} ${styles.unheard}` : styles.watchRow}
      aria-pressed={sensor.id === place.sensor.id}
      onClick={() => place.pick(sensor.id)}
    >
      <span className={styles.watchName}>
        <b>
          {sensor.name}
          {on && now.findings.some((finding) => finding.sensor === sensor.id) && <Glyph of="fault" />}
        </b>
        <span className={styles.raw}>{on ? rawText(sensor, seen) : "no reading"}</span>
      </span>
      <span className={styles.watchValue}>
        <b>{value?.text ?? "—"}</b> <small>{value?.unit}</small>
      </span>
      <span className={styles.watchWords}>
        {on ? seen?.sentence : "not connected"}
        {on && !unheard && <Glance sensor={sensor} />}
      </span>
      <span className={styles.watchTrace}>
        {on && !unheard && (
          <Strip
            read={() => live.feed.buffer(sensor.id)}
            end={() => live.feed.clock()}
            seconds={10}
            low={sensor.low}
            high={sensor.high}
            fit
            frozen={live.frozen}
            label={`${sensor.name}, the last 10 seconds`}
          />
        )}
      </span>
    </button>
  );
}
