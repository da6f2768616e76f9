import { memo } from "react";
import { dashes, type Ground, linePoints, type Patch, type Point, uphill } from "../../model/world";
import styles from "./GroundDrawn.module.css";

/** A patch of light, or a ramp with an arrow uphill. */
function PatchDrawn({ patch, unit }: { patch: Patch; unit: number }) {
  const arrow = uphill(patch);
  const light = `lamp, ${patch.light_counts > 0 ? "+" : ""}${patch.light_counts} counts`;
  return (
    <g>
      <polygon
        points={corners(patch.polygon)}
        className={patch.light_counts === 0 ? styles.ramp : styles.lamp}
        strokeWidth={unit}
      >
        <title>{arrow ? `ramp, ${patch.grade_pct} %` : light}</title>
      </polygon>
      {arrow && <path d={arrowTo(...arrow, 9 * unit)} className={styles.uphill} strokeWidth={1.6 * unit} />}
    </g>
  );
}

/** A line with a head of so many millimetres. */
function arrowTo([x1, y1]: Point, [x2, y2]: Point, head: number): string {
  const looks = Math.atan2(y2 - y1, x2 - x1);
  const wing = (turn: number) => `${x2 - head * Math.cos(looks + turn)} ${y2 - head * Math.sin(looks + turn)}`;
  return `M${x1} ${y1}L${x2} ${y2}M${wing(0.5)}L${x2} ${y2}L${wing(-0.5)}`;
}

const corners = (points: Point[]) => points.map(([x, y]) => `${x},${y}`).join(" ");

/** What lies and stands in a world, in its own millimetres; `unit` is about a pixel. */
export const GroundDrawn = memo(function GroundDrawn({ ground, unit }: { ground: Ground; unit: number }) {
  return (
    <>
      {ground.polygon && <polygon points={corners(ground.polygon)} className={styles.table} strokeWidth={1.6 * unit} />}
      {ground.patches?.map((patch) => (
        <PatchDrawn key={corners(patch.polygon)} patch={patch} unit={unit} />
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
