import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { api, ask, type Schemas } from "../../api/client";
import { useBench, useLength } from "../../hooks/bench";
import { useSettings } from "../../hooks/settings";
import { figure, lengthTyped, shown, THIN } from "../../model/format";
import { Chart } from "../../plot/Chart";
import { Verdict } from "../../ui/Verdict";
import { Marks } from "./Marks";
import { recordingLine } from "./Recordings";

type Trace = Schemas["TraceModel"];

/** A recording that is open: zoom, cursor, marks, odd lines; the view is in the address. */
export function OpenedRecording({ id }: { id: number }) {
  const bench = useBench();
  const length = useLength();
  const { night } = useSettings();
  const [search] = useSearchParams();
  const { sensor, rig } = bench;
  const seconds = (name: string) => (search.has(name) ? Number(search.get(name)) : undefined);
  const [t0, t1, cursor] = [seconds("t0"), seconds("t1"), seconds("t")];
  const opened = useQuery({
    queryKey: ["r", rig.slug, "recording", id],
    queryFn: () => ask(api.GET("/api/recordings/{recording_id}", { params: { path: { recording_id: id } } })),
  });
  const trace = useQuery({
    queryKey: ["r", rig.slug, "trace", id, sensor.id, t0, t1],
    queryFn: () =>
      ask(
        api.GET("/api/recordings/{recording_id}/trace", {
          params: { path: { recording_id: id }, query: { sensor: sensor.id, t0, t1, width: 900 } },
        }),
      ),
    placeholderData: (old) => old,
  });
  const back = () => bench.go("watch", { recording: null, t0: null, t1: null, t: null });
  if (opened.isError) {
    return (
      <>
        <Verdict next={<p className="next">{opened.error.message}</p>}>There is no such recording</Verdict>
        <button type="button" className="act" onClick={back}>
          Back to live readings
        </button>
      </>
    );
  }
  const recording = opened.data?.recording;
  const per = sensor.unit === "mm" ? (lengthTyped("1", length) ?? 1) : 1;
  const zoomed = t0 !== undefined || t1 !== undefined;
  const archive = () =>
    bench
      .attempt(
        change(id, { archived: true }),
        "The recording is put away.",
        () => void bench.attempt(change(id, { archived: false })),
      )
      .then((done) => done && back());
  return (
    <>
      <Verdict
        next={
          <p className="next">
            <span>{recording && recordingLine(recording)}</span>
            {recording && recording.status !== "live" && <Replay id={id} />}
            <button type="button" className="act" onClick={back}>
              Back to live readings
            </button>
          </p>
        }
      >
        {recording?.name ?? "Opening the recording"}
      </Verdict>
      {recording?.ended_why && <p className="stale">{recording.ended_why}</p>}
      <div className="chart-tools">
        <span>Drag to zoom, wheel to zoom about the cursor, click to read a value.</span>
        <span className="spring" />
        {zoomed && (
          <button type="button" className="act" onClick={() => bench.show({ t0: null, t1: null })}>
            Show all of it
          </button>
        )}
        <Save
          trace={trace.isPlaceholderData ? undefined : trace.data}
          name={`${rig.slug}-${id}-${sensor.id}`}
          unit={sensor.unit}
          rawUnit={sensor.raw_unit}
        />
      </div>
      {trace.data && (
        <Chart
          data={trace.data}
          marks={(opened.data?.marks ?? []).map((mark) => ({ t0: mark.t0_s, t1: mark.t1_s, label: mark.label }))}
          unit={sensor.unit}
          per={per}
          decimals={per === 1 ? 1 : 2}
          floor={(sensor.high - sensor.low) / 200 / per}
          cursor={cursor}
          tall
          theme={String(night)}
          label={`${sensor.name} in ${recording?.name}`}
          onZoom={(from, to) => bench.show({ t0: from.toFixed(3), t1: to.toFixed(3) })}
          onPick={(t) => bench.show({ t: t.toFixed(3) })}
        />
      )}
      {trace.isError && <p role="alert">{trace.error.message}</p>}
      <Cursor id={id} t={cursor} />
      <div className="recorded-lists">
        <Marks recording={id} marks={opened.data?.marks ?? []} cursor={cursor} />
        <section>
          <h2>What is in it</h2>
          <ul className="ticks">
            {recording?.streams.map((stream) => (
              <li key={stream.key}>
                {stream.key}: {figure(stream.n, 0)} readings
                {stream.segments > 1 && `, ${stream.segments - 1} board resets`}
              </li>
            ))}
            <li>
              {recording?.odd_lines
                ? `${figure(recording.odd_lines, 0)} lines not understood, kept as text`
                : "every line understood"}
            </li>
          </ul>
          {opened.data?.odd.slice(0, 5).map((odd) => (
            <p key={`${odd.t_s}${odd.text}`} className="odd">
              <code>{odd.text}</code> {odd.why}
            </p>
          ))}
          {recording && recording.status !== "live" && (
            <button type="button" className="plain" onClick={() => void archive()}>
              Put it away
            </button>
          )}
        </section>
      </div>
    </>
  );
}

/** Tell the recording again as a source, at any speed. */
function Replay({ id }: { id: number }) {
  const bench = useBench();
  const [speed, setSpeed] = useState(1);
  const sources = useQuery({ queryKey: ["sources"], queryFn: () => ask(api.GET("/api/sources")) });
  return (
    <span className="replay">
      <button
        type="button"
        className="act"
        onClick={() => void bench.connect({ kind: "replay", recording: id, speed })}
      >
        Replay it
      </button>
      <select aria-label="Speed of the replay" value={speed} onChange={(event) => setSpeed(Number(event.target.value))}>
        {(sources.data?.speeds ?? [1]).map((one) => (
          <option key={one} value={one}>
            × {one}
          </option>
        ))}
      </select>
    </span>
  );
}

function change(id: number, body: { archived?: boolean; name?: string }) {
  return ask(api.PATCH("/api/recordings/{recording_id}", { params: { path: { recording_id: id } }, body }));
}

function Cursor({ id, t }: { id: number; t: number | undefined }) {
  const bench = useBench();
  const length = useLength();
  const { sensor, rig } = bench;
  const at = useQuery({
    queryKey: ["r", rig.slug, "at", id, sensor.id, t],
    enabled: t !== undefined,
    queryFn: () =>
      ask(
        api.GET("/api/recordings/{recording_id}/at", {
          params: { path: { recording_id: id }, query: { sensor: sensor.id, t: t ?? 0 } },
        }),
      ),
    placeholderData: (old) => old,
  });
  if (t === undefined || !at.data) return <p className="cursor-line">&nbsp;</p>;
  const value =
    at.data.value === null ? null : shown(at.data.value, sensor.unit, sensor.unit === "mm" ? 1.2 : 0.1, length);
  return (
    <p className="cursor-line">
      At {figure(at.data.t_s, 2)}
      {THIN}s: {at.data.raw === null ? "—" : figure(at.data.raw, sensor.raw_digits)}
      {THIN}
      {sensor.raw_unit} is <b>{value ? `${value.text}${THIN}${value.unit}` : at.data.reason}</b>
      <button type="button" className="act" onClick={() => bench.go("convert")}>
        Work it out
      </button>
    </p>
  );
}

/** The trace as drawn: a picture, or its numbers. */
function Save({
  trace,
  name,
  unit,
  rawUnit,
}: {
  trace: Trace | undefined;
  name: string;
  unit: string;
  rawUnit: string;
}) {
  const save = (blob: Blob, ending: string) => {
    const link = document.createElement("a");
    link.href = URL.createObjectURL(blob);
    link.download = name + ending;
    link.click();
    URL.revokeObjectURL(link.href);
  };
  const csv = () => {
    if (!trace) return;
    const head = `t_s,raw_low_${rawUnit},raw_high_${rawUnit},low_${unit},high_${unit}`;
    const rows = trace.t.map((t, i) => [t, trace.raw_low[i], trace.raw_high[i], trace.low[i], trace.high[i]].join(","));
    save(new Blob([[head, ...rows].join("\n")], { type: "text/csv" }), ".csv");
  };
  const png = () => {
    const canvas = document.querySelector<HTMLCanvasElement>(".chart canvas");
    canvas?.toBlob((blob) => blob && save(blob, ".png"));
  };
  return (
    <>
      <button type="button" className="plain" disabled={!trace} onClick={png}>
        PNG
      </button>
      <button type="button" className="plain" disabled={!trace} onClick={csv}>
        CSV
      </button>
    </>
  );
}
