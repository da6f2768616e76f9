import type { Schemas } from "../api/client";
import { beamPath, extent, rowPlaces } from "../model/plan";
import styles from "./RigDrawn.module.css";

type Drawn = Schemas["DrawnRig"];
type Part = Drawn["parts"][number];
type Mount = NonNullable<Part["mount"]>;

/** A rig as a small drawing: from above where its sizes are known, else its board with what is wired to it. */
export function RigDrawn({ drawn }: { drawn: Drawn }) {
  const placed = drawn.parts.flatMap((part) => (part.mount ? [{ ...part, mount: part.mount }] : []));
  const { length_mm: length, width_mm: width } = drawn.geometry;
  return length !== null && width !== null && placed.length > 0 ? (
    <FromAbove drawn={drawn} placed={placed} />
  ) : (
    <OnBoard parts={drawn.parts} />
  );
}

function FromAbove({ drawn, placed }: { drawn: Drawn; placed: (Part & { mount: Mount })[] }) {
  const { length_mm: length, width_mm: width, track_mm: track, front_mm: front, wheel_mm: wheel } = drawn.geometry;
  const box = extent(drawn.geometry, placed);
  if (!box || length === null || width === null) return null;
  const looks = placed.map((part) =>
    (part.reach_mm ?? 0) > 0 ? Math.cos((part.mount.heading_deg * Math.PI) / 180) : 0,
  );
  const [above, below] = [looks.some((way) => way > 0.5), looks.some((way) => way < -0.5)];
  const cut = 0.6 * box.beam; // a small drawing needs little of a beam
  const [top, high] = [box.y + (above ? cut : 0), box.height - (above ? cut : 0) - (below ? cut : 0)];
  const unit = high / 110;
  const tyre = wheel ?? 60;
  return (
    <svg className={styles.drawn} viewBox={`${box.x} ${top} ${box.width} ${high}`} aria-hidden="true">
      {placed
        .filter((part) => part.reach_mm !== null)
        .map((part) => (
          <path
            key={part.id}
            d={beamPath(
              -part.mount.y_mm,
              -part.mount.x_mm,
              part.mount.heading_deg,
              part.cone_deg ?? 3,
              Math.min(part.reach_mm ?? 0, box.beam),
            )}
            className={styles.beam}
          />
        ))}
      <rect
        x={-width / 2}
        y={-(front ?? length / 2)}
        width={width}
        height={length}
        className={styles.body}
        strokeWidth={1.6 * unit}
      />
      {track !== null &&
        [-1, 1].map((side) => (
          <rect
            key={side}
            x={(side * track) / 2 - 0.12 * tyre}
            y={-tyre / 2}
            width={0.24 * tyre}
            height={tyre}
            className={styles.dark}
          />
        ))}
      {placed.flatMap((part) =>
        (part.row ? rowPlaces(part.row, part.pitch_mm ?? 0) : [0]).map((aside) => (
          <circle
            key={`${part.id} ${aside}`}
            cx={-part.mount.y_mm + aside}
            cy={-part.mount.x_mm}
            r={2.4 * unit}
            className={styles.dark}
          />
        )),
      )}
    </svg>
  );
}

const WIDE = 200;
const SIGN = 30;
const MOST = 6; // parts that are drawn

/** The board on the left, what is wired to it beside it, each by its sign. */
function OnBoard({ parts }: { parts: Part[] }) {
  const shown = parts.slice(0, MOST);
  const columns = shown.length > 3 ? 2 : 1;
  const rows = Math.ceil(shown.length / columns);
  const high = Math.max(2, rows) * (SIGN + 10) + 10;
  const middle = high / 2;
  return (
    <svg className={styles.drawn} viewBox={`0 0 ${WIDE} ${high}`} aria-hidden="true">
      <rect x="10" y={middle - 32} width="44" height="64" className={styles.body} strokeWidth="1.6" />
      <path d={comb(middle)} className={styles.line} />
      {shown.map((part, i) => {
        const [column, row] = [i % columns, Math.floor(i / columns)];
        const [x, y] = [104 + column * 50, 10 + row * (SIGN + 10) + ((Math.max(2, rows) - rows) * (SIGN + 10)) / 2];
        const from = middle - 24 + (48 * (i + 0.5)) / shown.length;
        return (
          <g key={part.id}>
            <path d={`M54 ${from}H${72 + 4 * row}V${y + SIGN / 2 + 3 * column}H${x - 4}`} className={styles.wire} />
            <g transform={`translate(${x} ${y})`} className={styles.sign}>
              <path d={SIGNS[part.kind] ?? SIGNS[part.family] ?? SIGNS.output} />
            </g>
          </g>
        );
      })}
    </svg>
  );
}

const comb = (middle: number) =>
  Array.from({ length: 9 }, (_, i) => `M10 ${middle - 26 + 6.5 * i}h6M48 ${middle - 26 + 6.5 * i}h6`).join("");

/** What a part is, drawn in a square of 30: by its kind, else by what it senses. */
const SIGNS: Record<string, string> = {
  distance: "M3 8h8v14h-8zM15 10q4 5 0 10M19 7q7 8 0 16M23 4q10 11 0 22",
  surface: "M3 6h24v8h-24zM8 14v4M15 14v4M22 14v4M3 24h24",
  turning: "M15 3a12 12 0 1 0 .01 0zM15 12a3 3 0 1 0 .01 0zM15 3v4M27 15h-4M15 27v-4M3 15h4",
  tilt: "M3 22h24M3 22L26 10M15 3v9",
  air: "M12 4h6v14a6 6 0 1 1-6 0zM15 12v10",
  power: "M3 9h21v13h-21zM24 13h3v5h-3M8 12v7M13 12v7",
  sound: "M9 4h8v12h-8zM5 12q0 8 8 8q8 0 8-8M13 20v6M8 26h10",
  output: "M4 4h22v22h-22z",
  led: "M15 8a7 7 0 1 0 .01 0zM15 2v3M24 6l-2 2M6 6l2 2M15 22v6",
  "led-bar": "M3 8h3v14h-3zM9 8h3v14h-3zM15 8h3v14h-3zM21 8h3v14h-3z",
  "motor-driver": "M4 9h6v12h-6zM20 9h6v12h-6zM10 15h10",
  servo: "M5 10h14v12h-14zM12 10L24 3M2 13h3M19 13h3",
  buzzer: "M5 11h5l7-6v20l-7-6h-5zM21 11q3 4 0 8",
};
