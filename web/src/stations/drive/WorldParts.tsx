import { useEffect, useState } from "react";
import {
  added,
  bent,
  extended,
  type Ground,
  type Handle,
  handlesOf,
  moved,
  newestOf,
  type Patch,
  patched,
  removed,
  type Tape,
  type Thing,
} from "../../model/world";
import { NumberField } from "../../ui/NumberField";
import styles from "./WorldParts.module.css";

const THINGS: [what: Thing, label: string, kinds: Ground["kind"][]][] = [
  ["line", "Line", ["floor"]],
  ["wall", "Wall", ["floor"]],
  ["curtain", "Curtain", ["floor"]],
  ["box", "Box", ["floor"]],
  ["patch", "Patch: light or ramp", ["floor", "table"]],
];

interface Props {
  ground: Ground;
  chosen: Handle | null;
  onChoose: (handle: Handle | null) => void;
  onPut: (ground: Ground) => void;
}

/** What can be put into a world, and the numbers of what is chosen in it. */
export function WorldParts({ ground, chosen, onChoose, onPut }: Props) {
  const floor = ground.kind === "floor";
  const [wide, high] = ground.size_mm ?? [0, 0];
  const middle: [number, number] = [Math.round((ground.start?.x_mm ?? 0) + 200), Math.round(ground.start?.y_mm ?? 0)];
  return (
    <section className={styles.parts} aria-label="What is in the world">
      <label className={styles.name}>
        Name
        <input
          value={ground.name}
          maxLength={40}
          onChange={(event) => onPut({ ...ground, name: event.target.value })}
        />
      </label>
      <Points ground={ground} chosen={chosen} onChoose={onChoose} />
      {chosen ? (
        <Chosen ground={ground} handle={chosen} onChoose={onChoose} onPut={onPut} />
      ) : (
        <p className="small">
          Take hold of a point to see its numbers. By keys: Tab from point to point, arrows move it 10 mm (with Shift 1
          mm), Enter puts one behind it, Delete takes it away.
        </p>
      )}
      <h2>Put in</h2>
      <p className={styles.things}>
        {THINGS.filter(([, , kinds]) => kinds.includes(ground.kind)).map(([what, label]) => (
          <button
            key={what}
            type="button"
            className="act"
            onClick={() => {
              const more = added(ground, what, floor ? [Math.round(wide / 2), Math.round(high / 2)] : middle);
              onPut(more);
              onChoose(newestOf(more, what));
            }}
          >
            {label}
          </button>
        ))}
      </p>
      {floor && (
        <>
          <p>
            <button
              type="button"
              className="act"
              onClick={() => {
                onChoose(null);
                onPut({ ...ground, lines: [], patches: [], walls: [], curtains: [], boxes: [] });
              }}
            >
              Empty the floor
            </button>
          </p>
          <h2>Floor</h2>
          <Field
            label="wide"
            value={wide}
            unit="mm"
            onChange={(value) => onPut({ ...ground, size_mm: [value, high] })}
          />
          <Field
            label="deep"
            value={high}
            unit="mm"
            onChange={(value) => onPut({ ...ground, size_mm: [wide, value] })}
          />
        </>
      )}
    </section>
  );
}

/** Every point by its name, for those whose finger is wider than a point. */
function Points({ ground, chosen, onChoose }: Pick<Props, "ground" | "chosen" | "onChoose">) {
  const handles = handlesOf(ground);
  const things = [...new Set(handles.map((handle) => handle.thing))];
  return (
    <label className={styles.name}>
      Point
      <select
        value={chosen?.label ?? ""}
        onChange={(event) => onChoose(handles.find(({ label }) => label === event.target.value) ?? null)}
      >
        <option value="">none</option>
        {things.map((thing) => (
          <optgroup key={thing} label={thing}>
            {handles
              .filter((handle) => handle.thing === thing)
              .map(({ label }) => (
                <option key={label} value={label}>
                  {label}
                </option>
              ))}
          </optgroup>
        ))}
      </select>
    </label>
  );
}

type ChosenProps = Pick<Props, "ground" | "onChoose" | "onPut"> & { handle: Handle };

function Chosen({ ground, handle, onChoose, onPut }: ChosenProps) {
  const { what, index, at } = handle;
  const fixed = what === "start";
  const line = what === "line" || what === "arc" ? ground.lines?.[index] : undefined;
  const patch = what === "patch" ? ground.patches?.[index] : undefined;
  return (
    <>
      <Place ground={ground} handle={handle} at={at} onPut={onPut} />
      {what === "start" && ground.start && (
        <Field
          label="looks to"
          value={ground.start.heading_deg}
          unit="°"
          onChange={(heading_deg) => ground.start && onPut({ ...ground, start: { ...ground.start, heading_deg } })}
        />
      )}
      {patch && <PatchFields patch={patch} onChange={(changes) => onPut(patched(ground, index, changes))} />}
      {line && <LineFields ground={ground} line={line} handle={handle} onPut={onPut} />}
      {!fixed && (
        <p className={styles.things}>
          {what !== "arc" && what !== "wall" && what !== "curtain" && (
            <button type="button" className="act" onClick={() => onPut(extended(ground, handle))}>
              Add a point after it
            </button>
          )}
          <button
            type="button"
            className="act"
            onClick={() => {
              onChoose(null);
              onPut(removed(ground, handle));
            }}
          >
            Delete {handle.label}
          </button>
        </p>
      )}
    </>
  );
}

/** What is different on a patch: its light, how steep it is, and where up is. */
function PatchFields({ patch, onChange }: { patch: Patch; onChange: (changes: Partial<Patch>) => void }) {
  const put = (name: "light_counts" | "grade_pct" | "heading_deg") => (value: number) => onChange({ [name]: value });
  return (
    <>
      <Field label="more light" value={patch.light_counts} unit="counts" onChange={put("light_counts")} />
      <Field label="steep" value={patch.grade_pct} unit="%" low={-100} high={100} onChange={put("grade_pct")} />
      {patch.grade_pct !== 0 && (
        <Field label="uphill to" value={patch.heading_deg} unit="°" onChange={put("heading_deg")} />
      )}
    </>
  );
}

function Place({
  ground,
  handle,
  at,
  onPut,
}: Pick<ChosenProps, "ground" | "handle" | "onPut"> & { at: [number, number] }) {
  const put = (to: [number, number]) => onPut(moved(ground, handle, to));
  return (
    <>
      <Field label="x" value={at[0]} unit="mm" onChange={(x) => put([x, at[1]])} />
      <Field label="y" value={at[1]} unit="mm" onChange={(y) => put([at[0], y])} />
    </>
  );
}

type LineProps = Pick<ChosenProps, "ground" | "handle" | "onPut"> & { line: Tape };

function LineFields({ ground, line, handle, onPut }: LineProps) {
  const { index, what, point } = handle;
  const [radius, setRadius] = useState(200);
  const put = (changes: Partial<Tape>) =>
    onPut({ ...ground, lines: ground.lines?.map((each, i) => (i === index ? { ...each, ...changes } : each)) });
  const arc = what === "arc" ? line.arcs[point] : undefined;
  const turn = (changes: Partial<Tape["arcs"][number]>) =>
    put({ arcs: line.arcs.map((each, i) => (i === point ? { ...each, ...changes } : each)) });
  return (
    <>
      {arc && (
        <>
          <Field label="radius" value={arc.radius_mm} unit="mm" onChange={(radius_mm) => turn({ radius_mm })} />
          <Field label="from" value={arc.from_deg} unit="°" onChange={(from_deg) => turn({ from_deg })} />
          <Field label="to" value={arc.to_deg} unit="°" onChange={(to_deg) => turn({ to_deg })} />
        </>
      )}
      <Field label="tape" value={line.width_mm} unit="mm" onChange={(width_mm) => put({ width_mm })} />
      <label className={styles.tick}>
        <input type="checkbox" checked={line.closed} onChange={(event) => put({ closed: event.target.checked })} />
        closed to a loop
      </label>
      <Gaps line={line} onGaps={(gaps) => put({ gaps })} />
      <Field label="bend" value={radius} unit="mm" low={10} onChange={setRadius} />
      <p className={styles.things}>
        <button type="button" className="act" onClick={() => onPut(bent(ground, index, radius, 90))}>
          Bend on, left
        </button>
        <button type="button" className="act" onClick={() => onPut(bent(ground, index, radius, -90))}>
          Bend on, right
        </button>
      </p>
    </>
  );
}

/** Stretches without tape, typed as "400-460, 900-960". */
function Gaps({ line, onGaps }: { line: Tape; onGaps: (gaps: Tape["gaps"]) => void }) {
  const written = line.gaps.map(([from, to]) => `${from}-${to}`).join(", ");
  const [text, setText] = useState(written);
  const [wrong, setWrong] = useState("");
  useEffect(() => setText(written), [written]);
  const take = () => {
    const parts = text.split(",").filter((part) => part.trim());
    const gaps = parts.map((part) => part.split("-").map(Number));
    if (gaps.some((gap) => gap.length !== 2 || gap.some((end) => !Number.isFinite(end)))) {
      setWrong("Type gaps as from-to in mm, with commas between.");
      return;
    }
    setWrong("");
    if (text !== written) onGaps(gaps as Tape["gaps"]);
  };
  return (
    <label className={styles.name}>
      Gaps, mm along it
      <input
        value={text}
        placeholder="400-460, 900-960"
        aria-invalid={wrong !== ""}
        onChange={(event) => setText(event.target.value)}
        onBlur={take}
        onKeyDown={(event) => event.key === "Enter" && take()}
      />
      {wrong && (
        <span className="field-fault" role="alert">
          {wrong}
        </span>
      )}
    </label>
  );
}

type FieldProps = {
  label: string;
  value: number;
  unit: string;
  low?: number;
  high?: number;
  onChange: (value: number) => void;
};

function Field(props: FieldProps) {
  return (
    <div className={styles.field}>
      <NumberField {...props} />
    </div>
  );
}
