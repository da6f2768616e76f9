import { usePlace } from "../../hooks/place";
import { useDrive } from "../../hooks/useDrive";
import { Verdict } from "../../ui/Verdict";
import styles from "./Drive.module.css";
import { Numbers } from "./Numbers";
import { Shown } from "./Shown";

/** The run before the run: a behaviour of the rig in a world drawn to scale, and why it fails. */
export function Drive() {
  const place = usePlace();
  const drive = useDrive();
  const { behaviour, run } = drive;
  const heading = behaviour?.lacks
    ? "Nothing on this rig can be run yet"
    : run.error
      ? run.error.message
      : (run.data?.verdict ?? "Working it out");
  return (
    <>
      <Verdict
        next={
          <p className="next">
            <b>{run.data?.why && !behaviour?.lacks ? "Why:" : "Next:"}</b>{" "}
            <span>
              {behaviour?.lacks || run.data?.why || "change a number: the run is worked again, the old way stays pale."}
            </span>
            {behaviour?.lacks && (
              <button
                type="button"
                className="act act-first"
                onClick={() => place.go("wire", { view: "parts", fit: "" })}
              >
                Fit a part
              </button>
            )}
          </p>
        }
      >
        {heading}
      </Verdict>
      <Choices drive={drive} />
      <div className={styles.bench}>
        <div>{run.data && <Shown run={run.data} before={drive.before} behaviour={behaviour} />}</div>
        {run.data && <Numbers run={run.data} given={drive.given} onSet={drive.set} />}
      </div>
      <p className="caution">
        First runs on the floor: wheels off the ground, fingers and sleeves away from what spins, someone at the switch.
        On paths and roads the local rules hold; ask where you are not sure.
      </p>
    </>
  );
}

/** Which behaviour, in which world, with which chance. */
function Choices({ drive }: { drive: ReturnType<typeof useDrive> }) {
  const { choices, behaviour, world, seed, put } = drive;
  return (
    <div className={styles.choices}>
      <label>
        <span>Does</span>
        <select
          aria-label="Behaviour"
          value={behaviour?.id ?? ""}
          onChange={(event) => put({ behaviour: event.target.value, world: null, set: null })}
        >
          {choices?.behaviours.map((each) => (
            <option key={each.id} value={each.id} disabled={each.lacks !== ""} title={each.lacks || each.words}>
              {each.title}
              {each.lacks && " (a part is missing)"}
            </option>
          ))}
        </select>
      </label>
      <label>
        <span>in</span>
        <select aria-label="World" value={world} onChange={(event) => put({ world: event.target.value })}>
          {choices?.worlds.map((each) => (
            <option key={each.name} value={each.name}>
              {each.name}
            </option>
          ))}
        </select>
      </label>
      <button type="button" className="act" onClick={() => put({ seed: String(seed + 1) })}>
        Another chance: seed {seed}
      </button>
    </div>
  );
}
