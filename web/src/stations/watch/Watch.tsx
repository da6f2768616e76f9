import { useEffect, useRef } from "react";
import { useAct } from "../../hooks/act";
import { useLive, useNow } from "../../hooks/live";
import { usePlace } from "../../hooks/place";
import { useSettings } from "../../hooks/settings";
import { useAddress } from "../../hooks/useAddress";
import { figure, THIN } from "../../model/format";
import type { Finding } from "../../model/live";
import { heading, isOn } from "../../model/readings";
import { Verdict } from "../../ui/Verdict";
import { AllRecordings } from "./AllRecordings";
import { Findings } from "./Findings";
import { Import } from "./Import";
import { Instruments } from "./Instruments";
import { Large } from "./Large";
import { Lines } from "./Lines";
import { LiveChart } from "./LiveChart";
import { MotorCheck } from "./MotorCheck";
import { OpenedRecording } from "./OpenedRecording";
import { Recordings } from "./Recordings";
import { Row } from "./Row";
import { useFiles } from "./useFiles";
import styles from "./Watch.module.css";

/** What the sensors say right now; a recording that is open stands in its place. */
export function Watch() {
  const place = usePlace();
  useDroppedFiles();
  return place.recordingId ? <OpenedRecording id={place.recordingId} /> : <Live />;
}

/** Files dropped anywhere at this station go on the bench. */
function useDroppedFiles() {
  const { hand } = useFiles();
  const latest = useRef(hand);
  latest.current = hand;
  useEffect(() => {
    const over = (event: DragEvent) => event.preventDefault();
    const drop = (event: DragEvent) => {
      if (event.defaultPrevented) return; // somebody nearer took them
      event.preventDefault();
      const files = [...(event.dataTransfer?.files ?? [])];
      if (files.length) void latest.current(files);
    };
    window.addEventListener("dragover", over);
    window.addEventListener("drop", drop);
    return () => {
      window.removeEventListener("dragover", over);
      window.removeEventListener("drop", drop);
    };
  }, []);
}

function Live() {
  const place = usePlace();
  const { feed } = useLive();
  const now = useNow();
  const { search } = useAddress();
  const view = search.get("view");
  const on = isOn(now);
  const first = on ? now.findings[0] : undefined;
  if (view === "recordings") return <AllRecordings />;
  if (view === "import") return <Import />;
  if (view === "lines") return <Lines />;
  if (view === "motors") return <MotorCheck />;
  return (
    <>
      <Verdict next={first && <NextCheck finding={first} />}>
        {heading(place.rig.sensors, place.sensor, feed.link === "opening", now)}
      </Verdict>
      {now.left_out > 0 && (
        <p className={styles.advice} role="alert">
          More comes than can be read: {figure(now.left_out / 1e6, 1)}
          {THIN}MB of it were left out. Let the board send fewer lines a second, or end each line.
        </p>
      )}
      {now.advice && (
        <p className={styles.advice} role="alert">
          {now.advice}
        </p>
      )}
      <div className={styles.watchRows}>
        {place.rig.sensors.map((sensor) => (
          <Row key={sensor.id} sensor={sensor} />
        ))}
      </div>
      <Health />
      {on ? (
        <>
          <Instruments />
          <LiveChart />
          <Findings />
        </>
      ) : (
        <Empty />
      )}
      <Recordings />
      {search.get("large") !== null && <Large />}
    </>
  );
}

/** With something wrong, the next thing worth doing is the check that tells its causes apart. */
function NextCheck({ finding }: { finding: Finding }) {
  const place = usePlace();
  return (
    <p className={`next ${styles.nextLong}`}>
      <b>Next:</b> <span>{finding.advice}</span>
      {finding.sensor && finding.sensor !== place.sensor.id && (
        <button type="button" className="act" onClick={() => place.pick(finding.sensor)}>
          Look at {place.rig.sensors.find(({ id }) => id === finding.sensor)?.name}
        </button>
      )}
    </p>
  );
}

function Empty() {
  const act = useAct();
  const now = useNow();
  const { letterKeys } = useSettings();
  return (
    <div className="empty">
      <p>
        {now.status === "lost"
          ? `${now.why} It goes on by itself as soon as it is plugged in again.`
          : now.why || "No board at hand? The stand-in behaves like one, over a real serial port."}
      </p>
      {now.status !== "lost" && (
        <button type="button" className="act" onClick={() => void act.connect()}>
          Connect the stand-in {letterKeys && <kbd>C</kbd>}
        </button>
      )}
      <p>
        A board of your own may print <code>Distance: 23.4 cm</code>, <code>312,400,780</code>,{" "}
        <code>{'{"air":21.5}'}</code> or <code>t_us:1204500 echo_us:1748</code>, a line a reading; choose its port at
        the top.
      </p>
    </div>
  );
}

/** How well the line itself does: rate, jitter, gaps, garbled lines, dropouts of the selected sensor. */
function Health() {
  const place = usePlace();
  const act = useAct();
  const now = useNow();
  const { sensor } = place;
  if (!isOn(now)) return null;
  const seen = now.sensors[sensor.id];
  return (
    <p className={styles.health}>
      <b>{now.rate_hz === null ? "—" : figure(now.rate_hz, now.rate_hz < 100 ? 1 : 0)} lines/s</b>
      <span>{now.jitter_ms === null ? "" : `jitter ${figure(now.jitter_ms, 1)}${THIN}ms`}</span>
      <span>{now.gaps === 0 ? "no gap" : `${now.gaps} gap${now.gaps > 1 ? "s" : ""} in 5${THIN}s`}</span>
      <span className={now.garbled ? "stale" : undefined}>{figure(now.garbled, 0)} garbled</span>
      {!sensor.fades && (
        <span>
          {figure(seen?.dropouts ?? 0, 0)} {seen?.dropouts === 1 ? "dropout" : "dropouts"} of{" "}
          {figure(seen?.readings ?? 0, 0)} readings
        </span>
      )}
      <span className={styles.healthActs}>
        <button type="button" className="plain" onClick={() => place.show({ view: "lines" })}>
          Lines and labels
        </button>
        <button type="button" className="plain" onClick={() => place.show({ view: "motors" })}>
          Check with motors
        </button>
        <button type="button" className="plain" onClick={() => void act.disconnect()}>
          Disconnect
        </button>
      </span>
    </p>
  );
}
