import { api, type Rig } from "../../api/client";
import { usePlace } from "../../hooks/place";
import styles from "./InWires.module.css";
import { useRigChange } from "./useRigChange";

interface Props {
  parts: Rig["in_wires"];
  onDone?: () => void;
}

/** What sits in wires, each with its reason; one that the wire on the bench has not is taken out. */
export function InWires({ parts, onDone }: Props) {
  const { rig } = usePlace();
  const { change, refusal, path, revision } = useRigChange();
  const name = (sensor: string) => rig.parts.find((part) => part.id === sensor)?.name ?? sensor;
  const take = async ({ sensor, pin, what }: Rig["in_wires"][number]) => {
    const done = await change(
      api.POST("/api/rigs/{slug}/wire/remove-part", { ...path, body: { sensor, pin, what, revision } }),
      `Taken out of the wire of ${name(sensor)} ${pin}; what that means stands in the heading.`,
    );
    if (done) onDone?.();
  };
  return (
    <>
      <ul className={styles.inWires}>
        {parts.map((part) => (
          <li key={`${part.sensor} ${part.pin} ${part.what}`}>
            <span>
              <b>
                {name(part.sensor)}, {part.pin}
              </b>
              : {part.words}
              <small>because {part.because}</small>
            </span>
            <button
              type="button"
              className="act"
              aria-label={`Mine has none: ${part.what.replace("_", "-")} at ${name(part.sensor)} ${part.pin}`}
              onClick={() => void take(part)}
            >
              Mine has none
            </button>
          </li>
        ))}
      </ul>
      <p className="field-fault" role="alert">
        {refusal?.message}
      </p>
    </>
  );
}
