import { useAct } from "../../hooks/act";
import { useHold } from "../../hooks/live";
import { useLength, useSettings } from "../../hooks/settings";
import { type Procedure, type Step, useCalls, type Want } from "../../hooks/useProcedure";
import { duration, figure, THIN } from "../../model/format";
import { Check } from "../../ui/Glyph";
import { Asked } from "./Asked";
import styles from "./Steps.module.css";
import { called, lengthOf, missing, typedOf } from "./wanted";

/** What is wanted, in working order: held, being held now, or still to come. */
export function Steps({ procedure }: { procedure: Procedure }) {
  const live = useHold();
  const hold = live?.procedure === procedure.procedure ? live : null;
  const next = missing(procedure)[0];
  const held = new Map(procedure.steps.map((step) => [step.key, step]));
  const free = procedure.wants.filter((want) => want.more && !held.has(want.key));
  const order = procedure.wants.filter((want) => held.has(want.key) || !want.more);
  for (const step of procedure.steps) if (!order.some((want) => want.key === step.key)) order.push(asWant(step));
  return (
    <section className={styles.places} aria-label={procedure.title}>
      <ol>
        {order.map((want) => {
          const step = held.get(want.key);
          const now = hold ? want.key === hold.key : want.key === next?.key;
          if (step) return <Held key={want.key} step={step} procedure={procedure} now={Boolean(hold) && now} />;
          if (now && !hold)
            return (
              <li key={want.key} className={styles.now} aria-current="step">
                <Asked procedure={procedure} want={want} />
              </li>
            );
          return <Later key={want.key} want={want} now={now} />;
        })}
      </ol>
      {!hold && free.length > 0 && (
        <details open={!next}>
          <summary>{next ? "Or another" : "More"}</summary>
          <ol>
            {free.map((want) => (
              <li key={want.key} className={styles.now} aria-current="step">
                <Asked procedure={procedure} want={want} />
              </li>
            ))}
          </ol>
        </details>
      )}
    </section>
  );
}

function asWant(step: Step): Want {
  return { key: step.key, label: step.label, do: "", fields: [], watched: true, more: true };
}

/** What to have ready before the first one is held. */
export function Prepare({ procedure }: { procedure: Procedure }) {
  return (
    <section>
      <h2>Have ready</h2>
      <ul className="ticks">
        {procedure.prepare.map((line) => (
          <li key={line}>{line}</li>
        ))}
      </ul>
      {procedure.cautions.map((caution) => (
        <p key={caution} className="caution">
          <b>Caution</b> {caution}
        </p>
      ))}
      <p className={styles.second}>What is held is kept: close the page and go on tomorrow.</p>
    </section>
  );
}

function Later({ want, now }: { want: Want; now: boolean }) {
  const length = useLength();
  return (
    <li
      className={now ? `${styles.now} ${styles.withPicture}` : `${styles.later} ${styles.withPicture}`}
      aria-current={now ? "step" : undefined}
    >
      <PoseGlyph pose={want.key} />
      <b>{called(want.label, lengthOf(want), length)}</b>
      <small>{lengthOf(want) === null ? want.do : "then about here"}</small>
    </li>
  );
}

function Held({ step, procedure, now }: { step: Step; procedure: Procedure; now: boolean }) {
  const act = useAct();
  const length = useLength();
  const calls = useCalls(procedure.procedure);
  const off = procedure.repeat.includes(step.key);
  const typed = typedOf(step, procedure.wants.find((want) => want.key === step.key)?.fields ?? [], length);
  const name = called(step.label, step.truth.true_mm, length);
  return (
    <li className={now ? `${styles.held} ${styles.now}` : styles.held} aria-current={now ? "step" : undefined}>
      <PoseGlyph pose={step.key} />
      <span>
        <b>{name}</b>
        <small>
          {[step.held_s > 0 ? `held ${duration(step.held_s)}, ${step.n} readings` : typed ? "" : step.by, typed]
            .filter((text) => text)
            .join(" · ")}
          {step.left !== null && ` · ${step.left > 0 ? "+" : ""}${figure(step.left, Math.abs(step.left) < 1 ? 2 : 1)}`}
          {step.left !== null && `${THIN}${procedure.left_unit}`}
        </small>
      </span>
      <span className={off ? "stale" : styles.tick}>{off ? "repeat" : <Check />}</span>
      <button
        type="button"
        className="plain"
        aria-label={`Drop ${name}`}
        onClick={() => void act.attempt(calls.drop(step.key), `${name} is to be held again.`)}
      >
        drop
      </button>
    </li>
  );
}

/** What is being held: what is still in the way, and the one figure to look at from afar. */
export function Holding({ procedure }: { procedure: Procedure }) {
  const act = useAct();
  const held = useHold();
  const length = useLength();
  const { letterKeys } = useSettings();
  const calls = useCalls(procedure.procedure);
  const hold = held;
  if (hold?.procedure !== procedure.procedure) return null;
  const want = procedure.wants.find((want) => want.key === hold.key);
  const name = hold.label ? called(hold.label, hold.true_mm, length) : (want?.label ?? "any pose");
  return (
    <section className={styles.holding} aria-label="Being held">
      <p className={styles.holdingName}>{name}</p>
      {hold.figure && (
        <output className={styles.holdingFigure} data-long={hold.figure.length > 13}>
          {hold.figure}
        </output>
      )}
      <p className={hold.ready ? styles.holdingWhy : `${styles.holdingWhy} stale`} aria-live="polite">
        {hold.why_not || "Still: taking it."}
      </p>
      <p className="row-of-buttons">
        <button type="button" className="act" onClick={() => void act.attempt(calls.take())}>
          Take reading now {letterKeys && <kbd>H</kbd>}
        </button>
        <button type="button" className="plain" onClick={() => void act.attempt(calls.letGo())}>
          Stop holding
        </button>
      </p>
    </section>
  );
}

/** A board as it lies or stands in a pose, its arrow up or down. */
function PoseGlyph({ pose }: { pose: string }) {
  if (!/^[+-][xyz]$/.test(pose)) return null;
  const up = pose.startsWith("+");
  const flat = pose.endsWith("z");
  return (
    <svg className={styles.pose} width="44" height="44" viewBox="0 0 44 44" aria-hidden="true">
      <line x1="2" x2="42" y1="41" y2="41" className="zero" />
      {flat ? (
        <path d="M4 38 14 29H42L32 38Z" className={styles.poseBoard} />
      ) : (
        <rect x="9" y="8" width="26" height="32" className={styles.poseBoard} />
      )}
      <path d={arrow(flat, up)} className={styles.poseArrow} />
      {!flat && (
        <text x="12" y="22" className={styles.poseAxis}>
          {pose[1]}
        </text>
      )}
    </svg>
  );
}

function arrow(flat: boolean, up: boolean): string {
  const [tail, tip] = flat ? (up ? [30, 6] : [6, 26]) : up ? [34, 13] : [13, 34];
  const back = tip < tail ? 7 : -7;
  return `M${flat ? 23 : 27} ${tail}V${tip}m-5 ${back} 5 ${-back} 5 ${back}`;
}
