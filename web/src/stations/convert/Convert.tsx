import { usePlace } from "../../hooks/place";
import { useAddress } from "../../hooks/useAddress";
import { benchOf } from "./benchOf";
import { LoosePart } from "./LoosePart";
import { MountedSensor } from "./MountedSensor";
import { PartMenu } from "./PartMenu";

/** Convert on a rig: the selected sensor, a loose part, or one of the benches. */
export function Convert() {
  const place = usePlace();
  const { search, put } = useAddress();
  const first = (
    <PartMenu sensor={{ name: place.sensor.name, onPick: () => put({ bench: null, part: null }, false) }} />
  );
  const part = search.get("part");
  const open = benchOf(search.get("bench"), first, place.rig);
  if (open) return open;
  return part ? <LoosePart part={part} first={first} /> : <MountedSensor key={place.sensor.id} first={first} />;
}
