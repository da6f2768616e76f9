import { memo, useMemo } from "react";
import { usePlace } from "../../hooks/place";
import { type DriveRun, poseAt, stretches, wheelsAt } from "../../model/drive";
import { figure, THIN } from "../../model/format";
import { rowPlaces, scaleBar } from "../../model/plan";
import { type Ground, groundOf, type Point, spanOf } from "../../model/world";
import styles from "./Course.module.css";
import { GroundDrawn } from "./GroundDrawn";

interface Props {
  run: DriveRun;
  before: DriveRun | undefined;
  t: number;
}

/** The world from above and to scale, the way that was driven, and the vehicle where it is at a time. */
export function Course({ run, before, t }: Props) {
  if (run.world.kind === "rail") return <Rail run={run} ground={groundOf(run.world)} t={t} />;
  if (run.world.kind === "bench")
    return (
      <p className="empty">Nothing drives here: hands move what the sensor sees, and the lanes tell what answers.</p>
    );
  return <FromAbove run={run} before={before} t={t} />;
}

/** The world and the way lie still; what is played moves in a drawing of its own over them, so that a long way is drawn
 * once and not for every frame. */
function FromAbove({ run, before, t }: Props) {
  const ground = useMemo(() => groundOf(run.world), [run]);
  const [left, bottom, width, height] = useMemo(() => spanOf(ground, driven(run)), [ground, run]);
  const unit = Math.max(width / 520, height / 330); // about a pixel
  const box = `${left} ${-bottom - height} ${width} ${height + 8 * unit}`;
  return (
    <div className={styles.above} role="img" aria-label={`The ${run.world.name} from above: ${run.verdict}`}>
      <svg className={`${styles.course} ${styles.still}`} viewBox={box} aria-hidden="true">
        <g transform="scale(1 -1)">
          <GroundDrawn ground={ground} unit={unit} />
          <Way run={run} before={before} unit={unit} />
        </g>
        <ScaleBar width={width} right={left + width} bottom={bottom} unit={unit} />
      </svg>
      <svg className={`${styles.course} ${styles.moving}`} viewBox={box} aria-hidden="true">
        <g transform="scale(1 -1)">
          <Vehicle run={run} t={t} unit={unit} />
          <Failure run={run} unit={unit} right={left + width} />
        </g>
      </svg>
    </div>
  );
}

const Way = memo(function Way({ run, before, unit }: Omit<Props, "t"> & { unit: number }) {
  return (
    <>
      {before && <path d={way(before)} className={styles.before} strokeWidth={1.6 * unit} />}
      {stretches(run).map((part) => (
        <path key={part.d.slice(0, 40)} d={part.d} className={styles.way} strokeWidth={(1.6 + 7 * part.away) * unit} />
      ))}
    </>
  );
});

const ScaleBar = memo(function ScaleBar(at: { width: number; right: number; bottom: number; unit: number }) {
  const bar = scaleBar(at.width);
  return (
    <g transform={`translate(${at.right - bar - 30 * at.unit} ${-at.bottom})`}>
      <path d={`M0 ${-5 * at.unit}V0H${bar}V${-5 * at.unit}`} className={styles.bar} strokeWidth={1.6 * at.unit} />
      <text x={bar / 2} y={-8 * at.unit} textAnchor="middle" style={{ fontSize: 14 * at.unit }}>
        {figure(bar, 0)}
        {THIN}mm
      </text>
    </g>
  );
});

/** The corners of all that the vehicle reached, its own length around its way. */
function driven(run: DriveRun): Point[] {
  const reach = run.outline.front_mm;
  const [xs, ys] = [run.x_mm.map((x) => x ?? 0), run.y_mm.map((y) => y ?? 0)];
  return [
    [Math.min(...xs) - reach, Math.min(...ys) - reach],
    [Math.max(...xs) + reach, Math.max(...ys) + reach],
  ];
}

const way = (run: DriveRun) => `M${run.t_s.map((_, i) => `${run.x_mm[i]} ${run.y_mm[i]}`).join("L")}`;

const BAD: Record<string, string> = { lost: "left the line", hit: "touched", fall: "fell" };
const WORDS = 250;

/** Where it went wrong, with its time: written to the side where there is room. */
function Failure({ run, unit, right }: { run: DriveRun; unit: number; right: number }) {
  const bad = run.events.find((event) => event.kind in BAD);
  if (!bad) return null;
  const { x, y } = poseAt(run, bad.t_s);
  const size = 6 * unit;
  const side = x + WORDS * unit > right ? -1 : 1;
  return (
    <g transform={`translate(${x} ${y})`} className={styles.bad}>
      <path d={`M${-size} ${-size}L${size} ${size}M${-size} ${size}L${size} ${-size}`} strokeWidth={2 * unit} />
      <path d={`M0 0L${side * 84 * unit} ${34 * unit}`} strokeWidth={1.2 * unit} />
      <text
        transform="scale(1 -1)"
        x={side * 88 * unit}
        y={-34 * unit}
        textAnchor={side < 0 ? "end" : "start"}
        style={{ fontSize: 15 * unit }}
      >
        {BAD[bad.kind]}, {figure(bad.t_s, 1)}
        {THIN}s
      </text>
    </g>
  );
}

/** The outline of what drives, its wheels, and where its sensors look. */
function Vehicle({ run, t, unit }: { run: DriveRun; t: number; unit: number }) {
  const { rig } = usePlace();
  const { x, y, heading } = poseAt(run, t);
  const { front_mm: front, rear_mm: rear, width_mm: width, track_mm: track } = run.outline;
  const wheel = Math.max(24, 0.2 * track);
  const wheels = wheelsAt(run, t);
  return (
    <g transform={`translate(${x} ${y}) rotate(${heading})`} className={styles.vehicle}>
      {rig.parts
        .filter((part) => part.mount && part.cone_deg !== null)
        .map((part) => (
          <Beam key={part.id} part={part} unit={unit} />
        ))}
      <rect x={-rear} y={-width / 2} width={rear + front} height={width} strokeWidth={1.6 * unit} />
      {wheels.map(({ x, y, turned }) => (
        <rect
          key={`${x} ${y}`}
          x={-wheel / 2}
          y={-wheel / 8}
          width={wheel}
          height={wheel / 4}
          transform={`translate(${x} ${y}) rotate(${turned})`}
          className={styles.wheel}
        />
      ))}
      {rig.parts
        .filter((part) => part.mount && part.row)
        .flatMap((part) =>
          rowPlaces(part.row ?? 0, part.pitch_mm ?? 12).map((aside) => (
            <circle
              key={`${part.id} ${aside}`}
              cx={part.mount?.x_mm ?? 0}
              cy={(part.mount?.y_mm ?? 0) - aside}
              r={2.4 * unit}
              className={styles.spot}
            />
          )),
        )}
    </g>
  );
}

type Part = ReturnType<typeof usePlace>["rig"]["parts"][number];

function Beam({ part, unit }: { part: Part; unit: number }) {
  const mount = part.mount ?? { x_mm: 0, y_mm: 0, heading_deg: 0 };
  const reach = 130 * unit;
  const half = (((part.cone_deg ?? 10) / 2) * Math.PI) / 180;
  const looks = (mount.heading_deg * Math.PI) / 180;
  const end = (angle: number) =>
    `${mount.x_mm + reach * Math.cos(looks + angle)} ${mount.y_mm + reach * Math.sin(looks + angle)}`;
  return <path d={`M${mount.x_mm} ${mount.y_mm}L${end(-half)}L${end(half)}Z`} className={styles.beam} />;
}

/** A rail from the side: the ranger at its near end, the ball or the float, and the wanted place. A tube stands, the
 * ranger on top and the fan under it. */
function Rail({ run, ground, t }: { run: DriveRun; ground: Ground; t: number }) {
  const [from, length] = [ground.from_mm ?? 0, ground.length_mm ?? 1];
  const stands = ground.plant === "tube";
  const at = poseAt(run, t).x;
  const wanted = run.settings.find((setting) => setting.name === "set_mm")?.value ?? 0;
  const spot = (mm: number, aside = 0): Point => {
    const share = mm / (from + length);
    return stands ? [300 + aside, 24 + 250 * share] : [40 + 560 * share, 80 + aside];
  };
  const turned = (point: Point) => `translate(${point}) rotate(${stands ? 0 : 90})`;
  return (
    <svg
      className={styles.course}
      viewBox={`0 0 640 ${stands ? 310 : 150}`}
      role="img"
      aria-label={`On the ${ground.plant}: ${run.verdict}`}
    >
      <path d="M-16 -6h32v-14h-32z" transform={turned(spot(0))} className={styles.box} strokeWidth="1.6" />
      {(stands ? [-18, 18] : [14]).map((aside) => (
        <path
          key={aside}
          d={`M${spot(from, aside)}L${spot(from + length, aside)}`}
          className={styles.wall}
          strokeWidth="2.6"
        />
      ))}
      {stands && (
        <path d="M-14 6h28M0 6v10M-14 16h28v8h-28z" transform={turned(spot(from + length))} className={styles.fan} />
      )}
      <path d="M0 0l14 -8v16z" transform={turned(spot(wanted, 22))} className={styles.wanted} />
      <Label of="wanted" mm={wanted} at={spot(wanted, stands ? 44 : 54)} anchor={stands ? "start" : "middle"} />
      <circle r="12" transform={turned(spot(at))} className={styles.ball} strokeWidth="1.6" />
      <Label of="" mm={at} at={spot(at, stands ? -28 : -22)} anchor={stands ? "end" : "middle"} />
    </svg>
  );
}

function Label({
  of,
  mm,
  at: [x, y],
  anchor,
}: {
  of: string;
  mm: number;
  at: Point;
  anchor: "start" | "middle" | "end";
}) {
  return (
    <text x={x} y={y} textAnchor={anchor} dominantBaseline="middle">
      {of} {figure(mm, 0)}
      {THIN}mm
    </text>
  );
}
