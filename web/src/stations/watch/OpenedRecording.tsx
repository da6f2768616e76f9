import { useQuery } from "@tanstack/react-query";
import { useRef } from "react";
import { api, ask, type Opened, type Schemas, type Whole } from "../../api/client";
import { keys } from "../../api/keys";
import { usePlace } from "../../hooks/place";
import { useLength } from "../../hooks/settings";
import { useFindings } from "../../hooks/useFindings";
import { FORGET } from "../../model/address";
import { wrongIn } from "../../model/findings";
import { figure, type LengthUnit, lengthTyped, THIN } from "../../model/format";
import { type DrawnLane, Lanes, Overview } from "../../plot/Lanes";
import { Verdict } from "../../ui/Verdict";
import { About } from "./About";
import { Export } from "./Export";
import { Findings } from "./Findings";
import { LaneChoice, lanesCounted } from "./LaneChoice";
import { Marks } from "./Marks";
import styles from "./OpenedRecording.module.css";
import { ReadOuts } from "./ReadOuts";
import { recordingLine } from "./Recordings";
import { Replay } from "./Replay";
import { SaveLanes } from "./SaveLanes";
import { useCutting } from "./useCutting";
import { type Part, useLanes, usePart } from "./usePart";

type Lane = Whole<Schemas["LaneModel"]>;
type Shown = Opened["shown"][number];

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

function Inside({ opened }: { opened: Opened }) {
  const place = usePlace();
  const length = useLength();
  const { recording, shown } = opened;
  const { findings } = useFindings();
  const drawing = useRef<SVGSVGElement>(null);
  const part = usePart(opened);
  const { cursor, span, stone } = part;
  const lanes = useLanes(recording.id, part);
  if (part.empty)
    return (
      <p className="empty">
        Nothing was recorded in it. <About opened={opened} />
      </p>
    );
  const drawn = (lanes.part.data ?? []).map((lane) => drawnLane(lane, shown, length)).filter((lane) => lane !== null);
  return (
    <>
      <div className={styles.chartTools}>
        <LaneChoice shown={shown} chosen={part.show} stone={stone} />
        <span className="spring" />
        {part.zoomed && (
          <button type="button" className="act" onClick={() => place.show({ t0: null, t1: null })}>
            Show all of it
          </button>
        )}
        <SaveLanes
          lanes={lanes.part.isPlaceholderData ? [] : drawn}
          drawing={drawing}
          name={`${place.rig.slug}-${recording.id}`}
        />
      </div>
      <Overview
        lane={(lanes.overview && drawnLane(lanes.overview, shown, length)) ?? undefined}
        from={part.whole[0]}
        to={part.whole[1]}
        view={part.view}
        onView={part.setView}
      />
      <Lanes
        lanes={drawn}
        marks={opened.marks.map((mark) => ({ t0: mark.t0_s, t1: mark.t1_s, label: mark.label }))}
        faults={findings.map((finding) => ({
          t0: finding.start_s,
          t1: finding.end_s,
          label: finding.kind,
          sensor: finding.sensor,
        }))}
        from={part.view[0]}
        to={part.view[1]}
        whole={part.whole}
        now={part.now}
        cursor={cursor}
        span={span}
        drawing={drawing}
        label={`${lanesCounted(part.show.length)} of ${recording.name}`}
        onCursor={(t) => place.show({ t: t.toFixed(6) })}
        onSpan={([a, b]) => place.show({ s0: a.toFixed(6), s1: b.toFixed(6) })}
        onView={part.setView}
      />
      {lanes.part.isError && <p role="alert">{lanes.part.error.message}</p>}
      <SpanTools id={recording.id} part={part} />
      <ReadOuts id={recording.id} shown={shown} show={part.show} cursor={cursor} span={span} stone={stone} />
      <Findings onShow={part.showFinding} />
      <div className={styles.recordedLists}>
        <Marks opened={opened} cursor={cursor} span={span} />
        <About opened={opened} />
      </div>
      <Export recording={recording} span={span} stone={stone} />
    </>
  );
}

/** What can be done with the span that is chosen, and at the cursor. */
function SpanTools({ id, part }: { id: number; part: Part }) {
  const place = usePlace();
  const cut = useCutting(id);
  const { span, cursor, whole } = part;
  const zoom = (by: number) => {
    const [low, high] = part.view;
    const about = cursor !== undefined && cursor >= low && cursor <= high ? cursor : (low + high) / 2;
    part.setView(Math.max(whole[0], about - (about - low) * by), Math.min(whole[1], about + (high - about) * by));
  };
  return (
    <div className={styles.spanTools}>
      {span ? (
        <>
          <b>
            {figure(span[0], 3)} to {figure(span[1], 3)}
            {THIN}s
          </b>
          <button type="button" className="act" onClick={() => part.setView(...span)}>
            Zoom to it
          </button>
          <button type="button" className="act" onClick={() => void cut.trim(...span)}>
            Keep only this span
          </button>
          <button type="button" className="plain" onClick={() => place.show({ s0: null, s1: null })}>
            Clear the span
          </button>
        </>
      ) : (
        <span>Drag over the lanes for a span, click to read a moment.</span>
      )}
      <button type="button" className="act" onClick={() => zoom(0.5)}>
        Zoom in
      </button>
      <button type="button" className="act" disabled={!part.zoomed} onClick={() => zoom(2)}>
        Zoom out
      </button>
      {cursor !== undefined && cursor > whole[0] && cursor <= whole[1] && (
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
  );
}

/** A lane with its title and in the unit of the settings. */
function drawnLane(lane: Lane, shown: Shown[], length: LengthUnit): DrawnLane | null {
  const its = shown.find((other) => other.id === lane.id);
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
