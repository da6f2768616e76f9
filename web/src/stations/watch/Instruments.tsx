import type { Sensor } from "../../api/client";
import { usePlace } from "../../hooks/place";
import { useSettings } from "../../hooks/settings";
import { numberOn, useShown, useZero } from "../../hooks/useInstrument";
import { duration, figure, THIN } from "../../model/format";
import { into, lengthInto } from "../../model/units";
import styles from "./Instruments.module.css";
import { LevelCross } from "./LevelCross";
import row from "./Row.module.css";

/** The instrument of a sensor in one short line, for its row. */
export function Glance({ sensor }: { sensor: Sensor }) {
  const [first] = sensor.instruments;
  if (first === "trip") return <TripGlance sensor={sensor} />;
  if (first === "lamps") return <Lamps sensor={sensor} />;
  if (first === "bar") return <Bar sensor={sensor} />;
  if (first === "level") return <GradeGlance sensor={sensor} />;
  return null;
}

/** The instruments of the selected sensor at full size. */
export function Instruments() {
  const { sensor } = usePlace();
  if (!sensor.instruments.some((name) => name in FULL)) return null;
  return (
    <section className={styles.instruments} aria-label={`Instruments of the ${sensor.name}`}>
      {sensor.instruments.map((name) => {
        const Full = FULL[name];
        return Full ? <Full key={name} sensor={sensor} /> : null;
      })}
    </section>
  );
}

const FULL: Record<string, (props: { sensor: Sensor }) => React.ReactNode> = {
  trip: TripComputer,
  level: TwoAxisLevel,
  angle: AngleMeter,
  bar: BarPreview,
};

function useWay() {
  const { length } = useSettings();
  return (metres: number) => {
    if (length === "in") return { text: figure(metres / 0.3048, 1), unit: "ft" };
    return metres >= 1000 ? { text: figure(metres / 1000, 2), unit: "km" } : { text: figure(metres, 2), unit: "m" };
  };
}

function TripGlance({ sensor }: { sensor: Sensor }) {
  const trip = useShown(sensor, "trip");
  const way = useWay();
  const speed = into("m/s", "speed", useSettings());
  const distance = numberOn(trip, "distance_m");
  const fastest = numberOn(trip, "fastest_m_s");
  if (distance === null || fastest === null) return null;
  const rolled = way(distance);
  return (
    <small className={row.glance}>
      {rolled.text}
      {THIN}
      {rolled.unit} since reset; fastest {figure(speed.to(fastest), speed.decimals ?? 2)}
    </small>
  );
}

function GradeGlance({ sensor }: { sensor: Sensor }) {
  const grade = numberOn(useShown(sensor, "level"), "grade_pct");
  if (grade === null) return null;
  const way =
    Math.abs(grade) < 0.5 ? "level ahead" : `${figure(Math.abs(grade), 0)}${THIN}% ${grade > 0 ? "up" : "down"}`;
  return <small className={row.glance}>grade: {way}</small>;
}

/** What check lamps would show: filled over dark. */
function Lamps({ sensor }: { sensor: Sensor }) {
  const lit = useShown(sensor, "lamps")?.lit;
  if (!Array.isArray(lit)) return null;
  const words = lit.map((on) => (on ? "on" : "off")).join(", ");
  return (
    <svg
      className={row.lamps}
      width={lit.length * 24}
      height="20"
      role="img"
      aria-label={`Lamps, left to right: ${words}`}
    >
      {lit.map((on, place) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a lamp is its place
        <rect key={place} x={place * 24 + 1} y="3" width="18" height="14" className={on ? "lamp lit" : "lamp"} />
      ))}
    </svg>
  );
}

function Bar({ sensor }: { sensor: Sensor }) {
  const bar = useShown(sensor, "bar");
  const steps = numberOn(bar, "steps") ?? 0;
  const lit = numberOn(bar, "lit");
  const words = lit === null ? "not known" : `${lit} of ${steps} steps`;
  return (
    <svg className={row.lamps} width={steps * 16} height="20" role="img" aria-label={`LED bar: ${words}`}>
      {Array.from({ length: steps }, (_, place) => (
        <rect
          // biome-ignore lint/suspicious/noArrayIndexKey: a step is its place
          key={place}
          x={place * 16 + 1}
          y={13 - place * 1.6}
          width="11"
          height={4 + place * 1.6}
          className={lit === null ? `lamp ${styles.unknown}` : place < lit ? "lamp lit" : "lamp"}
        />
      ))}
    </svg>
  );
}

/** A figure with what it is under it. */
function Figure({ text, unit, label }: { text: string; unit: string; label: string }) {
  return (
    <div className={styles.meter}>
      <b>{text}</b> {unit}
      <span>{label}</span>
    </div>
  );
}

function TripComputer({ sensor }: { sensor: Sensor }) {
  const trip = useShown(sensor, "trip");
  const zero = useZero(sensor, "trip");
  const way = useWay();
  const speed = into("m/s", "speed", useSettings());
  const fast = (name: string) => {
    const value = numberOn(trip, name);
    return value === null ? "—" : figure(speed.to(value), speed.decimals ?? 2);
  };
  const rolled = way(numberOn(trip, "distance_m") ?? 0);
  return (
    <div className={styles.instrument}>
      <h2>Trip</h2>
      <Figure text={fast("speed_m_s")} unit={speed.unit} label="now" />
      <Figure text={rolled.text} unit={rolled.unit} label="since reset" />
      <Figure text={fast("fastest_m_s")} unit={speed.unit} label="fastest" />
      <Figure
        text={fast("average_m_s")}
        unit={speed.unit}
        label={`average, moving ${duration(numberOn(trip, "moving_s") ?? 0)}`}
      />
      <button type="button" className="act" onClick={() => zero("A new trip begins.")}>
        Reset
      </button>
    </div>
  );
}

function TwoAxisLevel({ sensor }: { sensor: Sensor }) {
  const level = useShown(sensor, "level");
  const [roll, pitch, grade] = ["roll_deg", "pitch_deg", "grade_pct"].map((name) => numberOn(level, name));
  if (roll === null || roll === undefined || pitch === null || pitch === undefined) return null;
  return (
    <div className={styles.instrument}>
      <h2>Level</h2>
      <LevelCross roll={roll} pitch={pitch} />
      <Figure text={figure(roll, 1)} unit="°" label="left side up" />
      <Figure text={figure(-pitch, 1)} unit="°" label="nose up" />
      {grade !== null && grade !== undefined && <Figure text={figure(grade, 1)} unit="%" label="grade ahead" />}
    </div>
  );
}

function AngleMeter({ sensor }: { sensor: Sensor }) {
  const angle = useShown(sensor, "angle");
  const zero = useZero(sensor, "angle");
  const [at, spread] = [numberOn(angle, "angle_deg"), numberOn(angle, "plus_minus")];
  const known = at !== null && spread !== null;
  const label = known
    ? `± ${figure(spread, spread < 10 ? 1 : 0)}° after ${duration(numberOn(angle, "seconds") ?? 0)}`
    : "not begun";
  return (
    <div className={styles.instrument}>
      <h2>Angle between two lines</h2>
      <Figure text={known ? figure(at, 1) : "—"} unit="°" label={label} />
      <p>{String(angle?.words ?? "")}</p>
      <button type="button" className="act" onClick={() => zero("This is the first line.")}>
        Zero here
      </button>
    </div>
  );
}

function BarPreview({ sensor }: { sensor: Sensor }) {
  const bar = useShown(sensor, "bar");
  const length = lengthInto(useSettings().length);
  const near = numberOn(bar, "near");
  const trip = numberOn(bar, "trip_mm");
  const [from, to] = [numberOn(bar, "from_mm"), numberOn(bar, "to_mm")];
  if (from === null || to === null) return null;
  const mm = (value: number) => `${figure(length.to(value), length.decimals ?? 0)}${THIN}${length.unit}`;
  return (
    <div className={styles.instrument}>
      <h2>Lamps it would light</h2>
      <div className={styles.meter}>
        <Bar sensor={sensor} />
        <span>
          {numberOn(bar, "steps")} steps, {mm(to)} to {mm(from)}
        </span>
      </div>
      <div className={styles.meter}>
        <svg
          className={row.lamps}
          width="44"
          height="20"
          role="img"
          aria-label={`Near lamp: ${near === null ? "not known" : near ? "on" : "off"}`}
        >
          <rect
            x="1"
            y="3"
            width="40"
            height="14"
            className={near === null ? `lamp ${styles.unknown}` : near ? "lamp lit" : "lamp"}
          />
        </svg>
        <span>
          {trip === null ? "near lamp: choose a trip distance at Decide" : `near lamp, nearer than ${mm(trip)}`}
        </span>
      </div>
    </div>
  );
}
