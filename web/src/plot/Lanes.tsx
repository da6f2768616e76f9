import { type KeyboardEvent, type PointerEvent, type RefObject, useCallback, useEffect, useRef, useState } from "react";
import { type Point, pointIn, useDrag } from "../hooks/useDrag";
import { useWidth } from "../hooks/useWidth";
import { few, figure, inLines, THIN } from "../model/format";
import { bandPath, blocks, edgePath, type LaneData, laneSpan, lasting, pulseSpans, stepPath } from "../model/lanes";
import { anchorOf, graduations, niceStep, scale, stepDecimals } from "../model/scale";
import styles from "./Lanes.module.css";

export interface DrawnLane extends LaneData {
  id: string;
  title: string;
  unit: string;
  form: string;
  digits: number;
  /** Of a row: a track for each of its sensors, true where it is over the line. */
  flags?: boolean[][];
}

export interface LaneMark {
  t0: number;
  t1: number | null;
  label: string;
}

/** A stretch of one sensor's lanes, or of all of them (no sensor), in which something is wrong. */
export interface LaneFault {
  t0: number;
  t1: number;
  label: string;
  sensor: string;
}

/** Where in a recording one looks: the part that is shown and the cursor, s. */
export interface Place {
  view: [number, number];
  cursor: number | undefined;
}

/** ``now`` is the place that was asked for last, drawn yet or not. */
interface Props {
  lanes: DrawnLane[];
  marks: LaneMark[];
  faults: LaneFault[];
  from: number;
  to: number;
  whole: [number, number];
  now: () => Place;
  cursor: number | undefined;
  span: [number, number] | undefined;
  label: string;
  drawing: RefObject<SVGSVGElement | null>;
  onCursor: (t: number) => void;
  onSpan: (span: [number, number]) => void;
  onView: (from: number, to: number) => void;
}

const GUTTER = 152;
const [NAME_SIGNS, NAME_LINES] = [16, 2];
const RULER = 56;
const NUMBERS = 98;
const LEVELS = 58;
const GAP = 10;
const DRAG_FROM = 4;
const ZOOM = 0.7;
const WRITTEN_FROM = 58;

/** Several channels on one time ruler: click for a cursor, drag for a span, wheel to zoom about the pointer. */
export function Lanes(props: Props) {
  const { lanes, marks, from, to, cursor, drawing } = props;
  const box = useRef<HTMLDivElement>(null);
  const width = useWidth(box);
  const latest = useRef(props);
  latest.current = props;
  const zoom = useZoom(box, latest);
  const axis: TimeAxis = { from, to, width, x: scale(from, to, GUTTER, width - 8) };
  const span = useSpan(axis, props);
  const { placed, height } = stacked(lanes);
  const chosen = span.dragged ?? props.span;
  return (
    <div
      ref={box}
      className={styles.lanes}
      // biome-ignore lint/a11y/noNoninteractiveTabindex: the cursor moves by key
      tabIndex={0}
      role="group"
      aria-label={`${props.label}. Arrow keys move the cursor, + and − zoom, [ and ] begin and end a span.`}
      onKeyDown={(event) => byKey(event, props, zoom)}
    >
      <svg
        ref={drawing}
        width={width}
        height={height}
        viewBox={`0 0 ${width} ${height}`}
        aria-hidden="true"
        onPointerDown={span.down}
        {...span.over}
        onDoubleClick={() => chosen && props.onView(...chosen)}
      >
        <TimeRuler {...axis} bottom={height} />
        {chosen && (
          <rect
            className={styles.laneSpan}
            x={axis.x(chosen[0])}
            width={Math.max(1, axis.x(chosen[1]) - axis.x(chosen[0]))}
            y={RULER - 6}
            height={height - RULER}
          />
        )}
        <Marks marks={marks} {...axis} bottom={height} />
        {placed.map(({ lane, top, height }) => (
          <g key={lane.id}>
            <Faults faults={faultsOf(props.faults, lane)} top={top} height={height} {...axis} />
            <Drawn lane={lane} top={top} height={height} {...axis} />
          </g>
        ))}
        {cursor !== undefined && cursor >= from && cursor <= to && (
          <line className={styles.laneCursor} x1={axis.x(cursor)} x2={axis.x(cursor)} y1={RULER - 8} y2={height} />
        )}
      </svg>
    </div>
  );
}

/** The stretch of time that is drawn, s, over so many pixels. */
interface TimeAxis {
  from: number;
  to: number;
  width: number;
  x: (t: number) => number;
}

/** Lanes below one another, and the height of them all. */
function stacked(lanes: DrawnLane[]) {
  let top = RULER;
  const placed = lanes.map((lane) => {
    const height = lane.form === "numbers" ? NUMBERS : LEVELS;
    const place = { lane, top, height };
    top += height + GAP;
    return place;
  });
  return { placed, height: top + 4 };
}

/** Zooming about a time, by the wheel as well. */
function useZoom(box: RefObject<HTMLDivElement | null>, latest: RefObject<Props>) {
  const zoom = useCallback(
    (about: number, by: number) => {
      const { whole, now, onView } = latest.current;
      const [low, high] = now().view;
      onView(Math.max(whole[0], about - (about - low) * by), Math.min(whole[1], about + (high - about) * by));
    },
    [latest],
  );
  useEffect(() => {
    const node = box.current;
    if (!node) return;
    const wheel = (event: WheelEvent) => {
      event.preventDefault();
      const [low, high] = latest.current.now().view;
      const share = (event.clientX - node.getBoundingClientRect().left - GUTTER) / (node.clientWidth - 8 - GUTTER);
      zoom(low + Math.min(1, Math.max(0, share)) * (high - low), event.deltaY < 0 ? ZOOM : 1 / ZOOM);
    };
    node.addEventListener("wheel", wheel, { passive: false });
    return () => node.removeEventListener("wheel", wheel);
  }, [zoom, box, latest]);
  return zoom;
}

/** A press is a cursor, a drag a span; `dragged` is the span while it is drawn out. */
function useSpan({ from, to, width }: TimeAxis, { onSpan, onCursor }: Props) {
  const [dragged, setDragged] = useState<[number, number] | null>(null);
  const drawnOut = useRef<[number, number] | null>(null); // the same at once, before anything is drawn anew
  const time = (px: number) => from + ((px - GUTTER) / (width - 8 - GUTTER)) * (to - from);
  const change = (span: [number, number] | null) => {
    drawnOut.current = span;
    setDragged(span);
  };
  const drag = useDrag<number>({
    move: (at, start) => {
      const now = Math.min(width - 8, Math.max(GUTTER, at.x));
      if (!drawnOut.current && Math.abs(now - start) <= DRAG_FROM) return;
      change([time(Math.min(start, now)), time(Math.max(start, now))]);
    },
    drop: (at) => {
      if (drawnOut.current) onSpan(drawnOut.current);
      else onCursor(time(at.x));
      change(null);
    },
    cancel: () => change(null),
  });
  const down = (event: PointerEvent<SVGSVGElement>) => {
    const { x } = pointIn(event.currentTarget, event);
    if (event.button === 0 && x >= GUTTER) drag.grab(event, x);
  };
  return { dragged, down, over: drag.over };
}

function byKey(event: KeyboardEvent, props: Props, zoom: (about: number, by: number) => void) {
  const { view, cursor } = props.now();
  const [low, high] = view;
  const step = ((high - low) / 100) * (event.shiftKey ? 10 : 1);
  const at = cursor ?? (low + high) / 2;
  const moveTo = (t: number) => props.onCursor(Math.min(high, Math.max(low, t)));
  const acts: Record<string, () => void> = {
    ArrowLeft: () => moveTo(at - step),
    ArrowRight: () => moveTo(at + step),
    "+": () => zoom(at, ZOOM),
    "-": () => zoom(at, 1 / ZOOM),
    "[": () => props.onSpan([at, Math.max(at, props.span?.[1] ?? high)]),
    "]": () => props.onSpan([Math.min(at, props.span?.[0] ?? low), at]),
  };
  const act = acts[event.key];
  if (!act) return;
  event.preventDefault();
  event.stopPropagation();
  act();
}

interface RulerProps extends TimeAxis {
  bottom: number;
}

function TimeRuler({ from, to, x, width, bottom }: RulerProps) {
  const count = Math.max(3, Math.round((width - GUTTER) / 110));
  const decimals = stepDecimals(niceStep(to - from, count));
  return (
    <g className={styles.laneRuler}>
      <line x1={GUTTER} x2={width - 8} y1={20} y2={20} />
      {graduations(from, to, count).map((graduation) => (
        <g key={graduation.at}>
          <line
            x1={x(graduation.at)}
            x2={x(graduation.at)}
            y1={20}
            y2={{ long: 32, middle: 28, short: 25 }[graduation.size]}
          />
          {graduation.label && (
            <>
              <line className={styles.laneGrid} x1={x(graduation.at)} x2={x(graduation.at)} y1={RULER} y2={bottom} />
              <text x={x(graduation.at)} y={14} textAnchor={anchorOf(x(graduation.at), GUTTER, width - 8)}>
                {figure(graduation.at, decimals)}
                {THIN}s
              </text>
            </>
          )}
        </g>
      ))}
    </g>
  );
}

function Marks({ marks, from, to, x, width, bottom }: RulerProps & { marks: LaneMark[] }) {
  let free = 0;
  return (
    <g className={styles.laneMarks}>
      {marks
        .filter((mark) => mark.t0 <= to && (mark.t1 ?? mark.t0) >= from)
        .map((mark) => {
          const left = Math.max(GUTTER, x(mark.t0));
          const right = mark.t1 === null ? left : Math.min(width - 8, x(mark.t1));
          const room = left >= free;
          if (room) free = left + mark.label.length * 8 + 14;
          return (
            <g key={`${mark.t0} ${mark.label}`}>
              {mark.t1 !== null && (
                <rect x={left} width={Math.max(1, right - left)} y={RULER - 6} height={bottom - RULER} />
              )}
              <line x1={left} x2={left} y1={RULER - 22} y2={bottom} />
              {room && (
                <text x={left + 4} y={RULER - 14}>
                  {mark.label}
                </text>
              )}
            </g>
          );
        })}
    </g>
  );
}

function faultsOf(faults: LaneFault[], lane: DrawnLane): LaneFault[] {
  return faults.filter((fault) => fault.sensor === "" || fault.sensor === lane.id.split(".")[0]);
}

interface FaultsProps extends TimeAxis {
  faults: LaneFault[];
  top: number;
  height: number;
}

function Faults({ faults, top, height, x, width }: FaultsProps) {
  let free = GUTTER;
  return (
    <g className={styles.laneFaults}>
      {faults.map((fault) => {
        const left = Math.min(width - 8, Math.max(GUTTER, x(fault.t0)));
        const right = Math.min(width - 8, Math.max(GUTTER, x(fault.t1)));
        if (right === left && (x(fault.t1) < GUTTER || x(fault.t0) > width - 8)) return null;
        const text = `✕ ${fault.label}`;
        const at = Math.min(Math.max(left + 4, free), width - 8 - text.length * 8);
        free = at + text.length * 8 + 12;
        return (
          <g key={`${fault.label} ${fault.sensor}`}>
            <rect x={left} width={Math.max(3, right - left)} y={top} height={height} />
            <line x1={left} x2={left} y1={top} y2={top + height} />
            <line x1={right} x2={right} y1={top} y2={top + height} />
            <text x={at} y={top + 14}>
              {text}
            </text>
          </g>
        );
      })}
    </g>
  );
}

interface DrawnProps extends TimeAxis {
  lane: DrawnLane;
  top: number;
  height: number;
}

function Drawn({ lane, top, height, x, from, to, width }: DrawnProps) {
  const words = laneWords(lane, top);
  const bottom = top + height;
  const clip = `lane-${lane.id.replace(/\W/g, "-")}`;
  return (
    <g>
      <clipPath id={clip}>
        <rect x={GUTTER} y={top} width={Math.max(0, width - 8 - GUTTER)} height={height} />
      </clipPath>
      <line className={styles.laneFoot} x1={0} x2={width - 8} y1={bottom + GAP / 2} y2={bottom + GAP / 2} />
      <g>
        <title>{lane.title}</title>
        {words.map(({ text, y, bold }) => (
          <text key={y} className={bold ? styles.laneName : undefined} x={0} y={y}>
            {text}
          </text>
        ))}
      </g>
      <g clipPath={`url(#${clip})`}>
        {lane.form === "numbers" && <Numbers lane={lane} top={top} bottom={bottom} x={x} />}
        {lane.form === "edges" && <path className={styles.laneLine} d={edgePath(lane, x, top + 12, bottom - 12)} />}
        {lane.form === "row" && <Tracks lane={lane} top={top} bottom={bottom} x={x} />}
        {lane.form === "levels" && <Levels lane={lane} top={top} bottom={bottom} x={x} from={from} to={to} />}
      </g>
      {lane.form === "numbers" && <Scale lane={lane} top={top} bottom={bottom} words={words} />}
      {lane.t.length === 0 && (
        <text x={GUTTER + 12} y={top + height / 2}>
          no reading here
        </text>
      )}
    </g>
  );
}

interface InLane {
  lane: DrawnLane;
  top: number;
  bottom: number;
  x: (t: number) => number;
}

function Numbers({ lane, top, bottom, x }: InLane) {
  const y = scale(...laneSpan(lane, lane.digits), bottom - 4, top + 4);
  return <path className={lane.exact ? styles.laneLine : styles.laneBand} d={bandPath(lane, x, y)} />;
}

/** A track for each sensor of a row, dark where it is over the line. */
function Tracks({ lane, top, bottom, x }: InLane) {
  const tracks = lane.flags ?? [];
  const high = (bottom - top - 8) / tracks.length;
  const end = lane.t.length - 1;
  return tracks.map((flags, i) => {
    const y = top + 4 + i * high;
    return (
      // biome-ignore lint/suspicious/noArrayIndexKey: a track is its place in the row
      <g key={i}>
        <rect
          className={styles.track}
          x={x(lane.t[0] ?? 0)}
          width={x(lane.t[end] ?? 0) - x(lane.t[0] ?? 0)}
          y={y}
          height={high - 2}
        />
        <path className={styles.dark} d={blocks(lane.t, flags, x, y, high - 2)} />
      </g>
    );
  });
}

interface Words {
  text: string;
  y: number;
  bold: boolean;
}

/** What is written beside a lane: its name, in as many lines as it needs, what of it is drawn, and the unit. */
function laneWords(lane: DrawnLane, top: number): Words[] {
  const [name = "", what = ""] = lane.title.split(": ");
  const names = inLines(name, NAME_SIGNS, NAME_LINES);
  const unit = lane.form === "numbers" && lane.t.length ? lane.unit : "";
  return [...names, what, unit]
    .filter((text) => text)
    .map((text, line) => ({ text, y: top + 18 + 18 * line, bold: line < names.length }));
}

function Scale({ lane, top, bottom, words }: Omit<InLane, "x"> & { words: Words[] }) {
  const [low, high] = laneSpan(lane, lane.digits);
  if (lane.t.length === 0) return null;
  const y = scale(low, high, bottom - 4, top + 4);
  const decimals = stepDecimals(niceStep(high - low, 5));
  const free = (line: number, label: string) =>
    words.every(
      ({ text, y, bold }) =>
        Math.abs(y - line) > 14 || text.length * (bold ? 8.6 : 7.6) + label.length * 8 < GUTTER - 17,
    );
  return (
    <g className={styles.laneScale}>
      {graduations(low, high, 5).map((graduation) => (
        <g key={graduation.at}>
          <line
            x1={GUTTER - { long: 9, middle: 6, short: 4 }[graduation.size]}
            x2={GUTTER}
            y1={y(graduation.at)}
            y2={y(graduation.at)}
          />
          {graduation.label && free(y(graduation.at) + 5, figure(graduation.at, decimals)) && (
            <text x={GUTTER - 13} y={y(graduation.at) + 5} textAnchor="end">
              {figure(graduation.at, decimals)}
            </text>
          )}
        </g>
      ))}
    </g>
  );
}

function Levels({ lane, top, bottom, x, from, to }: InLane & { from: number; to: number }) {
  const y = scale(0, 1, bottom - 12, top + 12);
  if (!lane.exact) return <path className={styles.laneBand} d={bandPath(lane, x, y)} />;
  return (
    <>
      <path className={styles.laneLine} d={stepPath(lane, x, y, to)} />
      {pulseSpans(lane)
        .filter(
          (pulseSpan) =>
            pulseSpan.to > from && pulseSpan.from < to && x(pulseSpan.to) - x(pulseSpan.from) > WRITTEN_FROM,
        )
        .map((pulseSpan) => {
          const width = lasting(pulseSpan.to - pulseSpan.from);
          return (
            <text
              key={pulseSpan.from}
              className={styles.laneWidth}
              x={(Math.max(x(pulseSpan.from), GUTTER) + x(Math.min(pulseSpan.to, to))) / 2}
              y={(top + bottom) / 2 + 5}
              textAnchor="middle"
            >
              {few(width.value)}
              {THIN}
              {width.unit}
            </text>
          );
        })}
    </>
  );
}

interface OverviewProps {
  lane: DrawnLane | undefined;
  from: number;
  to: number;
  view: [number, number];
  onView: (from: number, to: number) => void;
}

/** The whole recording in a strip, with the part that is shown; a click moves it there. */
export function Overview({ lane, from, to, view, onView }: OverviewProps) {
  const box = useRef<HTMLDivElement>(null);
  const width = useWidth(box);
  const x = scale(from, to, GUTTER, width - 8);
  const half = (view[1] - view[0]) / 2;
  const show = ({ x: px }: Point) => {
    const middle = from + ((px - GUTTER) / (width - 8 - GUTTER)) * (to - from);
    const begin = Math.min(Math.max(middle - half, from), Math.max(from, to - 2 * half));
    onView(begin, begin + 2 * half);
  };
  const drag = useDrag<"view">({ move: show });
  const y = lane
    ? scale(...(lane.form === "numbers" ? laneSpan(lane, lane.digits) : ([0, 1] as [number, number])), 38, 4)
    : null;
  return (
    <div ref={box} className={styles.lanesOverview}>
      <svg
        width={width}
        height={44}
        role="img"
        aria-label="The whole recording"
        onPointerDown={(event) => show(drag.grab(event, "view"))}
        {...drag.over}
      >
        <text x={0} y={26}>
          the whole
        </text>
        <rect
          className={styles.laneView}
          x={x(view[0])}
          width={Math.max(3, x(view[1]) - x(view[0]))}
          y={1}
          height={42}
        />
        {lane && y && lane.form !== "edges" && (
          <path className={lane.exact ? styles.laneLine : styles.laneBand} d={bandPath(lane, x, y)} />
        )}
        <line className={styles.laneFoot} x1={GUTTER} x2={width - 8} y1={43} y2={43} />
      </svg>
    </div>
  );
}
