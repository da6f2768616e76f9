import type { ReactNode } from "react";
import type { Rig } from "../../api/client";
import { FileBench } from "./FileBench";
import { Resistors } from "./Resistors";
import { SecondOpinion } from "./SecondOpinion";
import { TiltBench } from "./TiltBench";
import { TimerPlanner } from "./TimerPlanner";

/** The special bench that the address names, or null. */
export function benchOf(name: string | null, first: ReactNode, rig: Rig | null): ReactNode {
  switch (name) {
    case "timer":
      return <TimerPlanner first={first} />;
    case "opinion":
      return <SecondOpinion first={first} />;
    case "resistors":
      return <Resistors first={first} />;
    case "tilt":
      return <TiltBench first={first} />;
    case "file":
      return <FileBench first={first} rig={rig} />;
    default:
      return null;
  }
}
