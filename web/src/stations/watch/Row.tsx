import type { Sensor } from "../../api/client";
import { useBench, useNow } from "../../hooks/bench";
import { useSettings } from "../../hooks/settings";
import { Strip } from "../../plot/Strip";
import { Glyph } from "../../ui/Glyph";
import { Glance } from "./Instruments";
import { isOn, rawText, valueText } from "./said";

/** One sensor: raw, converted, in words, with a short trace. */
export function Row({ sensor }: { sensor: Sensor }) {
  const bench = useBench();
  const now = useNow();
  const settings = useSettings();
  const seen = now.sensors[sensor.id];
  const on = isOn(now);
  const value = on && seen?.value != null ? valueText(seen.value, sensor, settings) : null;
  const unheard = on && !seen?.readings;
  return (
    <button
      type="button"
      className={unheard ? "watch-row unheard" : "watch-row"}
      aria-pressed={sensor.id === bench.sensor.id}
      onClick={() => bench.pick(sensor.id)}
    >
      <span className="watch-name">
        <b>
          {sensor.name}
          {on && now.findings.some((one) => one.sensor === sensor.id) && <Glyph of="fault" />}
        </b>
        <span className="raw">{on ? rawText(sensor, seen) : "no reading"}</span>
      </span>
      <span className="watch-value">
        <b>{value?.text ?? "—"}</b> <small>{value?.unit}</small>
      </span>
      <span className="watch-words">
        {on ? seen?.sentence : "not connected"}
        {on && !unheard && <Glance sensor={sensor} />}
      </span>
      <span className="watch-trace">
        {on && !unheard && (
          <Strip
            read={() => bench.feed.buffer(sensor.id)}
            end={() => bench.feed.clock()}
            seconds={10}
            low={sensor.low}
            high={sensor.high}
            fit
            frozen={bench.frozen}
            label={`${sensor.name}, the last 10 seconds`}
          />
        )}
      </span>
    </button>
  );
}
