import { usePlace } from "../hooks/place";
import styles from "./SensorMenu.module.css";

/** Which sensor of the rig is selected, everywhere. */
export function SensorMenu({ label }: { label: string }) {
  const place = usePlace();
  return (
    <label className={styles.slabSensor}>
      <span className="visually-hidden">{label}</span>
      <select value={place.sensor.id} onChange={(event) => place.pick(event.target.value)}>
        {place.rig.sensors.map((sensor) => (
          <option key={sensor.id} value={sensor.id}>
            {sensor.name}
          </option>
        ))}
      </select>
    </label>
  );
}
