import { graduations, scale } from "../../model/scale";
import styles from "./LevelCross.module.css";

const HALF = 62;
const SPAN = 15;

/** Two rules across each other with one mark: where it stands is how the vehicle leans. Beyond the rules it waits at the
 * end, as an outline. */
export function LevelCross({ roll, pitch }: { roll: number; pitch: number }) {
  const along = scale(-SPAN, SPAN, -HALF, HALF);
  const beyond = Math.abs(roll) > SPAN || Math.abs(pitch) > SPAN;
  const held = (angle: number) => along(Math.max(-SPAN, Math.min(SPAN, angle)));
  const marks = graduations(-SPAN, SPAN, 6).filter((mark) => mark.size !== "short");
  const level = Math.hypot(roll, pitch) < 0.3;
  return (
    <svg
      className={styles.levelCross}
      viewBox="-76 -76 152 152"
      width="152"
      height="152"
      role="img"
      aria-label={`Left side up ${roll.toFixed(1)} degrees, nose up ${(-pitch).toFixed(1)} degrees`}
    >
      <line x1={-HALF} x2={HALF} y1="0" y2="0" />
      <line y1={-HALF} y2={HALF} x1="0" x2="0" />
      {marks.map((mark) => {
        const size = mark.size === "long" ? 8 : mark.size === "middle" ? 5 : 3;
        return (
          <g key={mark.at}>
            <line x1={along(mark.at)} x2={along(mark.at)} y1={-size} y2={size} />
            <line y1={along(mark.at)} y2={along(mark.at)} x1={-size} x2={size} />
          </g>
        );
      })}
      <rect x="-11" y="-11" width="22" height="22" className={level ? `${styles.rest} ${styles.true}` : styles.rest} />
      <rect
        x={held(roll) - 8}
        y={held(pitch) - 8}
        width="16"
        height="16"
        className={beyond ? `${styles.bob} ${styles.beyond}` : styles.bob}
      />
    </svg>
  );
}
