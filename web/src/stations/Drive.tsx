import { usePlace } from "../hooks/place";
import { Verdict } from "../ui/Verdict";

export function Drive() {
  const place = usePlace();
  return (
    <>
      <Verdict>Drive is not there yet</Verdict>
      <div className="empty">
        <p>
          Simulated runs with this rig’s geometry, noise and thresholds will stand here. Until then, the trip and clear
          distances of Decide can go into {place.rig.rig.title}’s program by way of a stone.
        </p>
        <p className="caution">
          First runs: wheels off the ground, fingers and sleeves away from what spins, someone at the switch. On paths
          and roads the local rules hold; ask where you are not sure.
        </p>
        <button type="button" className="act" onClick={() => place.go("decide")}>
          Go to Decide
        </button>
      </div>
    </>
  );
}
