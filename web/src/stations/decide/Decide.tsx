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
  const other = place.rig.sensors.find((one) => one.decisions.length > 0);
  return (
    <>
      <Verdict>{`Nothing is decided by the ${place.sensor.name} sensor`}</Verdict>
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
  const { lines, found, error } = useDecision(picked);
  const { put } = useAddress();
  const done = () => setAll((now) => (now[name] === picked ? { ...now, [name]: NONE } : now)); // what was picked since stays
  return (
    <>
      {found ? (
        <Head found={found} picked={picked} onDone={done} />
      ) : (
        <Verdict>{error ? error.message : "Working it out"}</Verdict>
      )}
      {lines.length > 1 && (
        <nav className={picker.procedures} aria-label="Decisions">
          {lines.map((one) => (
            <button
              key={one.decision}
              type="button"
              aria-current={one.decision === name ? "true" : undefined}
              onClick={() => put({ decision: one.decision, from: null, test: null }, false)}
            >
              {one.title}
              <small>{one.state === "open" ? "not yet" : one.state}</small>
            </button>
          ))}
        </nav>
      )}
      {found && (
        <Open
          found={found}
          picked={picked}
          onPick={(more) => setAll((now) => ({ ...now, [name]: { ...now[name], ...more } }))}
        />
      )}
    </>
  );
}

const NONE: Picked = {};

interface HeadProps {
  found: Decision;
  picked: Picked;
  onDone: () => void;
}

/** The verdict, and the one thing to do next: choose, or what is still missing. */
function Head({ found, picked, onDone }: HeadProps) {
  const place = usePlace();
  const act = useAct();
  const values = Object.fromEntries(found.choices.map((one) => [one.name, picked[one.name] ?? one.value]));
  const open = found.choices.some(
    (one) => one.chosen?.provenance !== "chosen" || one.chosen.stale !== "" || one.chosen.value !== values[one.name],
  );
  const first = found.choices[0];
  const params = { path: { slug: place.rig.slug, sensor: place.sensor.id, name: found.decision } };
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
          body: { values, recordings: found.sources.filter((one) => one.used).map((one) => one.id) },
        }),
      ),
      "Chosen. It remembers what it was chosen from.",
      ({ id }) => id && takeBack(id),
    );
    if (done) onDone();
  };
  const may = open && !found.why_not && first !== undefined;
  const label =
    first?.unit === "mm" && found.choices.length <= 2
      ? `Choose ${figure(values[first.name] ?? 0, 0)}${THIN}mm`
      : found.choices.length > 2
        ? "Choose them"
        : "Choose";
  return (
    <Verdict
      next={
        <p className="next">
          <b>Next:</b>{" "}
          <span>{found.why_not ? found.next : open ? found.next : "cut a stone, so that it goes into the robot."}</span>
          {first === undefined && (
            <button type="button" className="act" onClick={() => place.go("watch")}>
              Record at Watch
            </button>
          )}
          {may && (
            <button type="button" className={found.good ? "act act-first" : "act"} onClick={() => void choose()}>
              {label}
            </button>
          )}
        </p>
      }
    >
      {found.heading}
    </Verdict>
  );
}

interface OpenProps {
  found: Decision;
  picked: Picked;
  onPick: (more: Picked) => void;
}

function Open({ found, picked, onPick }: OpenProps) {
  const { drawing } = found;
  return (
    <div className={styles.decision}>
      {drawing?.draws === "heaps" && <Heaps found={found} heaps={drawing} picked={picked} onPick={onPick} />}
      {drawing?.draws === "floor" && <Floor found={found} floor={drawing} picked={picked} onPick={onPick} />}
      {drawing?.draws === "states" && <States found={found} rows={drawing.rows} picked={picked} onPick={onPick} />}
      <div className={drawing ? styles.decide : `${styles.decide} ${styles.decidePlain}`}>
        {found.plots.length > 0 && (
          <section className="decide-plots">
            {found.plots.map((plot) => (
              <FitPlot key={plot.title} plot={plot} onPick={(dot) => onPick(dot.picks)} />
            ))}
          </section>
        )}
        {!drawing && found.choices.length > 0 && (
          <section>
            <Choices found={found} picked={picked} onPick={onPick} />
            <From found={found} />
          </section>
        )}
        {drawing?.draws === "floor" && <Parts floor={drawing} trip={picked.trip ?? found.choices[0]?.value ?? 0} />}
        {found.inputs.length > 0 && <Inputs found={found} />}
        <section>
          {drawing && <From found={found} />}
          {found.why_not && <p className={styles.decideWhy}>{found.why_not}</p>}
          {found.notes.length > 0 && <h2>What to know</h2>}
          <ul className="ticks">
            {found.notes.map((note) => (
              <li key={note}>{note}</li>
            ))}
          </ul>
          {found.cautions.map((caution) => (
            <p key={caution} className="caution">
              {caution}
            </p>
          ))}
        </section>
      </div>
      <div className={styles.decideTables}>
        {found.tables.map((table) => (
          <SaidTable key={table.title} table={table} />
        ))}
      </div>
    </div>
  );
}
