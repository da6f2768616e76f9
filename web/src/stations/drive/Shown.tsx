import { type MutableRefObject, useEffect, useMemo, useRef, useState } from "react";
import type { Able } from "../../hooks/useDrive";
import { useKeys } from "../../hooks/useKeys";
import { type DriveRun, runLanes } from "../../model/drive";
import { figure, THIN } from "../../model/format";
import { type DrawnLane, Lanes } from "../../plot/Lanes";
import { Course } from "./Course";
import styles from "./Shown.module.css";
import { States } from "./States";

const SPEEDS = [0.25, 1, 4];
const LANES = 6;
const STEP_S = 0.1;

interface Props {
  run: DriveRun;
  before: DriveRun | undefined;
  behaviour: Able | undefined;
  clock: MutableRefObject<number>;
}

/** A run drawn and played: the course, the states, and its lanes on one ruler of time. */
export function Shown({ run, before, behaviour, clock }: Props) {
  const end = run.t_s.at(-1) ?? 0;
  const play = usePlay(end, run.events.find((event) => ENDS.includes(event.kind))?.t_s);
  const [view, setView] = useState<[number, number] | null>(null);
  const drawing = useRef<SVGSVGElement>(null);
  const shown = view ?? [0, Math.max(end, 0.1)];
  const next = run.events.find((event) => event.t_s > play.t + 1e-3);
  const step = (way: number) => play.to(play.t + way * STEP_S);
  useKeys(
    {
      " ": play.toggle,
      n: () => next && play.to(next.t_s),
      ArrowLeft: () => step(-1),
      ArrowRight: () => step(1),
    },
    true,
  );
  clock.current = play.t;
  const all = useMemo(() => runLanes(run), [run]);
  const [picked, setPicked] = useState<string[] | null>(null);
  const lanes = all.filter((lane, i) => (picked ? picked.includes(lane.id) : i < LANES));
  return (
    <>
      {behaviour && <States run={run} names={behaviour.states} t={play.t} />}
      <Course run={run} before={before} t={play.t} />
      <div className={styles.play}>
        <button type="button" className="act" onClick={play.toggle} aria-pressed={play.on}>
          {play.on ? "Pause" : "Play"} <kbd>Space</kbd>
        </button>
        <button type="button" className="act" disabled={!next} onClick={() => next && play.to(next.t_s)}>
          Next event <kbd>N</kbd>
        </button>
        <select aria-label="Speed" value={play.speed} onChange={(event) => play.setSpeed(Number(event.target.value))}>
          {SPEEDS.map((speed) => (
            <option key={speed} value={speed}>
              ×{THIN}
              {speed}
            </option>
          ))}
        </select>
        <span>
          {figure(play.t, 2)}
          {THIN}s
        </span>
        <LaneMenu lanes={all} shown={lanes.map((lane) => lane.id)} onShown={setPicked} />
        <span className="small">{run.events.filter((event) => event.t_s <= play.t).at(-1)?.words}</span>
      </div>
      <Lanes
        lanes={lanes}
        marks={run.events
          .filter((event) => ENDS.includes(event.kind))
          .map((event) => ({ t0: event.t_s, t1: null, label: event.kind }))}
        faults={[]}
        from={shown[0]}
        to={shown[1]}
        whole={[0, end]}
        now={() => ({ view: shown, cursor: play.t })}
        cursor={play.t}
        span={undefined}
        drawing={drawing}
        label="Lanes of the run"
        onCursor={play.to}
        onSpan={setView}
        onView={(from, to) => setView([from, to])}
      />
    </>
  );
}

interface MenuProps {
  lanes: DrawnLane[];
  shown: string[];
  onShown: (ids: string[]) => void;
}

/** Which lanes are drawn. */
function LaneMenu({ lanes, shown, onShown }: MenuProps) {
  return (
    <details className={styles.menu}>
      <summary>
        Lanes, {shown.length} of {lanes.length}
      </summary>
      <div>
        {lanes.map(({ id, title }) => (
          <label key={id}>
            <input
              type="checkbox"
              checked={shown.includes(id)}
              onChange={(event) => onShown(event.target.checked ? [...shown, id] : shown.filter((each) => each !== id))}
            />
            {title}
          </label>
        ))}
      </div>
    </details>
  );
}

const ENDS = ["lost", "hit", "fall"];

/** The time that is shown: played at a speed, or set by hand. It begins where the run failed. */
function usePlay(end: number, failed: number | undefined) {
  const [t, setT] = useState(failed ?? end);
  const [on, setOn] = useState(false);
  const [speed, setSpeed] = useState(1);
  const first = failed ?? end;
  useEffect(() => setT(first), [first]);
  useEffect(() => {
    if (!on) return;
    let last = performance.now();
    let frame = requestAnimationFrame(function step(now) {
      const gone = ((now - last) / 1000) * speed;
      last = now;
      setT((was) => Math.min(end, was + gone));
      frame = requestAnimationFrame(step);
    });
    return () => cancelAnimationFrame(frame);
  }, [on, speed, end]);
  const ended = on && t >= end;
  useEffect(() => {
    if (ended) setOn(false);
  }, [ended]);
  const to = (at: number) => setT(Math.min(end, Math.max(0, at)));
  const toggle = () => {
    if (!on && t >= end) setT(0);
    setOn(!on);
  };
  return { t, on, speed, setSpeed, to, toggle };
}
