import { useState } from "react";
import { usePlace } from "../../hooks/place";
import type { Given } from "../../hooks/useDrive";
import { type DriveRun, poseAt } from "../../model/drive";
import { few, figure, THIN } from "../../model/format";
import { Glyph } from "../../ui/Glyph";
import { NumberField } from "../../ui/NumberField";
import styles from "./Numbers.module.css";

type Setting = DriveRun["settings"][number];
type Hand = DriveRun["hands"][number];
type Score = DriveRun["score"][number];
type Set = (changes: Record<string, number | null>) => void;

const WHEELED = ["floor", "table"];

interface Props {
  run: DriveRun;
  given: Given;
  now: () => number;
  onSet: Set;
}

/** Numbers for this run: the behaviour's, the vehicle's, and what a hand does; what they come to. */
export function Numbers({ run, given, now, onSet }: Props) {
  return (
    <section className={styles.numbers} aria-label="Numbers of the run">
      <Group title="Behaviour" settings={run.settings} onSet={onSet} />
      {run.hands.length > 0 && <Hands run={run} given={given} now={now} onSet={onSet} />}
      {WHEELED.includes(String(run.world.kind)) && (
        <details>
          <summary>Vehicle</summary>
          <Group title="" settings={run.vehicle} onSet={onSet} />
        </details>
      )}
      <h2>Score</h2>
      <dl className={styles.score}>
        {run.score
          .filter((score) => score.value !== null)
          .map((score) => (
            <div key={score.name}>
              <dt>{score.label}</dt>
              <dd>{scoreText(score)}</dd>
            </div>
          ))}
      </dl>
      {run.assumed.length > 0 && <Assumed run={run} />}
      {run.recorded.length > 0 && <Recorded run={run} />}
    </section>
  );
}

function scoreText({ value, digits, unit }: Score): string {
  if (typeof value !== "number") return value ? "yes" : "no";
  return unit ? `${figure(value, digits)}${THIN}${unit}` : figure(value, digits);
}

/** What nobody has measured, each with the way to where it is measured. */
function Assumed({ run }: { run: DriveRun }) {
  const { go } = usePlace();
  return (
    <p>
      <Glyph of="assumed" /> Nobody has measured:{" "}
      {run.assumed.map(({ name, label, sensor, procedure }, i) => (
        <span key={name}>
          {i > 0 && ", "}
          {procedure ? (
            <button type="button" className="link" onClick={() => go("calibrate", { sensor, procedure })}>
              {label}
            </button>
          ) : (
            label
          )}
        </span>
      ))}
      .
    </p>
  );
}

/** What recordings told of the sensors that are read. */
function Recorded({ run }: { run: DriveRun }) {
  const source = run.recorded[0]?.source;
  return (
    <p>
      <Glyph of="measured" /> From {source}:{" "}
      {run.recorded.map(({ label, value, unit }) => `${label} ${few(value)}${unit ? THIN + unit : ""}`).join(", ")}.
    </p>
  );
}

/** What a hand does to the run: switches, each with what it changes; a push and a box come where the run is looked at. */
function Hands({ run, given, now, onSet }: Props) {
  const at = (hand: Hand): Given => {
    const changes: Given = { ...hand.changes };
    const t = now();
    if (hand.moment) changes[hand.moment] = Math.round(t * 100) / 100;
    const [x, y] = hand.place;
    if (x && y) {
      const pose = poseAt(run, t);
      const heading = (pose.heading * Math.PI) / 180;
      changes[x] = Math.round(pose.x + hand.ahead_mm * Math.cos(heading));
      changes[y] = Math.round(pose.y + hand.ahead_mm * Math.sin(heading));
    }
    return changes;
  };
  return (
    <>
      <h2>Hands</h2>
      <p className={styles.hands}>
        {run.hands.map((hand) => {
          const own = Object.keys(at(hand));
          const on = own.every((name) => name in given);
          const off = Object.fromEntries(own.map((name) => [name, null]));
          return (
            <button
              key={hand.id}
              type="button"
              className="act"
              aria-pressed={on}
              onClick={() => onSet(on ? off : at(hand))}
            >
              {hand.label}
              {hand.moment && on && ` at ${figure(given[hand.moment] ?? 0, 1)}${THIN}s`}
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

/** A number with where it comes from; while it is worked at, a slider under it, so that the run can be watched meanwhile. */
function OneNumber({ setting, onSet }: { setting: Setting; onSet: Set }) {
  const [reach, setReach] = useState<[number, number] | null>(null);
  const put = (value: number | null) => onSet({ [setting.name]: value });
  const provenance = setting.own ? "chosen" : setting.provenance;
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: it only sees whether one of its fields is in use
    <div
      className={styles.number}
      onFocus={() => setReach((was) => was ?? reachOf(setting))}
      onBlur={(event) => !event.currentTarget.contains(event.relatedTarget) && setReach(null)}
    >
      <span title={setting.own ? "for this run alone" : setting.stale ? `stale: ${setting.stale}` : setting.source}>
        <Glyph of={provenance} />
      </span>
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
      {reach && setting.choices.length === 0 && (
        <input
          type="range"
          className={styles.slide}
          aria-label={`${setting.label}, slide`}
          min={reach[0]}
          max={reach[1]}
          step={(reach[1] - reach[0]) / 100}
          value={setting.value}
          onChange={(event) => put(Number(Number(event.target.value).toPrecision(3)))}
        />
      )}
      {setting.stale && !setting.own && <p className={`stale ${styles.stale}`}>stale: {setting.stale}</p>}
    </div>
  );
}

/** How far a slider goes: three times the number as it is, within what can be. */
function reachOf({ value, low, high }: Setting): [number, number] {
  const far = 3 * Math.max(Math.abs(value), Math.min(high, 1) / 10);
  return [Math.max(low, value < 0 ? -far : 0), Math.min(high, far)];
}
