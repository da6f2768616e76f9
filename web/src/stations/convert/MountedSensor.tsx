import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useEffect, useRef, useState } from "react";
import { api, ask } from "../../api/client";
import { keys } from "../../api/keys";
import { useNow } from "../../hooks/live";
import { usePlace } from "../../hooks/place";
import { useSettings } from "../../hooks/settings";
import { numbersIn, useAddress } from "../../hooks/useAddress";
import { type Numbers, useWorked } from "../../hooks/useWorked";
import { verdict } from "../../model/worked";
import { Next } from "../../ui/Verdict";
import { Asks } from "./Asks";
import { Head } from "./Head";
import styles from "./MountedSensor.module.css";
import shared from "./shared.module.css";
import { WorkedView } from "./WorkedView";

type From = "live" | "cursor" | "typed";
const WORDS: Record<From, string> = { live: "live", cursor: "at the cursor", typed: "typed" };
const HOLD_MS = 700;

/** Something live that holds still long enough to be read. */
function useHeldStill<T>(value: T | null): T | null {
  const [held, setHeld] = useState(value);
  const latest = useRef(value);
  latest.current = value;
  useEffect(() => {
    const timer = setInterval(() => setHeld(latest.current), HOLD_MS);
    return () => clearInterval(timer);
  }, []);
  return held ?? value;
}

/** A sensor of the rig: its raw numbers live, from the recording's cursor, or typed. */
export function MountedSensor({ first }: { first: ReactNode }) {
  const units = useSettings();
  const { search, put } = useAddress();
  const now = useNow();
  const { sensor, rig, recordingId } = usePlace();
  const usual = useWorked({ rig: rig.slug, sensor: sensor.id, air: null }, {});
  const names = usual.data?.asks.map((ask) => ask.name) ?? [];
  const typed: Numbers = Object.fromEntries(
    Object.entries(numbersIn(search, "r.")).filter(([name]) => names.includes(name)), // another sensor's stay its own
  );
  const t = search.get("t");
  const cursorOn = recordingId !== null && t !== null;
  const seen = now.status === "live" ? now.sensors[sensor.id] : undefined;
  const heard = useHeldStill(seen?.readings ? seen.asked : null);
  const [from, setFrom] = useState<From>(
    Object.keys(numbersIn(search, "r.")).length ? "typed" : cursorOn ? "cursor" : "live",
  );

  const at = useQuery({
    queryKey: keys.reading(rig.slug, recordingId, sensor.id, t),
    enabled: cursorOn && from === "cursor",
    queryFn: () =>
      ask(
        api.GET("/api/recordings/{recording_id}/at", {
          params: { path: { recording_id: recordingId ?? 0 }, query: { sensor: sensor.id, t: Number(t) } },
        }),
      ),
  });
  const live: Numbers = Object.fromEntries(
    names.flatMap((name) => (heard?.[name] == null ? [] : [[name, heard[name]]])),
  );
  const liveOn = now.status === "live" && Object.keys(live).length > 0;
  const cursorTells = cursorOn && !at.isError; // a file that was taken in need not hold every sensor
  const effective: From = (from === "live" && !liveOn) || (from === "cursor" && !cursorTells) ? "typed" : from;
  const asked: Numbers | null =
    effective === "live" ? live : effective === "cursor" ? (at.data?.asked ?? null) : usual.data ? typed : null;
  const air = effective === "cursor" ? (at.data?.air_c ?? null) : now.status === "live" ? now.air_c : null;
  const subject = { rig: rig.slug, sensor: sensor.id, air };
  const worked = useWorked(subject, asked);
  const result = worked.data;
  const take = (name: string, value: number) => {
    setFrom("typed");
    const kept = Object.fromEntries(
      (result?.asks ?? []).map((ask) => [`r.${ask.name}`, String(asked?.[ask.name] ?? ask.value)]),
    );
    put({ ...kept, [`r.${name}`]: String(value) });
  };
  return (
    <>
      <Head verdict={result ? verdict(result, units) : "Waiting for a number"} next={<Next />} first={first} />
      <div className={shared.rawLine}>
        <fieldset className={styles.from}>
          <legend className="visually-hidden">Where the raw number comes from</legend>
          {(["live", "cursor", "typed"] as const).map((source) => (
            <button
              key={source}
              type="button"
              className="act"
              aria-pressed={effective === source}
              disabled={(source === "live" && !liveOn) || (source === "cursor" && !cursorOn)}
              onClick={() => setFrom(source)}
            >
              {WORDS[source]}
            </button>
          ))}
        </fieldset>
        {result && <Asks asks={result.asks} set={asked} onTake={take} />}
      </div>
      {worked.isError && <p role="alert">{worked.error.message}</p>}
      {result && <WorkedView worked={result} subject={subject} ours="this rig" />}
    </>
  );
}
