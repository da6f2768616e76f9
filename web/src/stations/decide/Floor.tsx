import type { PointerEvent } from "react";
import { useNow } from "../../hooks/live";
import { usePlace } from "../../hooks/place";
import { useLength } from "../../hooks/settings";
import type { Decision, Picked } from "../../hooks/useDecision";
import { useDrag } from "../../hooks/useDrag";
import { useNudge } from "../../hooks/useNudge";
import { figure, lengthText, lengthTyped } from "../../model/format";
import { niceStep, scale } from "../../model/scale";
import { Glyph } from "../../ui/Glyph";
import { Ruler } from "../../ui/Ruler";
import styles from "./Floor.module.css";
import { GripDrawn, type HeldGrip, useGrips } from "./Grips";
import shared from "./shared.module.css";

type FloorShown = Extract<Decision["drawing"], { draws: "floor" }>;

const PARTS = [
  ["blind", "to the bumper"],
  ["gap", "gap left"],
  ["braking", "braking"],
  ["reaction", "reaction"],
  ["noise", "noise"],
] as const;

const FLOOR = { width: 860, left: 76, right: 846, y: 150 };

interface FloorProps {
  decision: Decision;
  floor: FloorShown;
  picked: Picked;
  onPick: (more: Picked) => void;
  onSettled: (constant: string) => void;
}

/** The floor as it is drawn: where a distance lies, how far it goes, and how long one of the unit shown is, mm. */
interface Drawn {
  x: (mm: number) => number;
  high: number;
  per: number;
}

/** The floor in front of the bumper, to scale: what the stop is made of, where it trips, where it is clear again. */
export function Floor({ decision, floor, picked, onPick, onSettled }: FloorProps) {
  const place = usePlace();
  const now = useNow();
  const length = useLength();
  const value = (name: string) => picked[name] ?? decision.choices.find((choice) => choice.name === name)?.value ?? 0;
  const trip = value("trip");
  const clear = value("clear");
  const move = (to: number) => {
    const next = Math.min(floor.reach_mm, Math.max(20, to));
    onPick({ trip: next, clear: next + (clear - trip) });
  };
  const need = Math.max(floor.clear_mm, clear, trip, floor.common_mm[2] ?? 0) * 1.12;
  const high = Math.ceil(need / niceStep(need, 8)) * niceStep(need, 8);
  const drawn = { x: scale(0, high, FLOOR.left, FLOOR.right), high, per: lengthTyped("1", length) ?? 1 };
  useNudge((by) => move(trip + by));
  const grips = useGrips({ onTry: onPick, onSettled });
  const drag = useDrag<"trip" | HeldGrip>({
    move: (at, held) => {
      if (held === "trip") move(Math.round(((at.x - FLOOR.left) / (FLOOR.right - FLOOR.left)) * high));
      else grips.drag(held, at);
    },
    drop: (at, held) => held !== "trip" && grips.drop(held, at),
    cancel: () => {
      for (const { constant } of floor.grips) onSettled(constant);
    },
  });
  const live = now.status === "live" ? now.sensors[place.sensor.id]?.value : undefined;
  return (
    <svg
      className={styles.floor}
      viewBox={`0 0 ${FLOOR.width} 250`}
      role="group"
      aria-label="The floor in front of the bumper, to scale"
      {...drag.over}
    >
      <Cart floor={floor} drawn={drawn} />
      <StopParts floor={floor} drawn={drawn} />
      <rect
        x={drawn.x(trip)}
        width={Math.max(drawn.x(clear) - drawn.x(trip), 0)}
        y={FLOOR.y - 66}
        height="66"
        className={shared.hysteresis}
      />
      <Usual floor={floor} drawn={drawn} />
      {live != null && live < high && (
        <g>
          <path d={`M${drawn.x(live)} ${FLOOR.y - 66}v86`} className="ours" />
          <text x={drawn.x(live)} y={FLOOR.y + 58} textAnchor="middle" className="ours-text">
            now
          </text>
        </g>
      )}
      <Ruler low={0} high={high} from={FLOOR.left} to={FLOOR.right} y={FLOOR.y} per={drawn.per} />
      <text x={FLOOR.right} y={FLOOR.y + 60} textAnchor="end" className="small">
        ranger reading, {length}
      </text>
      <line x1={drawn.x(clear)} x2={drawn.x(clear)} y1={FLOOR.y - 66} y2={FLOOR.y + 8} className={styles.clearTick} />
      <text x={drawn.x(clear) + 6} y={FLOOR.y - 72} className={styles.chosenText}>
        clear {figure(clear / drawn.per, drawn.per === 1 ? 0 : 1)}
      </text>
      <TripTick
        trip={trip}
        reach={floor.reach_mm}
        drawn={drawn}
        onGrab={(event) => {
          event.preventDefault();
          drag.grab(event, "trip");
        }}
      />
      <Gripped
        decision={decision}
        floor={floor}
        picked={picked}
        drawn={drawn}
        onNudge={grips.nudge}
        onGrab={(event, held) => drag.grab(event, held).x}
      />
    </svg>
  );
}

interface OnFloor {
  floor: FloorShown;
  drawn: Drawn;
}

interface GrippedProps extends OnFloor {
  decision: Decision;
  picked: Picked;
  onNudge: ReturnType<typeof useGrips>["nudge"];
  onGrab: (event: PointerEvent<SVGElement>, held: HeldGrip) => number;
}

/** What the stop is made of and can be dragged. */
function Gripped({ decision, floor, picked, drawn, onNudge, onGrab }: GrippedProps) {
  return floor.grips.map((grip) => {
    const input = decision.inputs.find(({ name }) => name === grip.constant);
    if (!input) return null;
    const value = picked[grip.constant] ?? input.value;
    return (
      <GripDrawn
        key={grip.constant}
        grip={grip}
        input={input}
        value={value}
        from={drawn.x(grip.zero_mm)}
        to={drawn.x(grip.zero_mm + value / grip.per_mm)}
        y={FLOOR.y}
        onNudge={(by) => onNudge(grip, input, value, by)}
        onGrab={(event) => {
          const held = { grip, input, value, mmPerPx: drawn.high / (FLOOR.right - FLOOR.left), px: 0 };
          held.px = onGrab(event, held);
        }}
      />
    );
  });
}

/** The front of the cart, its ranger, and what lies too near to be read. */
function Cart({ floor, drawn: { x } }: OnFloor) {
  const length = useLength();
  const nose = Math.max(x(floor.parts_mm.blind ?? 0), FLOOR.left);
  return (
    <>
      <path d={`M4 ${FLOOR.y - 62}H${nose - 12}l12 16V${FLOOR.y}H4z`} className={styles.cart} />
      <rect x={x(0) - 14} y={FLOOR.y - 40} width="14" height="22" className={styles.wheel}>
        <title>the ranger</title>
      </rect>
      <circle cx="20" cy={FLOOR.y + 4} r="9" className={styles.wheel} />
      <circle cx="54" cy={FLOOR.y + 4} r="9" className={styles.wheel} />
      <text x="8" y={FLOOR.y - 70} className="small">
        bumper
      </text>
      {floor.nearest_mm > 0 && (
        <rect x={x(0)} width={x(floor.nearest_mm) - x(0)} y={FLOOR.y + 2} height="5" className={styles.beamBlind}>
          <title>{`nearer than ${lengthText(floor.nearest_mm, length)} the reading means nothing`}</title>
        </rect>
      )}
    </>
  );
}

/** What the stop is made of, one part behind the other. */
function StopParts({ floor, drawn: { x } }: OnFloor) {
  const length = useLength();
  let begin = 0;
  return PARTS.map(([name, label], i) => {
    const size = floor.parts_mm[name] ?? 0;
    const [from, to] = [x(begin), x(begin + size)];
    begin += size;
    if (size <= 0 || name === "blind") return null;
    return (
      <g key={name}>
        <rect x={from} width={Math.max(to - from, 1)} y={FLOOR.y - 54} height="54" className={`part-${i % 4}`}>
          <title>{`${label} ${lengthText(size, length)}`}</title>
        </rect>
        {to - from > label.length * 8.2 && (
          <text
            x={(from + to) / 2 - 4}
            y={FLOOR.y - 22}
            textAnchor="middle"
            className={`${styles.partLabel} on-part-${i % 4}`}
          >
            {label}
          </text>
        )}
      </g>
    );
  });
}

/** Thresholds that people usually take, and the steps of an LED bar. */
function Usual({ floor, drawn: { x, high } }: OnFloor) {
  return (
    <>
      {floor.common_mm.map((mm) => (
        <g key={mm}>
          <circle cx={x(mm)} cy={FLOOR.y - 92} r="5" className="flag-ring" />
          <line x1={x(mm)} x2={x(mm)} y1={FLOOR.y - 87} y2={FLOOR.y - 56} className="flag" />
        </g>
      ))}
      <text x={x(floor.common_mm[2] ?? 600) + 9} y={FLOOR.y - 87} className="small">
        usual thresholds
      </text>
      {floor.bar_mm
        .filter((mm) => mm < high)
        .map((mm) => (
          <rect key={mm} x={x(mm) - 1} y={FLOOR.y - 4} width="2" height="8" className={styles.barStep}>
            <title>one more step of an LED bar</title>
          </rect>
        ))}
    </>
  );
}

interface TripTickProps {
  trip: number;
  reach: number;
  drawn: Drawn;
  onGrab: (event: PointerEvent<SVGElement>) => void;
}

/** The tick by which the trip distance is dragged. */
function TripTick({ trip, reach, drawn: { x, per }, onGrab }: TripTickProps) {
  const length = useLength();
  return (
    <g
      className={shared.tripTick}
      role="slider"
      tabIndex={0}
      aria-label="Trip distance"
      aria-valuenow={Math.round(trip)}
      aria-valuemin={20}
      aria-valuemax={Math.round(reach)}
      aria-valuetext={lengthText(trip, length)}
      onPointerDown={onGrab}
    >
      <rect x={x(trip) - 16} y={FLOOR.y - 130} width="32" height="160" fill="transparent" />
      <line x1={x(trip)} x2={x(trip)} y1={FLOOR.y - 104} y2={FLOOR.y + 4} />
      <path d={`M${x(trip)} ${FLOOR.y + 2}l9 16h-18z`} />
      <text x={x(trip)} y={FLOOR.y - 112} textAnchor="middle" className={styles.chosenText}>
        trip {figure(trip / per, per === 1 ? 0 : 1)}
      </text>
    </g>
  );
}

/** The stop as a sum. */
export function Parts({ floor, trip }: { floor: FloorShown; trip: number }) {
  const length = useLength();
  const spare = trip - floor.trip_mm;
  return (
    <section>
      <h2>The stop, in parts</h2>
      <dl className={styles.sums}>
        {PARTS.map(([name, label], i) => (
          <div key={name}>
            <dt>
              <span className={`swatch part-${i % 4}`} /> {label}
            </dt>
            <dd>{lengthText(floor.parts_mm[name] ?? 0, length)}</dd>
          </div>
        ))}
        <div className={styles.sum}>
          <dt>
            <Glyph of="derived" /> needed
          </dt>
          <dd>{lengthText(floor.trip_mm, length)}</dd>
        </div>
        <div className={spare < -0.5 ? "stale" : undefined}>
          <dt>{spare < -0.5 ? "too late by" : "more than needed"}</dt>
          <dd>{lengthText(Math.abs(spare), length)}</dd>
        </div>
      </dl>
    </section>
  );
}
