import { useState } from "react";
import { api, type Rig } from "../../api/client";
import { usePlace } from "../../hooks/place";
import { useFaults } from "../../hooks/useFaults";
import { figure, THIN } from "../../model/format";
import { beamPath, extent, rowPlaces, scaleBar, spread } from "../../model/plan";
import { saveSvg } from "../../plot/saveSvg";
import { Cell } from "../../ui/Cell";
import { Glyph } from "../../ui/Glyph";
import table from "../../ui/table.module.css";
import log from "../Log.module.css";
import styles from "./Plan.module.css";
import shared from "./shared.module.css";
import { useRigChange } from "./useRigChange";

type Geometry = Rig["rig"]["geometry"];
type Part = Rig["parts"][number];
type Mount = NonNullable<Part["mount"]>;

const SIZES: [keyof Geometry, string][] = [
  ["length_mm", "length"],
  ["width_mm", "width"],
  ["front_mm", "bumper before the axle"],
  ["wheel_mm", "wheel diameter"],
  ["track_mm", "track"],
  ["cog_height_mm", "centre of gravity, height"],
  ["line_mm", "width of the tape"],
  ["board_x_mm", "board, forward"],
  ["board_y_mm", "board, left"],
];
const PLACE: [keyof Mount, string][] = [
  ["x_mm", "forward"],
  ["y_mm", "left"],
  ["height_mm", "height"],
  ["heading_deg", "looks, °"],
];

/** The vehicle from above, drawn from its numbers, with the numbers beside it. */
export function Plan() {
  const { rig } = usePlace();
  const said = JSON.stringify([rig.rig.geometry, rig.parts.map((part) => [part.id, part.mount])]);
  return <PlanOf key={said} rig={rig} />;
}

function PlanOf({ rig }: { rig: Rig }) {
  const { change, refusal, path, revision } = useRigChange();
  const [geometry, setGeometry] = useState<Geometry>(rig.rig.geometry);
  const [mounts, setMounts] = useState<Record<string, Mount | null>>(
    Object.fromEntries(rig.parts.map((part) => [part.id, part.mount])),
  );
  const { faulty, onFault } = useFaults();
  const before = Object.fromEntries(rig.parts.map((part) => [part.id, part.mount]));
  const changed = JSON.stringify([geometry, mounts]) !== JSON.stringify([rig.rig.geometry, before]);
  const save = () =>
    void change(
      api.PUT("/api/rigs/{slug}/geometry", { ...path, body: { geometry, mounts, revision } }),
      "Sizes and places are changed.",
    );
  const put = (id: string, name: keyof Mount, value: number | null) => {
    const old = mounts[id] ?? { x_mm: 0, y_mm: 0, height_mm: null, heading_deg: 0 };
    setMounts({ ...mounts, [id]: { ...old, [name]: value ?? (name === "height_mm" ? null : 0) } });
  };
  return (
    <>
      <div className={shared.wireBoard}>
        <span>From above, millimetres from the middle of the drive axle: forward and left count up.</span>
        <span className="spring" />
        <button
          type="button"
          className="plain"
          onClick={() => saveSvg(document.querySelector("svg[data-drawing=plan]"), `${rig.slug}-plan`)}
        >
          Save as SVG
        </button>
      </div>
      <PlanDrawing rig={rig} geometry={geometry} mounts={mounts} />
      <p className="field-fault" role="alert">
        {refusal?.message}
      </p>
      {(changed || faulty.length > 0) && (
        <p>
          <button type="button" className="act act-first" disabled={faulty.length > 0} onClick={save}>
            Keep sizes and places
          </button>
        </p>
      )}
      <div className={styles.planNumbers}>
        <section>
          <h2>Sizes, mm</h2>
          {SIZES.map(([name, label]) => (
            <div key={name} className="field">
              <span>{label}</span>
              <Cell
                label={label}
                value={geometry[name]}
                unit="mm"
                onFault={onFault(label)}
                onChange={(value) =>
                  setGeometry({ ...geometry, [name]: value ?? (name.startsWith("board") ? 0 : null) })
                }
              />
            </div>
          ))}
        </section>
        <section>
          <h2>Places</h2>
          <div className={table.tableScroll}>
            <table className={table.schedule}>
              <thead>
                <tr>
                  <th scope="col">Part</th>
                  {PLACE.map(([name, label]) => (
                    <th key={name} scope="col">
                      {label}
                    </th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {rig.parts.map((part) => (
                  <tr key={part.id}>
                    <th scope="row">{part.name}</th>
                    {PLACE.map(([name, label]) => (
                      <td key={name}>
                        <Cell
                          label={`${part.name} ${label}`}
                          value={mounts[part.id]?.[name] ?? null}
                          onFault={onFault(`${part.id} ${name}`)}
                          onChange={(value) => put(part.id, name, value)}
                        />
                      </td>
                    ))}
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
          {rig.parts
            .filter((part) => part.height_mm !== null && part.mount && part.height_mm !== part.mount.height_mm)
            .map((part) => (
              <p key={part.id} className={log.note}>
                <Glyph of="measured" /> {part.name}: {figure(part.height_mm ?? 0, 0)}
                {THIN}mm high by its own constant, which counts where it was measured.
              </p>
            ))}
        </section>
      </div>
    </>
  );
}

interface DrawingProps {
  rig: Rig;
  geometry: Geometry;
  mounts: Record<string, Mount | null>;
}

function PlanDrawing({ rig, geometry, mounts }: DrawingProps) {
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
  const {
    length_mm: length,
    width_mm: width,
    track_mm: track,
    wheel_mm: wheel,
    front_mm: front,
    line_mm: line,
  } = geometry;
  const unit = box.width / 852; // about one pixel of the screen, for sizes of text and ticks
  const bar = scaleBar(box.width);
  const at = (x: number, y: number) => ({ x: -y, y: -x }); // forward is up, left is left
  const text = { fontSize: 15 * unit };
  const labelled = spread(placed, 22 * unit);
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
            x={(side * track) / 2 - Math.max((wheel ?? 60) * 0.12, 5)}
            y={-(wheel ?? 60) / 2}
            width={Math.max((wheel ?? 60) * 0.24, 10)}
            height={wheel ?? 60}
            className={styles.planWheel}
          />
        ))}
      {track !== null && (
        <line x1={-track / 2} x2={track / 2} y1="0" y2="0" className={styles.planAxle} strokeWidth={2 * unit} />
      )}
      {placed.map((part) => {
        const { x, y } = at(part.mount.x_mm, part.mount.y_mm);
        const reach = Math.min(part.reach_mm ?? 0, box.beam);
        return (
          <g key={part.id}>
            {part.cone_deg !== null && (
              <path d={beamPath(x, y, part.mount.heading_deg, part.cone_deg, reach)} className={styles.planBeam}>
                <title>{`${part.cone_deg}° to ${part.reach_mm} mm`}</title>
              </path>
            )}
            {part.cone_deg === null && part.reach_mm !== null && (
              <path d={beamPath(x, y, part.mount.heading_deg, 2, reach)} className={styles.planBeam} />
            )}
            {part.floor_from_mm !== null && part.cone_deg !== null && part.floor_from_mm < reach && (
              <path
                d={beamPath(x, y, part.mount.heading_deg, part.cone_deg, part.floor_from_mm, true)}
                className={styles.planFloor}
                strokeWidth={2 * unit}
              />
            )}
            {part.row
              ? rowPlaces(part.row, part.pitch_mm ?? 0).map((side) => (
                  <circle key={side} cx={x + side} cy={y} r={3 * unit} className={styles.planSensor} />
                ))
              : null}
            {!part.row && (
              <rect
                x={x - 6 * unit}
                y={y - 4 * unit}
                width={12 * unit}
                height={8 * unit}
                className={styles.planSensor}
              />
            )}
          </g>
        );
      })}
      <rect
        x={-geometry.board_y_mm - 22 * unit}
        y={-geometry.board_x_mm - 14 * unit}
        width={44 * unit}
        height={28 * unit}
        className={styles.planBoard}
        strokeWidth={1.5 * unit}
      />
      {labelled.map(({ part, side, y: beside }) => {
        const { x, y } = at(part.mount.x_mm, part.mount.y_mm);
        const to = side === "right" ? box.x + box.width - 300 * unit : box.x + 260 * unit;
        const floor = part.floor_from_mm !== null && part.cone_deg !== null ? Math.round(part.floor_from_mm) : null;
        return (
          <g key={part.id}>
            <path d={`M${x} ${y}H${(x + to) / 2}L${to} ${beside}`} className={styles.planLeader} strokeWidth={unit} />
            <text
              x={side === "right" ? to + 6 * unit : to - 6 * unit}
              y={beside + 5 * unit}
              textAnchor={side === "right" ? "start" : "end"}
              style={text}
            >
              {part.name}
              {part.height_mm !== null ? `, ${figure(part.height_mm, 0)} mm up` : ""}
              {floor !== null ? `, floor from ${figure(floor, 0)} mm` : ""}
            </text>
          </g>
        );
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
