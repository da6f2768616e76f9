import { useBench, useLength } from "../../hooks/bench";
import { useSettings } from "../../hooks/settings";
import { type Procedure, type Step, useCalls, type Want } from "../../hooks/useProcedure";
import { duration, figure, THIN } from "../../model/format";
import { Check } from "../../ui/Glyph";
import { Asked } from "./Asked";
import { called, lengthOf, missing } from "./wanted";

/** What is wanted, in working order: held, being held now, or still to come. */
export function Steps({ found }: { found: Procedure }) {
  const bench = useBench();
  const hold = bench.now.hold?.procedure === found.procedure ? bench.now.hold : null;
  const left = missing(found);
  const next = left[0];
  const held = new Map(found.steps.map((step) => [step.key, step]));
  const free = found.wants.filter((want) => want.more && !held.has(want.key));
  const order = [...found.wants.filter((want) => held.has(want.key) || !want.more)];
  for (const step of found.steps) if (!order.some((want) => want.key === step.key)) order.push(asWant(step));
  return (
    <section className="places" aria-label={found.title}>
      <ol>
        {order.map((want) => {
          const step = held.get(want.key);
          if (step) return <Held key={want.key} step={step} found={found} />;
          const now = hold ? want.key === hold.key && !hold.any : want.key === next?.key;
          return now ? (
            <li key={want.key} className="now">
              {hold ? <Holding found={found} want={want} /> : <Asked found={found} want={want} />}
            </li>
          ) : (
            <Later key={want.key} want={want} />
          );
        })}
        {hold && (hold.any || !order.some((want) => want.key === hold.key)) && (
          <li className="now">
            <Holding found={found} want={null} />
          </li>
        )}
        {!hold &&
          !next &&
          free.map((want) => (
            <li key={want.key} className="now">
              <Asked found={found} want={want} />
            </li>
          ))}
      </ol>
      {!found.steps.length && !hold && <Prepare found={found} />}
    </section>
  );
}

function asWant(step: Step): Want {
  return { key: step.key, label: step.label, do: "", fields: [], watched: true, more: true };
}

function Prepare({ found }: { found: Procedure }) {
  return (
    <>
      <h2>Have ready</h2>
      <ul className="ticks">
        {found.prepare.map((one) => (
          <li key={one}>{one}</li>
        ))}
      </ul>
      {found.cautions.map((one) => (
        <p key={one} className="caution">
          <b>Caution</b> {one}
        </p>
      ))}
      <p className="second">What is held is kept: close the page and go on tomorrow.</p>
    </>
  );
}

function Later({ want }: { want: Want }) {
  const length = useLength();
  return (
    <li className="later">
      <b>{called(want.label, lengthOf(want), length)}</b>
      <small>{lengthOf(want) === null ? want.do : "then about here"}</small>
    </li>
  );
}

function Held({ step, found }: { step: Step; found: Procedure }) {
  const bench = useBench();
  const length = useLength();
  const calls = useCalls(found.procedure);
  const off = found.repeat.includes(step.key);
  const name = called(step.label, step.truth.true_mm, length);
  return (
    <li className="held">
      <span>
        <b>{name}</b>
        <small>
          {step.held_s > 0 ? `held ${duration(step.held_s)}, ${step.n} readings` : step.by}
          {step.left !== null && ` · ${step.left > 0 ? "+" : ""}${figure(step.left, Math.abs(step.left) < 1 ? 2 : 1)}`}
          {step.left !== null && `${THIN}${found.left_unit}`}
        </small>
      </span>
      <span className={off ? "stale" : "tick"}>{off ? "repeat" : <Check />}</span>
      <button
        type="button"
        className="plain"
        aria-label={`Drop ${name}`}
        onClick={() => void bench.attempt(calls.drop(step.key), `${name} is to be held again.`)}
      >
        drop
      </button>
    </li>
  );
}

/** What is being held: what is still in the way, and the one figure to look at from afar. */
function Holding({ found, want }: { found: Procedure; want: Want | null }) {
  const bench = useBench();
  const length = useLength();
  const { letterKeys } = useSettings();
  const calls = useCalls(found.procedure);
  const { hold } = bench.now;
  if (!hold) return null;
  const wanted = found.wants.find((one) => one.key === hold.key) ?? want;
  const name = hold.label ? called(hold.label, null, length) : (wanted?.label ?? "any pose");
  return (
    <div className="holding">
      <b>{name}</b>
      {hold.figure && <output className="holding-figure">{hold.figure}</output>}
      <small className={hold.ready ? undefined : "stale"} aria-live="polite">
        {hold.why_not || "Still: taking it."}
      </small>
      {wanted?.do && <small className="plain-words">{wanted.do}</small>}
      <span className="row-of-buttons">
        <button type="button" className="act" onClick={() => void bench.attempt(calls.take())}>
          Take it now {letterKeys && <kbd>H</kbd>}
        </button>
        <button type="button" className="plain" onClick={() => void bench.attempt(calls.letGo())}>
          Let go
        </button>
      </span>
    </div>
  );
}
