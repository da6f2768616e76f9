import { useState } from "react";
import { api, ask } from "../../api/client";
import { useAct } from "../../hooks/act";
import { usePlace } from "../../hooks/place";
import { useAddress } from "../../hooks/useAddress";
import { type Decision, type Picked, useDecision } from "../../hooks/useDecision";
import { figure, THIN } from "../../model/format";
import { FitPlot } from "../../plot/FitPlot";
import picker from "../../ui/picker.module.css";
import { SaidTable } from "../../ui/SaidTable";
import { SensorTabs } from "../../ui/SensorTabs";
import { Verdict } from "../../ui/Verdict";
import { Choices } from "./Choices";
import styles from "./Decide.module.css";
import { Floor, Parts } from "./Floor";
import { From } from "./From";
import { Heaps } from "./Heaps";
import { Inputs } from "./Inputs";
import { States } from "./States";

/** Thresholds, limits and filters, each with its odds. */
export function Decide() {
  const place = usePlace();
  if (!place.sensor.decisions.length) return <Nothing />;
  return <OfSensor key={place.sensor.id} />;
}

function Nothing() {
  const place = usePlace();
  const other = place.rig.sensors.find((sensor) => sensor.decisions.length > 0);
  return (
    <>
      <Verdict>{`Nothing is decided by the ${place.sensor.name} sensor`}</Verdict>
      <SensorTabs able={(sensor) => sensor.decisions.length > 0} />
      <div className="empty">
        <p>What it says is used as it is.</p>
        {other && (
          <button type="button" className="act" onClick={() => place.pick(other.id)}>
            Decide with the {other.name}
          </button>
        )}
      </div>
    </>
  );
}

function OfSensor() {
  const [all, setAll] = useState<Record<string, Picked>>({});
  const { search } = useAddress();
  const { sensor } = usePlace();
  const asked = search.get("decision");
  const name = asked && sensor.decisions.includes(asked) ? asked : (sensor.decisions[0] ?? "");
  const picked = all[name] ?? NONE;
  const { lines, found: decision, error } = useDecision(picked);
  const { put } = useAddress();
  const done = () => setAll((now) => (now[name] === picked ? { ...now, [name]: NONE } : now)); // what was picked since stays
  return (
    <>
      {decision ? (
        <Head decision={decision} picked={picked} onDone={done} />
      ) : (
        <Verdict>{error ? error.message : "Working it out"}</Verdict>
      )}
      <SensorTabs able={(sensor) => sensor.decisions.length > 0} />
      {lines.length > 1 && (
        <nav className={picker.procedures} aria-label="Decisions">
          {lines.map((line) => (
            <button
              key={line.decision}
              type="button"
              aria-current={line.decision === name ? "true" : undefined}
              onClick={() => put({ decision: line.decision, from: null, test: null }, false)}
            >
              {line.title}
              <small>{line.state === "open" ? "not yet" : line.state}</small>
            </button>
          ))}
        </nav>
      )}
      {decision && (
        <Open
          decision={decision}
          picked={picked}
          onPick={(more) => setAll((now) => ({ ...now, [name]: { ...now[name], ...more } }))}
          onSettled={(constant) =>
            setAll((now) => {
              const { [constant]: _, ...rest } = now[name] ?? NONE;
              return { ...now, [name]: rest };
            })
          }
        />
      )}
    </>
  );
}

const NONE: Picked = {};

interface HeadProps {
  decision: Decision;
  picked: Picked;
  onDone: () => void;
}

/** The verdict, and the one thing to do next: choose, or what is still missing. */
function Head({ decision, picked, onDone }: HeadProps) {
  const place = usePlace();
  const act = useAct();
  const values = Object.fromEntries(
    decision.choices.map((choice) => [choice.name, picked[choice.name] ?? choice.value]),
  );
  const open = decision.choices.some(
    (choice) =>
      choice.chosen?.provenance !== "chosen" ||
      choice.chosen.stale !== "" ||
      choice.chosen.value !== values[choice.name],
  );
  const first = decision.choices[0];
  const params = { path: { slug: place.rig.slug, sensor: place.sensor.id, name: decision.decision } };
  const takeBack = (upto: number) =>
    void act.attempt(
      ask(api.POST("/api/rigs/{slug}/sensors/{sensor}/decisions/{name}/take-back", { params, body: { upto } })),
      "Taken back: what held before holds again.",
    );
  const choose = async () => {
    const done = await act.attempt(
      ask(
        api.POST("/api/rigs/{slug}/sensors/{sensor}/decisions/{name}", {
          params,
          body: { values, recordings: decision.sources.filter((source) => source.used).map((source) => source.id) },
        }),
      ),
      "Chosen. It remembers what it was chosen from.",
      ({ id }) => id && takeBack(id),
    );
    if (done) onDone();
  };
  const may = open && !decision.why_not && first !== undefined;
  const label =
    first?.unit === "mm" && decision.choices.length <= 2
      ? `Choose ${figure(values[first.name] ?? 0, 0)}${THIN}mm`
      : decision.choices.length > 2
        ? `Choose ${decision.choices.length} values`
        : first
          ? `Choose ${first.label}`
          : "Choose";
  return (
    <Verdict
      next={
        <p className="next">
          <b>Next:</b>{" "}
          <span>
            {decision.why_not ? decision.next : open ? decision.next : "cut a stone, so that it goes into the robot."}
          </span>
          {first === undefined && (
            <button type="button" className="act" onClick={() => place.go("watch")}>
              Record at Watch
            </button>
          )}
          {may && (
            <button type="button" className={decision.good ? "act act-first" : "act"} onClick={() => void choose()}>
              {label}
            </button>
          )}
        </p>
      }
    >
      {decision.heading}
    </Verdict>
  );
}

interface OpenProps {
  decision: Decision;
  picked: Picked;
  onPick: (more: Picked) => void;
  onSettled: (constant: string) => void; // what was tried is set, or could not be
}

function Open({ decision, picked, onPick, onSettled }: OpenProps) {
  const { drawing } = decision;
  return (
    <div className={styles.decision}>
      {drawing?.draws === "heaps" && <Heaps decision={decision} heaps={drawing} picked={picked} onPick={onPick} />}
      {drawing?.draws === "floor" && (
        <Floor decision={decision} floor={drawing} picked={picked} onPick={onPick} onSettled={onSettled} />
      )}
      {drawing?.draws === "states" && (
        <States decision={decision} rows={drawing.rows} picked={picked} onPick={onPick} />
      )}
      <div className={drawing ? styles.decide : `${styles.decide} ${styles.decidePlain}`}>
        {decision.plots.length > 0 && (
          <section>
            {decision.plots.map((plot) => (
              <FitPlot key={plot.title} plot={plot} onPick={(dot) => onPick(dot.picks)} />
            ))}
          </section>
        )}
        {!drawing && decision.choices.length > 0 && (
          <section>
            <Choices decision={decision} picked={picked} onPick={onPick} />
            <From decision={decision} />
          </section>
        )}
        {drawing?.draws === "floor" && <Parts floor={drawing} trip={picked.trip ?? decision.choices[0]?.value ?? 0} />}
        {decision.inputs.length > 0 && <Inputs decision={decision} />}
        <section>
          {drawing && <From decision={decision} />}
          {decision.why_not && <p className={styles.decideWhy}>{decision.why_not}</p>}
          {decision.notes.length > 0 && <h2>What to know</h2>}
          <ul className="ticks">
            {decision.notes.map((note) => (
              <li key={note}>{note}</li>
            ))}
          </ul>
          {decision.cautions.map((caution) => (
            <p key={caution} className="caution">
              {caution}
            </p>
          ))}
        </section>
      </div>
      <div className={styles.decideTables}>
        {decision.tables.map((table) => (
          <SaidTable key={table.title} table={table} />
        ))}
      </div>
    </div>
  );
}
