import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, ask } from "../../api/client";
import { keys } from "../../api/keys";
import { useAct } from "../../hooks/act";
import { useLive } from "../../hooks/live";
import { usePlace } from "../../hooks/place";
import { useAddress } from "../../hooks/useAddress";
import { type Drive as Driven, useDrive, useRunning } from "../../hooks/useDrive";
import { useTrack } from "../../hooks/useTrack";
import { saveText } from "../../plot/saveSvg";
import { Verdict } from "../../ui/Verdict";
import styles from "./Drive.module.css";
import { Kept } from "./Kept";
import { Numbers } from "./Numbers";
import { Shown } from "./Shown";
import { Ways } from "./Ways";
import { WorldBench } from "./WorldBench";

/** The run before the run: a behaviour of the rig in a world drawn to scale, and why it fails. */
export function Drive() {
  const { search } = useAddress();
  return search.get("view") === "world" ? <WorldBench /> : <Runs />;
}

function Runs() {
  const drive = useDrive();
  const { behaviour, run } = drive;
  const clock = useRef(0);
  useSlabOf(behaviour?.sensor);
  return (
    <>
      <Head drive={drive} />
      <Choices drive={drive} />
      {run.isFetching && <Running />}
      <div className={styles.bench}>
        <div>{run.data && <Shown run={run.data} before={drive.before} behaviour={behaviour} clock={clock} />}</div>
        {run.data && <Numbers run={run.data} given={drive.body.given} now={() => clock.current} onSet={drive.set} />}
      </div>
      <Ways drive={drive} />
      <Kept drive={drive} />
      <p className="caution">
        First runs on the floor: wheels off the ground, fingers and sleeves away from what spins, someone at the switch.
        On paths and roads the local rules hold; ask where you are not sure.
      </p>
    </>
  );
}

const LONG_MS = 500;

/** How far a run is that takes long, and the way to stop it. */
function Running() {
  const { rig } = usePlace();
  const [long, setLong] = useState(false);
  const share = useRunning(long);
  useEffect(() => {
    const timer = setTimeout(() => setLong(true), LONG_MS);
    return () => clearTimeout(timer);
  }, []);
  // nothing is looked at again: the run would begin anew
  const stop = () => ask(api.DELETE("/api/rigs/{slug}/drive/running", { params: { path: { slug: rig.slug } } }));
  if (share === null) return null;
  return (
    <p className={styles.running} role="status">
      <progress value={share} aria-label="How much of the run is worked out" />
      <button type="button" className="act" onClick={() => void stop()}>
        Stop it
      </button>
    </p>
  );
}

/** The slab shows the constants of the sensor that a behaviour reads, once it is chosen. */
function useSlabOf(sensor: string | undefined) {
  const { put } = useAddress();
  useEffect(() => {
    if (sensor) put({ sensor });
  }, [sensor, put]);
}

/** The verdict, why it failed, and what can be done with the run. */
function Head({ drive }: { drive: Driven }) {
  const place = usePlace();
  const { behaviour, run } = drive;
  if (behaviour?.lacks)
    return (
      <Verdict
        next={
          <p className="next">
            <b>Next:</b> <span>{behaviour.lacks}</span>
            <button
              type="button"
              className="act act-first"
              onClick={() => place.go("wire", { view: "parts", fit: "" })}
            >
              Fit a part
            </button>
          </p>
        }
      >
        {`${behaviour.title} cannot be run on this rig yet`}
      </Verdict>
    );
  const why = run.data?.why;
  const heading = run.error ? run.error.message : (run.data?.verdict ?? "Working it out");
  return (
    <Verdict
      next={
        <p className="next">
          <b>{why ? "Why:" : "Next:"}</b>
          <span className={styles.why}>
            {why || "change a number: the run is worked again, the old path stays pale."}
          </span>
          {run.data && !run.error && <Keep drive={drive} />}
        </p>
      }
    >
      {drive.kept === null ? heading : `Run ${drive.kept}: ${heading}`}
    </Verdict>
  );
}

/** Keep the numbers that were changed as the rig's, or the run as it is. */
function Keep({ drive }: { drive: Driven }) {
  const { rig } = usePlace();
  const act = useAct();
  const { body } = drive;
  const params = { path: { slug: rig.slug } };
  const own = drive.run.data?.settings.filter((setting) => setting.own && setting.keeps) ?? [];
  const takeBack = (upto: number) =>
    void act.attempt(
      ask(api.POST("/api/rigs/{slug}/drive/take-back", { params, body: { behaviour: body.behaviour, upto } })),
      "Taken back: what held before holds again.",
    );
  const choose = async () => {
    const done = await act.attempt(
      ask(api.POST("/api/rigs/{slug}/drive/choose", { params, body })),
      "Chosen. It remembers the run it was chosen by.",
      ({ id }) => id && takeBack(id),
    );
    if (done) drive.set(Object.fromEntries(own.map((setting) => [setting.name, null])));
  };
  const keep = async () => {
    const kept = await act.attempt(
      ask(api.POST("/api/rigs/{slug}/trials", { params, body: { ...body, note: "" } })),
      ({ id }) => `Run ${id} is kept.`,
    );
    if (kept?.id) drive.put({ run: String(kept.id) });
  };
  const save = async () => {
    const run = await ask(api.POST("/api/rigs/{slug}/drive/document", { params, body }));
    saveText(JSON.stringify(run, null, 2), `${rig.slug}-${body.behaviour}-${body.world}.json`, "application/json");
  };
  if (drive.kept !== null)
    return (
      <button type="button" className="act" onClick={() => drive.change({ beside: null })}>
        Back to the rig as it is
      </button>
    );
  return (
    <>
      {own.length > 0 && (
        <button type="button" className="act act-first" onClick={() => void choose()}>
          Choose {own.length > 2 ? "these numbers" : own.map((setting) => setting.label).join(" and ")}
        </button>
      )}
      <button type="button" className="act" onClick={() => void keep()}>
        Keep this run
      </button>
      <button
        type="button"
        className="act"
        title="For ./tick-stone drive: the same numbers"
        onClick={() => void save()}
      >
        Save as file
      </button>
    </>
  );
}

/** Let the stand-in drive what was run: then Watch, Record and the stations behind it look at a moving vehicle. */
function OnTrack({ drive }: { drive: Driven }) {
  const { rig } = usePlace();
  const act = useAct();
  const { connected } = useLive();
  const track = useTrack();
  const params = { path: { slug: rig.slug } };
  const kind = String(drive.run.data?.world.kind ?? "bench");
  const may = kind !== "bench" && track.data !== undefined;
  const put = async () => {
    const done = await act.attempt(
      ask(api.PUT("/api/rigs/{slug}/drive/track", { params, body: drive.body })),
      "The stand-in drives: look at it at Watch, record it.",
    );
    if (done && !connected) await act.connect();
  };
  if (!may) return null;
  return (
    <button type="button" className="act" onClick={() => void put()}>
      {track.data ? "Set the stand-in back to the start" : "Let the stand-in drive it"}
    </button>
  );
}

const SECONDS = [10, 30, 60, 120, 300, 600];

/** Which behaviour, in which world, for how long, with which chance, on parts how like their numbers. */
function Choices({ drive }: { drive: Driven }) {
  const { choices, behaviour, body, change } = drive;
  const kept = drive.kept !== null;
  return (
    <div className={styles.choices}>
      <label>
        <span>Does</span>
        <select
          aria-label="Behaviour"
          disabled={kept}
          value={behaviour?.id ?? ""}
          onChange={(event) => change({ behaviour: event.target.value, world: null, set: null })}
        >
          {choices?.behaviours.map((each) => (
            <option key={each.id} value={each.id} disabled={each.lacks !== ""} title={each.lacks || each.words}>
              {each.title}
              {each.lacks && " (a part is missing)"}
            </option>
          ))}
        </select>
      </label>
      <label>
        <span>in</span>
        <select
          aria-label="World"
          disabled={kept}
          value={body.world}
          onChange={(event) => change({ world: event.target.value })}
        >
          {choices?.worlds.map((each) => (
            <option key={each.name} value={each.name}>
              {each.name}
            </option>
          ))}
        </select>
      </label>
      <DrawWorld world={body.world} />
      <label>
        <span>for</span>
        <select
          aria-label="Lasts"
          disabled={kept}
          value={body.seconds}
          onChange={(event) => change({ seconds: event.target.value })}
        >
          {[...new Set([...SECONDS, body.seconds ?? 30])].map((seconds) => (
            <option key={seconds} value={seconds}>
              {seconds} s
            </option>
          ))}
        </select>
      </label>
      <button
        type="button"
        className="act"
        disabled={kept}
        onClick={() => change({ seed: String((body.seed ?? 1) + 1) })}
      >
        Another chance: seed {body.seed}
      </button>
      <label title="As far from their constants as real ones, which nobody knows beforehand">
        <input
          type="checkbox"
          checked={body.real}
          disabled={kept}
          onChange={(event) => change({ real: event.target.checked ? "" : null })}
        />
        parts as real ones differ
      </label>
      <label title="As a program of whole numbers works it out: 1.5 becomes 1">
        <input
          type="checkbox"
          checked={body.integers}
          disabled={kept}
          onChange={(event) => change({ integers: event.target.checked ? "" : null })}
        />
        whole numbers
      </label>
      {!kept && <OnTrack drive={drive} />}
    </div>
  );
}

function DrawWorld({ world }: { world: string }) {
  const place = usePlace();
  const stands = useQuery({
    queryKey: keys.world(world),
    queryFn: () => ask(api.GET("/api/worlds/{name}", { params: { path: { name: world } } })),
    enabled: world !== "",
    retry: false,
  });
  const kind = String(stands.data?.kind ?? "");
  if (kind !== "floor" && kind !== "table") return null;
  return (
    <button type="button" className="plain" onClick={() => place.go("drive", { view: "world", world })}>
      Change it
    </button>
  );
}
