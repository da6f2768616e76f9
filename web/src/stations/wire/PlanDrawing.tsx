import type { Rig } from "../../api/client";
import { figure } from "../../model/format";
import { beamPath, extent, rowPlaces, scaleBar, spread } from "../../model/plan";
import styles from "./PlanDrawing.module.css";

export type Geometry = Rig["rig"]["geometry"];
type Part = Rig["parts"][number];
type Mount = NonNullable<Part["mount"]>;
export type Mounts = Record<string, Mount | null>;
type Placed = Part & { mount: Mount };

interface Props {
  rig: Rig;
  geometry: Geometry;
  mounts: Mounts;
}

const at = (mount: Mount) => ({ x: -mount.y_mm, y: -mount.x_mm }); // forward is up, left is left

/** The vehicle from above, to scale: its body and wheels, its sensors with their beams. */
export function PlanDrawing({ rig, geometry, mounts }: Props) {
  const placed = rig.parts.flatMap((part) => {
    const mount = mounts[part.id];
    return mount ? [{ ...part, mount }] : [];
  });
  const box = extent(geometry, placed);
  if (!box)
    return (
      <p className="empty">
        Nothing is known of its sizes yet. Type a length, a width and a track, and where the parts sit: the plan draws
        itself, wires get their lengths, and beams are checked against the floor.
      </p>
    );
  const unit = box.width / 852; // about one pixel of the screen, for sizes of text and ticks
  const bar = scaleBar(box.width);
  const text = { fontSize: 15 * unit };
  const line = geometry.line_mm;
  return (
    <svg
      data-drawing="plan"
      className={styles.rigPlan}
      viewBox={`${box.x} ${box.y} ${box.width} ${box.height}`}
      role="img"
      aria-label={`${rig.rig.title} from above, with the beams of its sensors`}
    >
      {line !== null && (
        <rect x={-line / 2} y={box.y} width={line} height={box.height} className={styles.planLine}>
          <title>{`tape ${line} mm`}</title>
        </rect>
      )}
      <Body geometry={geometry} unit={unit} />
      {placed.map((part) => (
        <Mounted key={part.id} part={part} reach={Math.min(part.reach_mm ?? 0, box.beam)} unit={unit} />
      ))}
      <rect
        x={-geometry.board_y_mm - 22 * unit}
        y={-geometry.board_x_mm - 14 * unit}
        width={44 * unit}
        height={28 * unit}
        className={styles.planBoard}
        strokeWidth={1.5 * unit}
      />
      {spread(placed, 22 * unit).map(({ part, side, y }) => {
        const to = side === "right" ? box.x + box.width - 300 * unit : box.x + 260 * unit;
        return <PartName key={part.id} part={part} right={side === "right"} to={to} y={y} unit={unit} />;
      })}
      <g transform={`translate(${box.x + 16 * unit} ${box.y + box.height - 18 * unit})`}>
        <path d={`M0 ${-6 * unit}V0H${bar}V${-6 * unit}`} className={styles.planScale} strokeWidth={2 * unit} />
        <text x={bar + 8 * unit} y="0" style={text}>
          {figure(bar, 0)} mm
        </text>
      </g>
    </svg>
  );
}

/** Outline, wheels and axle, as far as their sizes are known. */
function Body({ geometry, unit }: { geometry: Geometry; unit: number }) {
  const { length_mm: length, width_mm: width, track_mm: track, front_mm: front } = geometry;
  const wheel = geometry.wheel_mm ?? 60;
  return (
    <>
      {length !== null && width !== null && (
        <rect
          x={-width / 2}
          y={-(front ?? length / 2)}
          width={width}
          height={length}
          className={styles.planBody}
          strokeWidth={2 * unit}
        />
      )}
      {track !== null &&
        [-1, 1].map((side) => (
          <rect
            key={side}
            x={(side * track) / 2 - Math.max(wheel * 0.12, 5)}
            y={-wheel / 2}
            width={Math.max(wheel * 0.24, 10)}
            height={wheel}
            className={styles.planWheel}
          />
        ))}
      {track !== null && (
        <line x1={-track / 2} x2={track / 2} y1="0" y2="0" className={styles.planAxle} strokeWidth={2 * unit} />
      )}
    </>
  );
}

/** A part where it sits, with its beam and where that meets the floor. */
function Mounted({ part, reach, unit }: { part: Placed; reach: number; unit: number }) {
  const { x, y } = at(part.mount);
  const heading = part.mount.heading_deg;
  const { cone_deg: cone, floor_from_mm: floor } = part;
  return (
    <g>
      {cone !== null && (
        <path d={beamPath(x, y, heading, cone, reach)} className={styles.planBeam}>
          <title>{`${cone}° to ${part.reach_mm} mm`}</title>
        </path>
      )}
      {cone === null && part.reach_mm !== null && (
        <path d={beamPath(x, y, heading, 2, reach)} className={styles.planBeam} />
      )}
      {floor !== null && cone !== null && floor < reach && (
        <path d={beamPath(x, y, heading, cone, floor, true)} className={styles.planFloor} strokeWidth={2 * unit} />
      )}
      {part.row ? (
        rowPlaces(part.row, part.pitch_mm ?? 0).map((side) => (
          <circle key={side} cx={x + side} cy={y} r={3 * unit} className={styles.planSensor} />
        ))
      ) : (
        <rect x={x - 6 * unit} y={y - 4 * unit} width={12 * unit} height={8 * unit} className={styles.planSensor} />
      )}
    </g>
  );
}

interface PartNameProps {
  part: Placed;
  right: boolean;
  to: number;
  y: number;
  unit: number;
}

/** The name of a part beside the vehicle, with a line to where it sits. */
function PartName({ part, right, to, y: beside, unit }: PartNameProps) {
  const { x, y } = at(part.mount);
  const floor = part.floor_from_mm !== null && part.cone_deg !== null ? Math.round(part.floor_from_mm) : null;
  return (
    <g>
      <path d={`M${x} ${y}H${(x + to) / 2}L${to} ${beside}`} className={styles.planLeader} strokeWidth={unit} />
      <text
        x={right ? to + 6 * unit : to - 6 * unit}
        y={beside + 5 * unit}
        textAnchor={right ? "start" : "end"}
        style={{ fontSize: 15 * unit }}
      >
        {part.name}
        {part.height_mm !== null ? `, ${figure(part.height_mm, 0)} mm up` : ""}
        {floor !== null ? `, floor from ${figure(floor, 0)} mm` : ""}
      </text>
    </g>
  );
}
