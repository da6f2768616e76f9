import { type KeyboardEvent, type PointerEvent, useRef, useState } from "react";
import { useNow } from "../../hooks/live";
import { usePlace } from "../../hooks/place";
import type { Decision, Picked } from "../../hooks/useDecision";
import { useDrag } from "../../hooks/useDrag";
import { useNudge } from "../../hooks/useNudge";
import { figure, THIN } from "../../model/format";
import { fitSaid, oddsAt } from "../../model/odds";
import { graduations, scale } from "../../model/scale";
import { saveSvg } from "../../plot/saveSvg";
import { Glyph } from "../../ui/Glyph";
import { Ruler } from "../../ui/Ruler";
import styles from "./Heaps.module.css";
import shared from "./shared.module.css";

type HeapsShown = Extract<Decision["drawing"], { draws: "heaps" }>;
type Row = HeapsShown["rows"][number];
type Choice = Decision["choices"][number];

const WIDTH = 860;
const LEFT = 96;
const RIGHT = 668;
const TOP = 26;
const FOOT = 56;

interface Props {
  decision: Decision;
  heaps: HeapsShown;
  picked: Picked;
  onPick: (more: Picked) => void;
}

/** Heaps of all sensors on one axis of counts, each with its ochre tick, and what the tick means. */
export function Heaps({ decision, heaps, picked, onPick }: Props) {
  const drawing = useRef<SVGSVGElement>(null);
  const place = usePlace();
  const now = useNow();
  const [selected, setSelected] = useState(0);
  const tall = heaps.rows.length > 5 ? 62 : 84;
  const height = TOP + tall * heaps.rows.length + FOOT;
  const x = scale(heaps.low, heaps.high, LEFT, RIGHT);
  const choices = new Map(decision.choices.map((choice) => [choice.name, choice]));
  const value = (name: string) => picked[name] ?? choices.get(name)?.value ?? 0;
  const move = (name: string, to: number) =>
    onPick({ [name]: Math.round(Math.min(heaps.high, Math.max(heaps.low, to))) });
  const shown = heaps.rows[Math.min(selected, heaps.rows.length - 1)];
  useNudge((by) => shown && move(shown.threshold, value(shown.threshold) + by));
  const drag = useDrag<string>({
    move: (at, name) => move(name, heaps.low + ((at.x - LEFT) / (RIGHT - LEFT)) * (heaps.high - heaps.low)),
  });
  const live = now.status === "live" ? now.sensors[place.sensor.id]?.asked : undefined;
  return (
    <section className={styles.heapsFigure} aria-label="Heaps and thresholds">
      <svg
        ref={drawing}
        className={styles.heaps}
        viewBox={`0 0 ${WIDTH} ${height}`}
        role="group"
        aria-label="Readings over the line and over ground, on one axis of counts"
        {...drag.over}
      >
        {heaps.rows.map((row, i) => (
          <HeapRow
            key={row.title}
            row={row}
            first={i === 0}
            y={TOP + tall * (i + 1) - 18}
            tall={tall}
            x={x}
            axis={[heaps.low, heaps.high]}
            selected={row === shown}
            threshold={value(row.threshold)}
            band={value(row.band)}
            leastSds={heaps.least_sds}
            now={live?.[row.channel] ?? null}
            onSelect={() => setSelected(i)}
            onGrab={(event, name) => {
              event.preventDefault();
              setSelected(i);
              drag.grab(event, name);
            }}
            onNudge={(name, by) => move(name, value(name) + by)}
          />
        ))}
        <Foot heaps={heaps} x={x} y={height - FOOT + 6} />
      </svg>
      {shown && shown.odds.counted.length > 0 && (
        <About
          row={shown}
          heaps={heaps}
          threshold={value(shown.threshold)}
          band={choices.get(shown.band)}
          bandNow={value(shown.band)}
          choice={choices.get(shown.threshold)}
          onPick={onPick}
        />
      )}
      {heaps.shared !== null && heaps.rows.length > 1 && (
        <button
          type="button"
          className={`plain ${styles.smallButton}`}
          onClick={() => onPick(Object.fromEntries(heaps.rows.map((row) => [row.threshold, heaps.shared ?? 0])))}
        >
          One threshold for all: {figure(heaps.shared, 0)}
        </button>
      )}
      <button
        type="button"
        className={`plain ${styles.smallButton}`}
        onClick={() => saveSvg(drawing.current, `${place.rig.slug}-${place.sensor.id}-thresholds`)}
      >
        Save the drawing
      </button>
    </section>
  );
}

/** The axis of counts, with the values usually tried where there are some. */
function Foot({ heaps, x, y }: { heaps: HeapsShown; x: (value: number) => number; y: number }) {
  return (
    <>
      {heaps.ladder.map((step) => (
        <circle key={step} cx={x(step)} cy={y} r="5" className="flag-ring">
          <title>{`usually tried: ${Math.round(step)}`}</title>
        </circle>
      ))}
      <Ruler low={heaps.low} high={heaps.high} from={LEFT} to={RIGHT} y={y} labels={6} />
      {heaps.ladder.length > 0 && (
        <text x={WIDTH - 4} y={y + 10} textAnchor="end" className="small">
          misread, counted
          <tspan x={WIDTH - 4} dy="20">
            ○ values usually tried
          </tspan>
        </text>
      )}
    </>
  );
}

interface RowProps {
  row: Row;
  first: boolean;
  y: number;
  tall: number;
  x: (value: number) => number;
  axis: [number, number];
  selected: boolean;
  threshold: number;
  band: number;
  leastSds: number;
  now: number | null;
  onSelect: () => void;
  onGrab: (event: PointerEvent<SVGElement>, name: string) => void;
  onNudge: (name: string, by: number) => void;
}

function HeapRow({
  row,
  first,
  y,
  tall,
  x,
  axis,
  selected,
  threshold,
  band,
  leastSds,
  now,
  onSelect,
  onGrab,
  onNudge,
}: RowProps) {
  const room = tall - 32;
  const span = row.odds.counted.length === 0; // two ticks: what lies between is the table
  const odds = oddsAt(row.odds, threshold);
  const [from, to] = span ? [threshold, band] : [threshold - band / 2, threshold + band / 2];
  const bad = odds ? odds.marginSds < leastSds : row.state === "unsafe";
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: the tick in it is what the keyboard reaches
    <g onClick={onSelect}>
      <rect
        x="0"
        width={WIDTH}
        y={y - tall + 20}
        height={tall}
        className={selected ? styles.heapSelected : styles.heapRow}
      />
      <text x="10" y={y - 12} className={selected ? `${styles.heapTitle} ${styles.selected}` : styles.heapTitle}>
        {row.title}
      </text>
      {graduations(axis[0], axis[1], 6)
        .filter((mark) => mark.size !== "short")
        .map((mark) => (
          <line key={mark.at} x1={x(mark.at)} x2={x(mark.at)} y1={y} y2={y + 4} className="hair" />
        ))}
      <line x1={LEFT} x2={RIGHT} y1={y} y2={y} className={styles.heapBase} />
      <rect x={x(from)} width={Math.max(x(to) - x(from), 1)} y={y - room} height={room} className={shared.hysteresis} />
      <Outlines row={row} first={first} x={x} y={y} room={room} />
      {now !== null && <path d={`M${x(now)} ${y + 5}l5 8h-10z`} className={styles.heapNow} />}
      <Tick
        name={row.threshold}
        label={span ? `Lower end of ${row.title}` : `Threshold of ${row.title}`}
        value={threshold}
        text={odds ? `${threshold} counts, ${odds.counted} of ${odds.of} misread` : `${threshold} counts`}
        axis={axis}
        x={x(threshold)}
        y={y}
        room={room}
        left={span}
        onGrab={onGrab}
        onNudge={onNudge}
        onFocus={onSelect}
      />
      {span && (
        <Tick
          name={row.band}
          label={`Upper end of ${row.title}`}
          value={band}
          text={`${band} counts`}
          axis={axis}
          x={x(band)}
          y={y}
          room={room}
          left={false}
          onGrab={onGrab}
          onNudge={onNudge}
          onFocus={onSelect}
        />
      )}
      {bad && <path d={`M${RIGHT + 22} ${y - 34}l10 10m0 -10l-10 10`} className={styles.heapCross} />}
      <Misread row={row} odds={odds} bad={bad} ends={[threshold, band]} y={y} />
    </g>
  );
}

/** The heaps of a row, each with its place above the first. */
function Outlines({ row, first, x, y, room }: Pick<RowProps, "row" | "first" | "x" | "y"> & { room: number }) {
  return (
    <>
      {row.heaps.map((heap) => (
        <polygon
          key={`${heap.place} ${heap.condition}`}
          className={heap.filled ? `${styles.heap} ${styles.filled}` : styles.heap}
          points={`${x(heap.outline[0]?.[0] ?? 0)},${y} ${heap.outline
            .map(([at, high]) => `${x(at).toFixed(1)},${(y - high * (room - 6)).toFixed(1)}`)
            .join(" ")} ${x(heap.outline.at(-1)?.[0] ?? 0)},${y}`}
        >
          <title>{`${heap.place}, ${heap.condition}: ${figure(heap.mean, 0)} ± ${figure(2 * heap.sd, 0)}`}</title>
        </polygon>
      ))}
      {first &&
        [...new Set(row.heaps.map((heap) => heap.place))].map((place) => {
          const some = row.heaps.filter((heap) => heap.place === place);
          const middle = some.reduce((sum, heap) => sum + heap.mean, 0) / some.length;
          return (
            <text key={place} x={x(middle)} y={y - room - 2} textAnchor="middle" className={styles.heapPlace}>
              {place}
            </text>
          );
        })}
    </>
  );
}

interface MisreadProps {
  row: Row;
  odds: ReturnType<typeof oddsAt>;
  bad: boolean;
  ends: [number, number];
  y: number;
}

/** What a threshold comes to at the end of its row: how many are misread and its margin, or the ends of a span. */
function Misread({ row, odds, bad, ends: [low, high], y }: MisreadProps) {
  if (!odds)
    return (
      <text
        x={WIDTH - 4}
        y={y - 12}
        textAnchor="end"
        className={bad ? `${styles.heapFigure} ${styles.bad} small` : "small"}
      >
        {figure(low, 0)} to {figure(high, 0)}
      </text>
    );
  return (
    <>
      <text
        x={WIDTH - 4}
        y={y - 22}
        textAnchor="end"
        className={bad ? `${styles.heapFigure} ${styles.bad}` : styles.heapFigure}
      >
        {figure(odds.counted, 0)} of {figure(odds.of, 0)}
      </text>
      <text x={WIDTH - 4} y={y - 2} textAnchor="end" className="small">
        {bad ? row.said : `margin ${figure(odds.marginSds, 1)} σ`}
      </text>
    </>
  );
}

interface TickProps {
  name: string;
  label: string;
  value: number;
  text: string;
  axis: [number, number];
  x: number;
  y: number;
  room: number;
  left: boolean;
  onGrab: (event: PointerEvent<SVGElement>, name: string) => void;
  onNudge: (name: string, by: number) => void;
  onFocus: () => void;
}

function Tick({ name, label, value, text, axis, x, y, room, left, onGrab, onNudge, onFocus }: TickProps) {
  const press = (event: KeyboardEvent) => {
    const way = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (!way) return;
    event.preventDefault();
    event.stopPropagation();
    onNudge(name, way * (event.shiftKey ? 10 : 1));
  };
  return (
    <g
      className={shared.tripTick}
      role="slider"
      tabIndex={0}
      aria-label={label}
      aria-valuenow={Math.round(value)}
      aria-valuemin={Math.round(axis[0])}
      aria-valuemax={Math.round(axis[1])}
      aria-valuetext={text}
      onKeyDown={press}
      onFocus={onFocus}
      onPointerDown={(event) => onGrab(event, name)}
    >
      <rect x={x - 14} y={y - room} width="28" height={room + 16} fill="transparent" />
      <line x1={x} x2={x} y1={y - room} y2={y} />
      <path d={`M${x} ${y - 2}l7 13h-14z`} />
      <text x={left ? x - 8 : x + 8} y={y - room + 13} textAnchor={left ? "end" : "start"} className={styles.heapValue}>
        {figure(value, 0)}
      </text>
    </g>
  );
}

interface AboutProps {
  row: Row;
  heaps: HeapsShown;
  threshold: number;
  choice?: Choice;
  band?: Choice;
  bandNow: number;
  onPick: (more: Picked) => void;
}

/** What the selected tick means, and where it could stand instead. */
function About({ row, heaps, threshold, choice, band, bandNow, onPick }: AboutProps) {
  const odds = oddsAt(row.odds, threshold);
  if (!odds || !choice) return null;
  return (
    <div className={styles.heapAbout}>
      <p>
        <b>{row.title}</b> at {figure(threshold, 0)}: {figure(odds.counted, 0)} of {figure(odds.of, 0)} counted,{" "}
        {fitSaid(odds.fitted)} by the fit in the worst light
        {heaps.conditions.length > 1 ? ` (${heaps.conditions[odds.worst]})` : ""}; {figure(odds.margin, 0)}
        {THIN}counts to the nearest heap’s edge. Above it is {row.high_place}.
        {odds.counted === 0 &&
          ` With ${figure(odds.of, 0)} clean readings nothing below ${figure(row.odds.proved_per_1000, 1)} of 1000 is proved.`}
        {odds.tested !== null && (
          <b>
            {" "}
            On the recording kept aside: {figure(odds.tested, 0)} of {figure(row.odds.tested_of, 0)}.
          </b>
        )}
      </p>
      <p className={shared.elsewhere}>
        <span>It could stand at</span>
        <button type="button" className="act" onClick={() => onPick({ [row.threshold]: choice.suggested })}>
          <Glyph of="chosen" /> widest margin {figure(choice.suggested, 0)}
        </button>
        {choice.candidates.map((candidate) => (
          <button
            key={candidate.label}
            type="button"
            className="act"
            onClick={() => onPick({ [row.threshold]: Math.round(candidate.value) })}
          >
            <Glyph of={candidate.provenance} /> {candidate.label} {figure(candidate.value, 0)}
          </button>
        ))}
      </p>
      {band && (
        <p className={shared.elsewhere}>
          <span>Hysteresis, the whole band</span>
          <button
            type="button"
            className="act"
            aria-label="Narrower band"
            onClick={() => onPick({ [row.band]: Math.max(0, bandNow - 2) })}
          >
            −
          </button>
          <b>
            {figure(bandNow, 0)}
            {THIN}counts
          </b>
          <button
            type="button"
            className="act"
            aria-label="Wider band"
            onClick={() => onPick({ [row.band]: bandNow + 2 })}
          >
            +
          </button>
          <span>
            {band.why}: {figure(band.suggested, 0)}
          </span>
        </p>
      )}
    </div>
  );
}
