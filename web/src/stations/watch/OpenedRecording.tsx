import { useQuery } from "@tanstack/react-query";
import { useRef } from "react";
import { api, ask, type Opened, type Schemas, type Whole } from "../../api/client";
import { keys } from "../../api/keys";
import { usePlace } from "../../hooks/place";
import { useLength } from "../../hooks/settings";
import { useAddress } from "../../hooks/useAddress";
import { useFindings } from "../../hooks/useFindings";
import { addressed, FORGET } from "../../model/address";
import { wrongIn } from "../../model/findings";
import { figure, type LengthUnit, lengthTyped, THIN } from "../../model/format";
import type { Finding } from "../../model/live";
import { type DrawnLane, Lanes, Overview, type Place } from "../../plot/Lanes";
import { Verdict } from "../../ui/Verdict";
import { About } from "./About";
import { Findings } from "./Findings";
import { GiveOut } from "./GiveOut";
import { LaneChoice, lanesCounted } from "./LaneChoice";
import { Marks } from "./Marks";
import styles from "./OpenedRecording.module.css";
import { ReadOuts } from "./ReadOuts";
import { recordingLine } from "./Recordings";
import { Replay } from "./Replay";
import { SaveLanes } from "./SaveLanes";
import { useCutting } from "./useCutting";

type Lane = Whole<Schemas["LaneModel"]>;
type Shown = Opened["shown"][number];

const WIDTH = 900;
const FIRST_LANES = 3;
const MOST_LANES = 12;

/** A recording that is open: lanes on one time ruler, cursor and span, marks, what can be done with it. The view is in
 * the address. */
export function OpenedRecording({ id }: { id: number }) {
  const place = usePlace();
  const { rig } = place;
  const opened = useQuery({
    queryKey: keys.recording(rig.slug, id),
    queryFn: () => ask(api.GET("/api/recordings/{recording_id}", { params: { path: { recording_id: id } } })),
  });
  const { findings } = useFindings();
  const back = () => place.go("watch", FORGET);
  if (opened.isError)
    return (
      <>
        <Verdict next={<p className="next">{opened.error.message}</p>}>There is no such recording</Verdict>
        <button type="button" className="act" onClick={back}>
          Back to live readings
        </button>
      </>
    );
  const recording = opened.data?.recording;
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
        {recording
          ? [recording.name, wrongIn(findings, rig.sensors)].filter(Boolean).join(": ")
          : "Opening the recording"}
      </Verdict>
      {recording?.ended_why && <p className="stale">{recording.ended_why}</p>}
      {opened.data && <Inside opened={opened.data} />}
    </>
  );
}

/** What is drawn when nothing was chosen: the selected sensor, and a few others. */
function firstLanes(shown: Shown[], sensor: string): string[] {
  const main = shown.filter((one) => one.channel === "");
  const rest = main.filter((one) => one.sensor !== sensor);
  const chosen = [...main.filter((one) => one.sensor === sensor), ...rest].slice(0, FIRST_LANES);
  return (chosen.length ? chosen : shown.slice(0, FIRST_LANES)).map((one) => one.id);
}

function Inside({ opened }: { opened: Opened }) {
  const place = usePlace();
  const length = useLength();
  const { search } = useAddress();
  const { recording, shown } = opened;
  const { findings } = useFindings();
  const drawing = useRef<SVGSVGElement>(null);
  const number = (name: string) => (search.has(name) ? Number(search.get(name)) : undefined);
  const known = new Set(shown.map((one) => one.id));
  const said = (search.get("show") ?? "").split(",").filter((one) => known.has(one));
  const show = said.length ? said.slice(0, MOST_LANES) : firstLanes(shown, place.sensor.id);
  const stone = number("stone");
  const ends = recording.streams.filter((one) => one.n > 0);
  const first = Math.min(...ends.map((one) => one.t0_s ?? 0));
  const last = Math.max(...ends.map((one) => one.t1_s ?? 0), first + 1e-3);
  const placeIn = (address: URLSearchParams): Place => ({
    view: [Number(address.get("t0") ?? first), Number(address.get("t1") ?? last)],
    cursor: address.has("t") ? Number(address.get("t")) : undefined,
  });
  const { view, cursor } = placeIn(search);
  const span: [number, number] | undefined =
    search.has("s0") && search.has("s1") ? [number("s0") ?? 0, number("s1") ?? 0] : undefined;
  const path = { recording_id: recording.id };
  const lanes = useQuery({
    queryKey: keys.lanes(place.rig.slug, recording.id, show, number("t0"), number("t1"), stone),
    enabled: ends.length > 0,
    queryFn: () =>
      ask(
        api.GET("/api/recordings/{recording_id}/lanes", {
          params: { path, query: { show, t0: number("t0"), t1: number("t1"), width: WIDTH, stone } },
        }),
      ),
    placeholderData: (old) => old,
  });
  const zoomed = search.has("t0") || search.has("t1");
  const whole = useQuery({
    queryKey: keys.lanes(place.rig.slug, recording.id, "whole", show[0], stone),
    enabled: ends.length > 0 && zoomed,
    queryFn: () =>
      ask(
        api.GET("/api/recordings/{recording_id}/lanes", {
          params: { path, query: { show: show.slice(0, 1), width: WIDTH, stone } },
        }),
      ),
  });
  const cut = useCutting(recording.id);
  const viewOf = (t0: number, t1: number) => {
    const all = t0 <= first && t1 >= last;
    const closest = Math.max(t1 - t0, 1e-4);
    const view = [Math.max(first, t0), Math.min(last, t0 + closest)].map((t) => t.toFixed(6));
    return all ? { t0: null, t1: null } : { t0: view[0] ?? null, t1: view[1] ?? null };
  };
  const set = (t0: number, t1: number) => place.show(viewOf(t0, t1));
  const showFinding = (one: Finding) => {
    const room = Math.max((one.end_s - one.start_s) * 0.3, 0.5);
    const lane = shown.find((each) => each.sensor === one.sensor && each.channel === "");
    const more: Record<string, string> =
      lane && !show.includes(lane.id) ? { show: [...show.slice(0, MOST_LANES - 1), lane.id].join(",") } : {};
    place.show({ ...more, ...viewOf(one.start_s - room, one.end_s + room) });
  };
  if (ends.length === 0)
    return (
      <p className="empty">
        Nothing was recorded in it. <About opened={opened} />
      </p>
    );
  const drawn = (lanes.data ?? []).map((lane) => drawnLane(lane, shown, length)).filter((one) => one !== null);
  const overview = zoomed ? whole.data?.[0] : lanes.data?.[0];
  return (
    <>
      <div className={styles.chartTools}>
        <LaneChoice shown={shown} chosen={show} stone={stone} />
        <span className="spring" />
        {zoomed && (
          <button type="button" className="act" onClick={() => place.show({ t0: null, t1: null })}>
            Show all of it
          </button>
        )}
        <SaveLanes
          lanes={lanes.isPlaceholderData ? [] : drawn}
          drawing={drawing}
          name={`${place.rig.slug}-${recording.id}`}
        />
      </div>
      <Overview
        lane={(overview && drawnLane(overview, shown, length)) ?? undefined}
        from={first}
        to={last}
        view={view}
        onView={set}
      />
      <Lanes
        lanes={drawn}
        marks={opened.marks.map((mark) => ({ t0: mark.t0_s, t1: mark.t1_s, label: mark.label }))}
        faults={findings.map((one) => ({ t0: one.start_s, t1: one.end_s, label: one.kind, sensor: one.sensor }))}
        from={view[0]}
        to={view[1]}
        whole={[first, last]}
        now={() => placeIn(addressed())}
        cursor={cursor}
        span={span}
        drawing={drawing}
        label={`${lanesCounted(show.length)} of ${recording.name}`}
        onCursor={(t) => place.show({ t: t.toFixed(6) })}
        onSpan={([a, b]) => place.show({ s0: a.toFixed(6), s1: b.toFixed(6) })}
        onView={set}
      />
      {lanes.isError && <p role="alert">{lanes.error.message}</p>}
      <div className={styles.spanTools}>
        {span ? (
          <>
            <b>
              {figure(span[0], 3)} to {figure(span[1], 3)}
              {THIN}s
            </b>
            <button type="button" className="act" onClick={() => set(...span)}>
              Zoom to it
            </button>
            <button type="button" className="act" onClick={() => void cut.trim(...span)}>
              Keep only this span
            </button>
            <button type="button" className="plain" onClick={() => place.show({ s0: null, s1: null })}>
              Let it go
            </button>
          </>
        ) : (
          <span>Drag over the lanes for a span, click to read a moment, turn the wheel to zoom.</span>
        )}
        {cursor !== undefined && cursor > first && cursor <= last && (
          <button type="button" className="act" onClick={() => void cut.split(cursor)}>
            Split at {figure(cursor, 3)}
            {THIN}s
          </button>
        )}
        {cursor !== undefined && (
          <button type="button" className="act" onClick={() => place.go("convert")}>
            Work it out
          </button>
        )}
      </div>
      <Findings onShow={(one) => showFinding(one)} />
      <ReadOuts id={recording.id} shown={shown} show={show} cursor={cursor} span={span} stone={stone} />
      <div className={styles.recordedLists}>
        <Marks recording={recording.id} marks={opened.marks} cursor={cursor} span={span} />
        <About opened={opened} />
      </div>
      <GiveOut recording={recording} span={span} stone={stone} />
    </>
  );
}

/** A lane with its title and in the unit of the settings. */
function drawnLane(lane: Lane, shown: Shown[], length: LengthUnit): DrawnLane | null {
  const its = shown.find((one) => one.id === lane.id);
  if (!its) return null;
  const per = its.unit === "mm" && its.channel === "" ? (lengthTyped("1", length) ?? 1) : 1;
  const into = (values: (number | null)[]) => (per === 1 ? values : values.map((v) => (v === null ? null : v / per)));
  return {
    ...lane,
    low: into(lane.low),
    high: into(lane.high),
    title: its.title,
    unit: per === 1 ? its.unit : length,
    form: its.form,
    digits: per === 1 ? its.digits : its.digits + 1,
  };
}
