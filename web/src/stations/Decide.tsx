import { useQuery } from "@tanstack/react-query";
import { type PointerEvent, useEffect, useRef, useState } from "react";
import { useSearchParams } from "react-router";
import { api, ask, type Constant, type Schemas } from "../api/client";
import { useBench, useLength } from "../hooks/bench";
import { figure, lengthText, lengthTyped, THIN } from "../model/format";
import { niceStep, scale } from "../model/scale";
import { type Into, lengthInto } from "../model/units";
import { Glyph } from "../ui/Glyph";
import { NumberField } from "../ui/NumberField";
import { Ruler } from "../ui/Ruler";
import { Verdict } from "../ui/Verdict";

type Obstacle = Schemas["ObstacleModel"];

export function Decide() {
  const bench = useBench();
  if (!bench.sensor.decisions.includes("obstacle")) return <Nothing />;
  return <Guard />;
}

function Nothing() {
  const bench = useBench();
  const ranger = bench.rig.sensors.find((one) => one.decisions.includes("obstacle"));
  return (
    <>
      <Verdict>{`Nothing is decided by the ${bench.sensor.name} sensor`}</Verdict>
      <div className="empty">
        <p>The obstacle guard belongs to a ranger.</p>
        {ranger && (
          <button type="button" className="act" onClick={() => bench.pick(ranger.id)}>
            Decide with the {ranger.name}
          </button>
        )}
      </div>
    </>
  );
}

function Guard() {
  const bench = useBench();
  const [search] = useSearchParams();
  const { rig, sensor } = bench;
  const from = Number(search.get("noise")) || null;
  const path = { slug: rig.slug, sensor: sensor.id };
  const obstacle = useQuery({
    queryKey: ["r", rig.slug, "obstacle", sensor.id, from],
    queryFn: () =>
      ask(
        api.GET("/api/rigs/{slug}/sensors/{sensor}/obstacle", {
          params: { path, query: { recording_id: from ?? undefined } },
        }),
      ),
    placeholderData: (old) => old,
  });
  const recordings = useQuery({
    queryKey: ["r", rig.slug, "recordings"],
    queryFn: () => ask(api.GET("/api/rigs/{slug}/recordings", { params: { path: { slug: rig.slug } } })),
  });
  const found = obstacle.data;
  const [picked, setPicked] = useState<{ trip: number; clear: number } | null>(null);
  if (!found) return <Verdict>{obstacle.isError ? obstacle.error.message : "Working it out"}</Verdict>;
  const trip = picked?.trip ?? found.chosen_trip?.value ?? Math.ceil(found.trip_mm / 5) * 5;
  const clear = picked?.clear ?? found.chosen_clear?.value ?? trip + (found.clear_mm - found.trip_mm);
  const changed = picked !== null || found.chosen_trip === null || found.chosen_trip.stale !== "";
  const choose = async () => {
    const done = await bench.attempt(
      ask(
        api.POST("/api/rigs/{slug}/sensors/{sensor}/obstacle", {
          params: { path },
          body: { trip_mm: trip, clear_mm: clear, recording_id: found.recording_id },
        }),
      ),
      "Chosen. It remembers what it was chosen from.",
    );
    if (done) setPicked(null);
  };
  const spare = trip - found.trip_mm;
  return (
    <>
      <Verdict
        next={
          <p className="next">
            <b>Next:</b>{" "}
            <span>
              {changed ? "drag or nudge the ochre tick, then choose." : "cut a stone, so that it goes into the robot."}
            </span>
            {changed && (
              <button type="button" className="act act-first" onClick={() => void choose()}>
                Choose {figure(trip, 0)}
                {THIN}mm
              </button>
            )}
          </p>
        }
      >
        {found.heading}
      </Verdict>
      <Floor
        found={found}
        trip={trip}
        clear={clear}
        onMove={(t) => setPicked({ trip: t, clear: t + (clear - trip) })}
      />
      <div className="decide">
        <Parts found={found} spare={spare} />
        <Inputs found={found} />
        <section>
          <h2>What to know</h2>
          <label className="noise-from">
            Noise from{" "}
            <select
              value={found.recording_id ?? ""}
              onChange={(event) => bench.show({ noise: event.target.value || null })}
            >
              {found.recording_id === null && <option value="">{found.sigma_from}</option>}
              {recordings.data
                ?.filter((one) => one.origin !== "hand" && one.status !== "live")
                .filter((one) => one.streams.some((stream) => stream.key === sensor.id && stream.n > 0))
                .map((one) => (
                  <option key={one.id} value={one.id}>
                    {one.name}
                  </option>
                ))}
            </select>
          </label>
          <ul className="ticks">
            {found.sentences.map((sentence) => (
              <li key={sentence}>{sentence}</li>
            ))}
          </ul>
          <p className="caution">Try it first with the wheels off the ground, then slowly against something soft.</p>
        </section>
      </div>
    </>
  );
}

const PARTS = [
  ["blind", "to the bumper"],
  ["gap", "gap left"],
  ["braking", "braking"],
  ["reaction", "reaction"],
  ["noise", "noise"],
] as const;

const FLOOR = { width: 860, left: 76, right: 846, y: 150 };

interface FloorProps {
  found: Obstacle;
  trip: number;
  clear: number;
  onMove: (trip: number) => void;
}

/** The floor in front of the bumper, to scale: what the stop is made of, where it trips, where it is clear again. */
function Floor({ found, trip, clear, onMove }: FloorProps) {
  const bench = useBench();
  const length = useLength();
  const drawing = useRef<SVGSVGElement>(null);
  const [held, setHeld] = useState(false);
  const per = lengthTyped("1", length) ?? 1;
  const need = Math.max(found.clear_mm, clear, trip, found.common_mm[2] ?? 0) * 1.12;
  const high = Math.ceil(need / niceStep(need, 8)) * niceStep(need, 8);
  const x = scale(0, high, FLOOR.left, FLOOR.right);
  const nudge = (by: number) => onMove(Math.min(found.reach_mm, Math.max(20, trip + by)));
  const arrows = useRef(nudge);
  arrows.current = nudge;
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement;
      if (target.closest("input, select, textarea, [role=dialog], .dropdown-menu") || event.altKey || event.ctrlKey)
        return;
      const way = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
      if (!way) return;
      event.preventDefault();
      arrows.current(way * (event.shiftKey ? 10 : 1));
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, []);
  const drag = (event: PointerEvent) => {
    if (!held || !drawing.current) return;
    const box = drawing.current.getBoundingClientRect();
    const at = ((event.clientX - box.left) / box.width) * FLOOR.width;
    onMove(Math.round(Math.min(found.reach_mm, Math.max(20, ((at - FLOOR.left) / (FLOOR.right - FLOOR.left)) * high))));
  };
  let begin = 0;
  const nose = Math.max(x(found.parts_mm.blind ?? 0), FLOOR.left);
  const live = bench.now.status === "live" ? bench.now.sensors[bench.sensor.id] : undefined;
  return (
    <svg
      ref={drawing}
      className="floor"
      viewBox={`0 0 ${FLOOR.width} 236`}
      role="group"
      aria-label="The floor in front of the bumper, to scale"
      onPointerMove={drag}
      onPointerUp={() => setHeld(false)}
      onPointerLeave={() => setHeld(false)}
    >
      <path d={`M4 ${FLOOR.y - 62}H${nose - 12}l12 16V${FLOOR.y}H4z`} className="cart" />
      <rect x={x(0) - 14} y={FLOOR.y - 40} width="14" height="22" className="wheel">
        <title>the ranger</title>
      </rect>
      <circle cx="20" cy={FLOOR.y + 4} r="9" className="wheel" />
      <circle cx="54" cy={FLOOR.y + 4} r="9" className="wheel" />
      <text x="8" y={FLOOR.y - 70} className="small">
        bumper
      </text>
      {PARTS.map(([name, label], i) => {
        const size = found.parts_mm[name] ?? 0;
        const [from, to] = [x(begin), x(begin + size)];
        begin += size;
        if (size <= 0 || name === "blind") return null;
        return (
          <g key={name}>
            <rect x={from} width={Math.max(to - from, 1)} y={FLOOR.y - 54} height="54" className={`part-${i % 4}`}>
              <title>{`${label} ${lengthText(size, length)}`}</title>
            </rect>
            {to - from > label.length * 8.2 && (
              <text x={(from + to) / 2} y={FLOOR.y - 22} textAnchor="middle" className={`part-label on-part-${i % 4}`}>
                {label}
              </text>
            )}
          </g>
        );
      })}
      <rect x={x(trip)} width={Math.max(x(clear) - x(trip), 0)} y={FLOOR.y - 66} height="66" className="hysteresis" />
      {found.common_mm.map((mm) => (
        <g key={mm}>
          <circle cx={x(mm)} cy={FLOOR.y - 92} r="5" className="flag-ring" />
          <line x1={x(mm)} x2={x(mm)} y1={FLOOR.y - 87} y2={FLOOR.y - 56} className="flag" />
        </g>
      ))}
      <text x={x(found.common_mm[2] ?? 600) + 9} y={FLOOR.y - 87} className="small">
        usual thresholds
      </text>
      {live?.value != null && live.value < high && (
        <g>
          <path d={`M${x(live.value)} ${FLOOR.y - 66}v86`} className="ours" />
          <text x={x(live.value)} y={FLOOR.y + 58} textAnchor="middle" className="ours-text">
            now
          </text>
        </g>
      )}
      <Ruler low={0} high={high} from={FLOOR.left} to={FLOOR.right} y={FLOOR.y} per={per} />
      <text x={FLOOR.right} y={FLOOR.y + 60} textAnchor="end" className="small">
        ranger reading, {length}
      </text>
      <line x1={x(clear)} x2={x(clear)} y1={FLOOR.y - 66} y2={FLOOR.y + 8} className="clear-tick" />
      <text x={x(clear) + 6} y={FLOOR.y - 72} className="chosen-text">
        clear {figure(clear / per, per === 1 ? 0 : 1)}
      </text>
      <g
        className="trip-tick"
        role="slider"
        tabIndex={0}
        aria-label="Trip distance"
        aria-valuenow={Math.round(trip)}
        aria-valuemin={20}
        aria-valuemax={Math.round(found.reach_mm)}
        aria-valuetext={lengthText(trip, length)}
        onPointerDown={(event) => {
          event.preventDefault();
          setHeld(true);
        }}
      >
        <rect x={x(trip) - 16} y={FLOOR.y - 130} width="32" height="160" fill="transparent" />
        <line x1={x(trip)} x2={x(trip)} y1={FLOOR.y - 104} y2={FLOOR.y + 4} />
        <path d={`M${x(trip)} ${FLOOR.y + 2}l9 16h-18z`} />
        <text x={x(trip)} y={FLOOR.y - 112} textAnchor="middle" className="chosen-text">
          trip {figure(trip / per, per === 1 ? 0 : 1)}
        </text>
      </g>
    </svg>
  );
}

function Parts({ found, spare }: { found: Obstacle; spare: number }) {
  const length = useLength();
  return (
    <section>
      <h2>The stop, in parts</h2>
      <dl className="sums">
        {PARTS.map(([name, label], i) => (
          <div key={name}>
            <dt>
              <span className={`swatch part-${i % 4}`} /> {label}
            </dt>
            <dd>{lengthText(found.parts_mm[name] ?? 0, length)}</dd>
          </div>
        ))}
        <div className="sum">
          <dt>
            <Glyph of="derived" /> needed
          </dt>
          <dd>{lengthText(found.trip_mm, length)}</dd>
        </div>
        <div className={spare < -0.5 ? "stale" : undefined}>
          <dt>{spare < -0.5 ? "too late by" : "to spare"}</dt>
          <dd>{lengthText(Math.abs(spare), length)}</dd>
        </div>
      </dl>
      <p>
        <small>
          Noise {figure(found.sigma_mm, 1)}
          {THIN}mm (1 σ, three allowed) from {found.sigma_from}.
        </small>
      </p>
    </section>
  );
}

function Inputs({ found }: { found: Obstacle }) {
  const bench = useBench();
  const length = useLength();
  const set = (constant: Constant, value: number) =>
    bench.attempt(
      ask(
        api.PUT("/api/rigs/{slug}/sensors/{sensor}/constants/{name}", {
          params: { path: { slug: bench.rig.slug, sensor: bench.sensor.id, name: constant.name } },
          body: { value, plus_minus: null, note: "" },
        }),
      ),
    );
  return (
    <section>
      <h2>From these</h2>
      <ul className="inputs">
        {found.inputs.map((one) => (
          <li key={one.name}>
            <Glyph of={one.provenance} />
            <Settled
              constant={one}
              into={one.unit === "mm" ? lengthInto(length) : undefined}
              onSet={(value) => void set(one, value)}
            />
          </li>
        ))}
      </ul>
    </section>
  );
}

/** A constant that is typed and set a moment after the typing has stopped. */
function Settled({ constant, into, onSet }: { constant: Constant; into?: Into; onSet: (value: number) => void }) {
  const timer = useRef<ReturnType<typeof setTimeout> | null>(null);
  const later = (value: number) => {
    if (timer.current) clearTimeout(timer.current);
    if (value !== constant.value) timer.current = setTimeout(() => onSet(value), 600);
  };
  return (
    <span title={`${constant.provenance}: ${constant.source}`}>
      <NumberField
        label={constant.label}
        value={constant.value}
        unit={constant.unit}
        into={into}
        low={constant.low ?? undefined}
        high={constant.high ?? undefined}
        onChange={later}
      />
    </span>
  );
}
