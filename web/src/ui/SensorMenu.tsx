import { useBench } from "../hooks/bench";

/** Which sensor of the rig is selected, everywhere. */
export function SensorMenu({ label }: { label: string }) {
  const bench = useBench();
  return (
    <label className="slab-sensor">
      <span className="visually-hidden">{label}</span>
      <select value={bench.sensor.id} onChange={(event) => bench.pick(event.target.value)}>
        {bench.rig.sensors.map((sensor) => (
          <option key={sensor.id} value={sensor.id}>
            {sensor.name}
          </option>
        ))}
      </select>
    </label>
  );
}
