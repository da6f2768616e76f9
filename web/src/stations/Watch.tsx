import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, ask, type Recording, type Sensor } from "../api/client";
import { useRecordingMarks } from "../frame/useRecordingMarks";
import { useBench, useLength } from "../hooks/bench";
import { useSettings } from "../hooks/settings";
import { duration, figure, lengthTyped, moment, shown, THIN } from "../model/format";
import { Chart, type ChartData } from "../plot/Chart";
import { Strip } from "../plot/Strip";
import { Verdict } from "../ui/Verdict";
import { OpenedRecording } from "./OpenedRecording";

const LOOK_BACK_S = 20;

export function Watch() {
  const bench = useBench();
  return bench.recordingId ? <OpenedRecording id={bench.recordingId} /> : <Live />;
}

function Live() {
  const bench = useBench();
  const { now, rig } = bench;
  return (
    <>
      <Verdict>{heading(bench)}</Verdict>
      <div className="watch-rows">
        {rig.sensors.map((sensor) => (
          <Row key={sensor.id} sensor={sensor} />
        ))}
      </div>
      {now.status === "live" || now.status === "silent" ? <LiveChart /> : <Empty />}
      <Health />
      <Recordings />
    </>
  );
}

function heading(bench: ReturnType<typeof useBench>): string {
  const { now, rig, sensor } = bench;
  if (bench.feed.link === "opening") return "Looking for readings";
  if (now.status === "lost") return "The board was unplugged";
  if (now.status === "idle") return "Nothing is connected yet";
  if (now.status === "silent") return `${now.source} is connected but says nothing`;
  const first = now.sensors[sensor.id];
  if (!first || first.readings === 0) return `Waiting for the ${sensor.name}`;
  const silent = rig.sensors.filter((one) => (now.sensors[one.id]?.readings ?? 0) === 0);
  const others = silent.length > 1 ? `${silent.length} others say` : `the ${silent[0]?.name} says`;
  if (silent.length) return `${first.sentence.replace(/\.$/, "")}; ${others} nothing yet`;
  return first.sentence.replace(/\.$/, "");
}

function Row({ sensor }: { sensor: Sensor }) {
  const bench = useBench();
  const length = useLength();
  const seen = bench.now.sensors[sensor.id];
  const on = bench.now.status === "live" || bench.now.status === "silent";
  const value = on && seen?.value != null ? shown(seen.value, sensor.unit, null, length, sensor.digits) : null;
  const raw =
    on && seen?.raw != null ? `${figure(seen.raw, sensor.raw_digits)}${THIN}${sensor.raw_unit}` : "no reading";
  return (
    <button
      type="button"
      className={on && !seen?.readings ? "watch-row unheard" : "watch-row"}
      aria-pressed={sensor.id === bench.sensor.id}
      onClick={() => bench.pick(sensor.id)}
    >
      <span className="watch-name">
        <b>{sensor.name}</b>
        <span className="raw">{raw}</span>
      </span>
      <span className="watch-value">
        <b>{value?.text ?? "—"}</b> <small>{value?.unit}</small>
      </span>
      <span className="watch-words">{on ? seen?.sentence : "not connected"}</span>
      <span className="watch-trace">
        {on && (
          <Strip
            read={() => bench.feed.buffer(sensor.id)}
            seconds={10}
            low={sensor.low}
            high={sensor.high}
            fit
            frozen={bench.frozen}
            label={`${sensor.name}, the last 10 seconds`}
          />
        )}
      </span>
    </button>
  );
}

function LiveChart() {
  const bench = useBench();
  const length = useLength();
  const { night } = useSettings();
  const { feed, sensor, frozen } = bench;
  const [data, setData] = useState<ChartData>({ t: [], low: [], high: [] });
  const marks = useRecordingMarks().map((mark) => ({ t0: mark.t, t1: null, label: mark.label }));
  useEffect(() => {
    if (frozen) return;
    const draw = () => {
      const { t, v } = feed.buffer(sensor.id);
      const end = t[t.length - 1] ?? 0;
      let first = t.length;
      while (first > 0 && (t[first - 1] ?? 0) > end - LOOK_BACK_S) first--;
      const values = v.slice(first);
      setData({ t: t.slice(first), low: values, high: values });
    };
    draw();
    const timer = setInterval(draw, 125);
    return () => clearInterval(timer);
  }, [feed, sensor.id, frozen]);
  const per = sensor.unit === "mm" ? (lengthTyped("1", length) ?? 1) : 1;
  return (
    <Chart
      data={data}
      marks={marks}
      unit={sensor.unit === "mm" ? length : sensor.unit}
      per={per}
      decimals={per === 1 ? 1 : 2}
      floor={(sensor.high - sensor.low) / 100 / per}
      theme={String(night)}
      label={`${sensor.name}, the last ${LOOK_BACK_S} seconds`}
    />
  );
}

function Empty() {
  const bench = useBench();
  const { letterKeys } = useSettings();
  return (
    <div className="empty">
      <p>
        {bench.now.status === "lost"
          ? `${bench.now.why} Plug it in again, then connect.`
          : "No board at hand? The stand-in behaves like one, over a real serial port."}
      </p>
      <button type="button" className="act" onClick={() => void bench.connect()}>
        Connect the stand-in {letterKeys && <kbd>C</kbd>}
      </button>
      <p>
        A board of your own prints lines such as <code>t_us:1204500 echo_us:1748 air_c:21.5</code>; choose its port at
        the top.
      </p>
    </div>
  );
}

function Health() {
  const bench = useBench();
  const { now, sensor } = bench;
  if (now.status !== "live" && now.status !== "silent") return null;
  const seen = now.sensors[sensor.id];
  return (
    <p className="health">
      <b>{now.rate_hz === null ? "—" : figure(now.rate_hz, 1)} lines/s</b>
      <span>{now.jitter_ms === null ? "" : `jitter ${figure(now.jitter_ms, 1)}${THIN}ms`}</span>
      <span>{now.gaps === 0 ? "no gap" : `${now.gaps} gap${now.gaps > 1 ? "s" : ""} in 5${THIN}s`}</span>
      <span className={now.garbled ? "stale" : undefined}>{figure(now.garbled, 0)} garbled</span>
      <span>
        {figure(seen?.dropouts ?? 0, 0)} dropouts of {figure(seen?.readings ?? 0, 0)} readings
      </span>
      <button type="button" className="act" onClick={() => void bench.disconnect()}>
        Disconnect
      </button>
    </p>
  );
}

export function recordingLine(one: Recording): string {
  const kept = { live: "running", closed: "", cut: "cut short" }[one.status] ?? one.status;
  const length = one.status === "live" ? "" : duration(one.duration_s);
  return [moment(one.started_at), length, kept].filter(Boolean).join(", ");
}

function Recordings() {
  const bench = useBench();
  const list = useQuery({
    queryKey: ["r", bench.rig.slug, "recordings"],
    queryFn: () => ask(api.GET("/api/rigs/{slug}/recordings", { params: { path: { slug: bench.rig.slug } } })),
  });
  if (!list.data?.length) return null;
  return (
    <section className="recordings">
      <h2>Recordings</h2>
      <ul className="ticks">
        {list.data.slice(0, 6).map((one) => (
          <li key={one.id}>
            <button
              type="button"
              className="link"
              onClick={() => bench.go("watch", { recording: String(one.id), t0: null, t1: null, t: null })}
            >
              {one.name}
            </button>{" "}
            <small>{recordingLine(one)}</small>
          </li>
        ))}
      </ul>
    </section>
  );
}
