import { useState } from "react";
import { api, type Rig } from "../../api/client";
import { usePlace } from "../../hooks/place";
import { type OnFault, useFaults } from "../../hooks/useFaults";
import { figure, THIN } from "../../model/format";
import { saveSvg } from "../../plot/saveSvg";
import { Cell } from "../../ui/Cell";
import { Glyph } from "../../ui/Glyph";
import table from "../../ui/table.module.css";
import { Wide } from "../../ui/Wide";
import log from "../Log.module.css";
import styles from "./Plan.module.css";
import { type Geometry, type Mounts, PlanDrawing } from "./PlanDrawing";
import shared from "./shared.module.css";
import { useRigChange } from "./useRigChange";

type Mount = NonNullable<Rig["parts"][number]["mount"]>;

const SIZES: [keyof Geometry, string][] = [
  ["length_mm", "length"],
  ["width_mm", "width"],
  ["front_mm", "bumper before the axle"],
  ["wheel_mm", "wheel diameter"],
  ["track_mm", "track"],
  ["wheelbase_mm", "to a steered axle"],
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
  const state = JSON.stringify([rig.rig.geometry, rig.parts.map((part) => [part.id, part.mount])]);
  return <PlanOf key={state} rig={rig} />;
}

function PlanOf({ rig }: { rig: Rig }) {
  const { change, refusal, path, revision } = useRigChange();
  const [geometry, setGeometry] = useState<Geometry>(rig.rig.geometry);
  const [mounts, setMounts] = useState<Mounts>(Object.fromEntries(rig.parts.map((part) => [part.id, part.mount])));
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
      <Wide>
        <PlanDrawing rig={rig} geometry={geometry} mounts={mounts} />
      </Wide>
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
        <Sizes geometry={geometry} onFault={onFault} onChange={setGeometry} />
        <Places rig={rig} mounts={mounts} onFault={onFault} onPut={put} />
      </div>
    </>
  );
}

interface SizesProps {
  geometry: Geometry;
  onFault: OnFault;
  onChange: (geometry: Geometry) => void;
}

function Sizes({ geometry, onFault, onChange }: SizesProps) {
  return (
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
            onChange={(value) => onChange({ ...geometry, [name]: value ?? (name.startsWith("board") ? 0 : null) })}
          />
        </div>
      ))}
    </section>
  );
}

interface PlacesProps {
  rig: Rig;
  mounts: Mounts;
  onFault: OnFault;
  onPut: (part: string, name: keyof Mount, value: number | null) => void;
}

function Places({ rig, mounts, onFault, onPut }: PlacesProps) {
  return (
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
                      onChange={(value) => onPut(part.id, name, value)}
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
  );
}
