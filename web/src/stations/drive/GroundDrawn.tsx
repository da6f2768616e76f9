import { memo } from "react";
import { dashes, type Ground, linePoints, type Point } from "../../model/world";
import styles from "./GroundDrawn.module.css";

const corners = (points: Point[]) => points.map(([x, y]) => `${x},${y}`).join(" ");

/** What lies and stands in a world, in its own millimetres; `unit` is about a pixel. */
export const GroundDrawn = memo(function GroundDrawn({ ground, unit }: { ground: Ground; unit: number }) {
  return (
    <>
      {ground.polygon && <polygon points={corners(ground.polygon)} className={styles.table} strokeWidth={1.6 * unit} />}
      {ground.patches?.map((patch) => (
        <polygon
          key={corners(patch.polygon)}
          points={corners(patch.polygon)}
          className={styles.lamp}
          strokeWidth={unit}
        >
          <title>{`lamp, ${patch.light_counts > 0 ? "+" : ""}${patch.light_counts} counts`}</title>
        </polygon>
      ))}
      {ground.lines?.map((line) => {
        const points = linePoints(line);
        const path = `M${points.map(([x, y]) => `${x} ${y}`).join("L")}${line.closed ? "Z" : ""}`;
        return (
          <path
            key={path.slice(0, 60)}
            d={path}
            className={styles.tape}
            strokeWidth={line.width_mm}
            strokeDasharray={dashes(points, line.closed, line.gaps)}
          />
        );
      })}
      {ground.boxes?.map((box) => (
        <polygon
          key={corners(box.polygon)}
          points={corners(box.polygon)}
          className={styles.box}
          strokeWidth={1.6 * unit}
        />
      ))}
      {ground.walls?.map(([x1, y1, x2, y2]) => (
        <line
          key={`${x1} ${y1} ${x2} ${y2}`}
          {...{ x1, y1, x2, y2 }}
          className={styles.wall}
          strokeWidth={2.6 * unit}
        />
      ))}
      {ground.curtains?.map(([x1, y1, x2, y2]) => (
        <line
          key={`${x1} ${y1} ${x2} ${y2}`}
          {...{ x1, y1, x2, y2 }}
          className={styles.wall}
          strokeWidth={2.6 * unit}
          strokeDasharray={`${3 * unit} ${5 * unit}`}
        >
          <title>a curtain: it sends no echo back</title>
        </line>
      ))}
    </>
  );
});
