import type { Rig } from "../api/client";
import { usePlace } from "../hooks/place";
import styles from "./SensorTabs.module.css";

type Sensor = Rig["sensors"][number];

/** The sensors of a rig for which there is something to do here, where there are several. */
export function SensorTabs({ able }: { able: (sensor: Sensor) => boolean }) {
  const place = usePlace();
  const sensors = place.rig.sensors.filter((sensor) => able(sensor) || sensor.id === place.sensor.id);
  if (sensors.length < 2) return null;
  return (
    <nav className={styles.tabs} aria-label="Sensors">
      {sensors.map((sensor) => (
        <button
          key={sensor.id}
          type="button"
          aria-current={sensor.id === place.sensor.id ? "true" : undefined}
          onClick={() => place.pick(sensor.id)}
        >
          {sensor.name}
        </button>
      ))}
    </nav>
  );
}
