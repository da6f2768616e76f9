import type { RefObject } from "react";
import type { DrawnLane } from "../../plot/Lanes";
import { savePng, saveText } from "../../plot/saveSvg";

interface Props {
  lanes: DrawnLane[];
  drawing: RefObject<SVGSVGElement | null>;
  name: string;
}

/** The lanes as drawn: a picture, or the numbers of the first one. */
export function SaveLanes({ lanes, drawing, name }: Props) {
  const csv = () => {
    const rows = lanes.flatMap((lane) =>
      lane.t.map((t, i) => [lane.id, t, lane.low[i], lane.high[i], lane.unit].map((cell) => cell ?? "").join(",")),
    );
    saveText(["lane,t_s,low,high,unit", ...rows].join("\n"), `${name}.csv`, "text/csv");
  };
  return (
    <>
      <button
        type="button"
        className="plain"
        disabled={!lanes.length}
        onClick={() => void savePng(drawing.current, name)}
      >
        PNG
      </button>
      <button type="button" className="plain" disabled={!lanes.length} onClick={csv}>
        CSV
      </button>
    </>
  );
}
