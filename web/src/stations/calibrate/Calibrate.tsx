import { useState } from "react";
import { useAct } from "../../hooks/act";
import { useHold, useLive } from "../../hooks/live";
import { usePlace } from "../../hooks/place";
import { useLength, useSettings } from "../../hooks/settings";
import { useAddress } from "../../hooks/useAddress";
import { useKeys } from "../../hooks/useKeys";
import { type Procedure, useCalls, useProcedure, type Want } from "../../hooks/useProcedure";
import { counted, moment } from "../../model/format";
import picker from "../../ui/picker.module.css";
import { SensorTabs } from "../../ui/SensorTabs";
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
  const { found: procedure, error, name } = useProcedure();
  if (!place.sensor.procedures.length) return <Nothing />;
  if (!procedure || !name) return <Verdict>{error ? error.message : "Looking for what is held"}</Verdict>;
  return <Open key={`${place.sensor.id} ${name}`} procedure={procedure} />;
}

function Nothing() {
  const place = usePlace();
  const other = place.rig.sensors.find((sensor) => sensor.procedures.length > 0);
  return (
    <>
      <Verdict>{`The ${place.sensor.name} sensor is taken as its part sheet has it`}</Verdict>
      <SensorTabs able={(sensor) => sensor.procedures.length > 0} />
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

function Open({ procedure }: { procedure: Procedure }) {
  const act = useAct();
  const held = useHold();
  const calls = useCalls(procedure.procedure);
  const { letterKeys } = useSettings();
  const [extras, setExtras] = useState<string[]>([]);
  const [notebook, setNotebook] = useState(false);
  const hold = held?.procedure === procedure.procedure ? held : null;
  const left = missing(procedure);
  const next = left[0];
  const { connected } = useLive();
  const accept = () =>
    act.attempt(
      calls.accept(extras),
      `Accepted: ${procedure.constants
        .map((constant) => constant.label)
        .slice(0, 4)
        .join(", ")} measured now.`,
    );
  const begin = (want: Want | undefined) =>
    act.attempt(calls.hold(procedure.hands_free && procedure.steps.length > 0 ? "" : (want?.key ?? ""), {}));
  const go = () => {
    if (hold) void act.attempt(calls.take());
    else if (connected && next?.watched && !next.fields.some((field) => field.needed)) void begin(next);
    else document.querySelector<HTMLInputElement>('li[aria-current="step"] :is(input, select)')?.focus();
  };
  useKeys({ h: go }, letterKeys);
  const last = procedure.past.at(-1);
  const heading =
    procedure.steps.length || !last ? procedure.heading : `Calibrated ${moment(last.at)}. ${last.verdict}`;
  return (
    <>
      <Verdict next={<NextHold procedure={procedure} onAccept={() => void accept()} onHold={() => void begin(next)} />}>
        {heading}
      </Verdict>
      <SensorTabs able={(sensor) => sensor.procedures.length > 0} />
      <Choice procedure={procedure} />
      <div className={styles.calibrate}>
        <Steps procedure={procedure} />
        <section className={styles.outcome}>
          <Holding procedure={procedure} />
          {!procedure.steps.length && !hold && <Prepare procedure={procedure} />}
          <Said procedure={procedure} extras={extras} onExtras={setExtras} />
          <div className="row-of-buttons">
            {procedure.can_accept && (
              <button type="button" className="act" onClick={() => void accept()}>
                Accept {counted(procedure.steps.length, "step")}
              </button>
            )}
            {procedure.notebook.length > 0 && (
              <button type="button" className="act" onClick={() => setNotebook(true)}>
                Type from a notebook
              </button>
            )}
            <FromRecording procedure={procedure} />
            {procedure.steps.length > 0 && (
              <button
                type="button"
                className="plain"
                onClick={() =>
                  void act.attempt(calls.reject(), "Archived; begin anew.", ({ id }) => {
                    if (id) void act.attempt(calls.bringBack(id), "Brought back.");
                  })
                }
              >
                Archive {counted(procedure.steps.length, "step")}
              </button>
            )}
          </div>
        </section>
      </div>
      <Notebook procedure={procedure} show={notebook} onHide={() => setNotebook(false)} />
    </>
  );
}

/** The procedures of this sensor, side by side. */
function Choice({ procedure }: { procedure: Procedure }) {
  const { lines } = useProcedure();
  const { put } = useAddress();
  if (lines.length < 2) return null;
  return (
    <nav className={picker.procedures} aria-label="Procedures">
      {lines.map((line) => (
        <button
          key={line.procedure}
          type="button"
          aria-current={line.procedure === procedure.procedure ? "true" : undefined}
          onClick={() => put({ procedure: line.procedure }, false)}
        >
          {line.title}
          <small>{line.held ? `${line.held} held` : line.last_at ? moment(line.last_at) : "not yet"}</small>
        </button>
      ))}
    </nav>
  );
}

interface NextProps {
  procedure: Procedure;
  onAccept: () => void;
  onHold: () => void;
}

function NextHold({ procedure, onAccept, onHold }: NextProps) {
  const act = useAct();
  const held = useHold();
  const length = useLength();
  const { letterKeys } = useSettings();
  const hold = held?.procedure === procedure.procedure ? held : null;
  const [next] = missing(procedure);
  const { connected } = useLive();
  const mayAccept = procedure.can_accept && (!next || next.fields.length > 0) && !procedure.repeat.length;
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
  if (!procedure.steps.length && procedure.past.length > 0) return <Next />; // it is done: what comes after it
  if (next?.watched && !connected && !procedure.can_accept)
    return (
      <p className="next">
        <b>Next:</b> <span>connect the board, or the stand-in.</span>
        <button type="button" className="act" onClick={() => void act.connect()}>
          Connect
        </button>
      </p>
    );
  if (procedure.repeat.length)
    return (
      <p className="next">
        <b>Next:</b> <span>{procedure.verdict}</span>
      </p>
    );
  if (mayAccept && !next)
    return (
      <p className="next">
        <b>Next:</b> <span>{procedure.verdict}</span>
        <button type="button" className="act act-first" onClick={onAccept}>
          Accept calibration
        </button>
      </p>
    );
  const at = next ? lengthOf(next) : null;
  const advice = !next
    ? procedure.verdict
    : at === null
      ? next.do
      : `Put the target near ${called(`${at} mm`, at, length)} and type what the ruler says.`;
  const atOnce = next?.watched && connected && !next.fields.some((field) => field.needed);
  return (
    <p className="next">
      <b>Next:</b> <span>{advice.charAt(0).toLowerCase() + advice.slice(1)}</span>
      {atOnce && (
        <button type="button" className="act act-first" onClick={onHold}>
          Hold {called(next.label, at, length)} {letterKeys && <kbd>H</kbd>}
        </button>
      )}
    </p>
  );
}
