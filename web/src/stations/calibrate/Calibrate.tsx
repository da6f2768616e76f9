import { useState } from "react";
import { useAct } from "../../hooks/act";
import { useHold, useLive } from "../../hooks/live";
import { usePlace } from "../../hooks/place";
import { useLength, useSettings } from "../../hooks/settings";
import { useAddress } from "../../hooks/useAddress";
import { useKeys } from "../../hooks/useKeys";
import { type Procedure, useCalls, useProcedure, type Want } from "../../hooks/useProcedure";
import { moment } from "../../model/format";
import picker from "../../ui/picker.module.css";
import { Next, Verdict } from "../../ui/Verdict";
import styles from "./Calibrate.module.css";
import { FromRecording } from "./FromRecording";
import { Notebook } from "./Notebook";
import { Said } from "./Said";
import { Holding, Prepare, Steps } from "./Steps";
import { called, lengthOf, missing } from "./wanted";

/** Guided procedures that end in measured constants: what is held beside what it says. */
export function Calibrate() {
  const place = usePlace();
  const { found, error, name } = useProcedure();
  if (!place.sensor.procedures.length) return <Nothing />;
  if (!found || !name) return <Verdict>{error ? error.message : "Looking for what is held"}</Verdict>;
  return <Open key={`${place.sensor.id} ${name}`} found={found} />;
}

function Nothing() {
  const place = usePlace();
  const other = place.rig.sensors.find((one) => one.procedures.length > 0);
  return (
    <>
      <Verdict>{`The ${place.sensor.name} sensor is taken as its part sheet has it`}</Verdict>
      <div className="empty">
        <p>There is no procedure for it. Its offset can be typed in the slab, from a thermometer that you trust.</p>
        {other && (
          <button type="button" className="act" onClick={() => place.pick(other.id)}>
            Calibrate the {other.name}
          </button>
        )}
      </div>
    </>
  );
}

function Open({ found }: { found: Procedure }) {
  const act = useAct();
  const held = useHold();
  const calls = useCalls(found.procedure);
  const { letterKeys } = useSettings();
  const [extras, setExtras] = useState<string[]>([]);
  const [notebook, setNotebook] = useState(false);
  const hold = held?.procedure === found.procedure ? held : null;
  const left = missing(found);
  const next = left[0];
  const { connected } = useLive();
  const accept = () =>
    act.attempt(
      calls.accept(extras),
      `Accepted: ${found.constants
        .map((one) => one.label)
        .slice(0, 4)
        .join(", ")} measured now.`,
    );
  const begin = (want: Want | undefined) =>
    act.attempt(calls.hold(found.hands_free && found.steps.length > 0 ? "" : (want?.key ?? ""), {}));
  const go = () => {
    if (hold) void act.attempt(calls.take());
    else if (connected && next?.watched && !next.fields.some((field) => field.needed)) void begin(next);
    else document.querySelector<HTMLInputElement>('li[aria-current="step"] :is(input, select)')?.focus();
  };
  useKeys({ h: go }, letterKeys);
  const last = found.past.at(-1);
  const heading = found.steps.length || !last ? found.heading : `Calibrated ${moment(last.at)}. ${last.verdict}`;
  return (
    <>
      <Verdict next={<NextHold found={found} onAccept={() => void accept()} onHold={() => void begin(next)} />}>
        {heading}
      </Verdict>
      <Choice found={found} />
      <div className={styles.calibrate}>
        <Steps found={found} />
        <section className={styles.outcome}>
          <Holding found={found} />
          {!found.steps.length && !hold && <Prepare found={found} />}
          <Said found={found} extras={extras} onExtras={setExtras} />
          <div className="row-of-buttons">
            {found.can_accept && (
              <button type="button" className="act" onClick={() => void accept()}>
                Accept with {found.steps.length}
              </button>
            )}
            {found.notebook.length > 0 && (
              <button type="button" className="act" onClick={() => setNotebook(true)}>
                Type from a notebook
              </button>
            )}
            <FromRecording found={found} />
            {found.steps.length > 0 && (
              <button
                type="button"
                className="plain"
                onClick={() =>
                  void act.attempt(calls.reject(), "Put away; begin anew.", ({ id }) => {
                    if (id) void act.attempt(calls.bringBack(id), "Brought back.");
                  })
                }
              >
                Put these away
              </button>
            )}
          </div>
        </section>
      </div>
      <Notebook found={found} show={notebook} onHide={() => setNotebook(false)} />
    </>
  );
}

/** The procedures of this sensor, side by side. */
function Choice({ found }: { found: Procedure }) {
  const { lines } = useProcedure();
  const { put } = useAddress();
  if (lines.length < 2) return null;
  return (
    <nav className={picker.procedures} aria-label="Procedures">
      {lines.map((one) => (
        <button
          key={one.procedure}
          type="button"
          aria-current={one.procedure === found.procedure ? "true" : undefined}
          onClick={() => put({ procedure: one.procedure }, false)}
        >
          {one.title}
          <small>{one.held ? `${one.held} held` : one.last_at ? moment(one.last_at) : "not yet"}</small>
        </button>
      ))}
    </nav>
  );
}

interface NextProps {
  found: Procedure;
  onAccept: () => void;
  onHold: () => void;
}

function NextHold({ found, onAccept, onHold }: NextProps) {
  const act = useAct();
  const held = useHold();
  const length = useLength();
  const { letterKeys } = useSettings();
  const hold = held?.procedure === found.procedure ? held : null;
  const [next] = missing(found);
  const { connected } = useLive();
  const mayAccept = found.can_accept && (!next || next.fields.length > 0) && !found.repeat.length;
  if (hold) {
    const what = hold.any
      ? "turn it into the next pose and hold it still"
      : `hold ${called(hold.label, hold.true_mm, length)} still`;
    return (
      <p className="next" aria-live="polite">
        <b>Next:</b> <span>{what}. It is taken by itself.</span>
      </p>
    );
  }
  if (!found.steps.length && found.past.length > 0) return <Next />; // it is done: what comes after it
  if (next?.watched && !connected && !found.can_accept)
    return (
      <p className="next">
        <b>Next:</b> <span>connect the board, or the stand-in.</span>
        <button type="button" className="act" onClick={() => void act.connect()}>
          Connect
        </button>
      </p>
    );
  if (found.repeat.length)
    return (
      <p className="next">
        <b>Next:</b> <span>{found.verdict}</span>
      </p>
    );
  if (mayAccept && !next)
    return (
      <p className="next">
        <b>Next:</b> <span>{found.verdict}</span>
        <button type="button" className="act act-first" onClick={onAccept}>
          Accept
        </button>
      </p>
    );
  const at = next ? lengthOf(next) : null;
  const said = !next
    ? found.verdict
    : at === null
      ? next.do
      : `Put the target near ${called(`${at} mm`, at, length)} and type what the ruler says.`;
  const atOnce = next?.watched && connected && !next.fields.some((field) => field.needed);
  return (
    <p className="next">
      <b>Next:</b> <span>{said.charAt(0).toLowerCase() + said.slice(1)}</span>
      {atOnce && (
        <button type="button" className="act act-first" onClick={onHold}>
          Hold it {letterKeys && <kbd>H</kbd>}
        </button>
      )}
    </p>
  );
}
