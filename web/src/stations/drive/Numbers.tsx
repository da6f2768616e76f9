import { usePlace } from "../../hooks/place";
import type { Given } from "../../hooks/useDrive";
import type { DriveRun } from "../../model/drive";
import { figure } from "../../model/format";
import { Glyph } from "../../ui/Glyph";
import { NumberField } from "../../ui/NumberField";
import styles from "./Numbers.module.css";

type Setting = DriveRun["settings"][number];
type Set = (changes: Record<string, number | null>) => void;

const HANDS: [label: string, changes: Record<string, number>][] = [
  ["Lamp off", { lamp_counts: -60 }],
  ["Low battery", { battery_pct: 75 }],
  ["5 mm higher", { higher_mm: 5 }],
];

const WHEELED = ["floor", "table"];

interface Props {
  run: DriveRun;
  given: Given;
  onSet: Set;
}

/** Numbers for this run: the behaviour's, the vehicle's, and what a hand does; what they come to. */
export function Numbers({ run, given, onSet }: Props) {
  const scores = Object.entries(run.score).filter(([, value]) => value !== null);
  return (
    <section className={styles.numbers} aria-label="Numbers of the run">
      <Group title="Behaviour" settings={run.settings} onSet={onSet} />
      {run.world.kind !== "rail" && <Hands given={given} onSet={onSet} />}
      {WHEELED.includes(String(run.world.kind)) && (
        <details>
          <summary>Vehicle</summary>
          <Group title="" settings={run.vehicle} onSet={onSet} />
        </details>
      )}
      <h2>Score</h2>
      <dl className={styles.score}>
        {scores.map(([name, value]) => (
          <div key={name}>
            <dt>
              {name
                .replace(/_(mm|s|pct|ms|m)$/, ", $1")
                .replaceAll("_", " ")
                .replace("pct", "%")}
            </dt>
            <dd>{typeof value === "number" ? figure(value, Number.isInteger(value) ? 0 : 2) : value ? "yes" : "no"}</dd>
          </div>
        ))}
      </dl>
      {run.assumed.length > 0 && <Assumed run={run} />}
    </section>
  );
}

/** What nobody has measured, and the way to where it is measured. */
function Assumed({ run }: { run: DriveRun }) {
  const { go } = usePlace();
  const sensor = run.assumed.find((each) => each.sensor)?.sensor;
  return (
    <p>
      <Glyph of="assumed" /> Nobody has measured: {run.assumed.map((each) => each.label).join(", ")}.{" "}
      {sensor && (
        <button type="button" className="link" onClick={() => go("calibrate", { sensor })}>
          Measure {run.assumed.filter((each) => each.sensor === sensor).length > 1 ? "those of the sensor" : "it"}
        </button>
      )}
    </p>
  );
}

/** What a hand does to the run: switches, each with what it changes. */
function Hands({ given, onSet }: { given: Given; onSet: Set }) {
  return (
    <>
      <h2>Hands</h2>
      <p className={styles.hands}>
        {HANDS.map(([label, changes]) => {
          const on = Object.entries(changes).every(([name, value]) => given[name] === value);
          const off = Object.fromEntries(Object.keys(changes).map((name) => [name, null]));
          return (
            <button
              key={label}
              type="button"
              className="act"
              aria-pressed={on}
              onClick={() => onSet(on ? off : changes)}
            >
              {label}
            </button>
          );
        })}
      </p>
    </>
  );
}

function Group({ title, settings, onSet }: { title: string; settings: Setting[]; onSet: Set }) {
  return (
    <>
      {title && <h2>{title}</h2>}
      {settings.map((setting) => (
        <OneNumber key={setting.name} setting={setting} onSet={onSet} />
      ))}
    </>
  );
}

function OneNumber({ setting, onSet }: { setting: Setting; onSet: Set }) {
  const put = (value: number | null) => onSet({ [setting.name]: value });
  return (
    <div className={styles.number}>
      <Glyph of={setting.own ? "chosen" : "assumed"} />
      {setting.choices.length > 0 ? (
        <label className={styles.choice}>
          {setting.label}
          <select value={setting.value} onChange={(event) => put(Number(event.target.value))}>
            {setting.choices.map((choice, i) => (
              <option key={choice} value={i}>
                {choice}
              </option>
            ))}
          </select>
        </label>
      ) : (
        <NumberField
          label={setting.label}
          value={setting.value}
          unit={setting.unit}
          low={setting.low}
          high={setting.high}
          onChange={put}
        />
      )}
      {setting.own && (
        <button type="button" className="plain" aria-label={`${setting.label} as before`} onClick={() => put(null)}>
          ↺
        </button>
      )}
    </div>
  );
}
