import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { useSearchParams } from "react-router";
import { api, ask, type Schemas } from "../api/client";
import { useBench, useLength } from "../hooks/bench";
import { decimalsFor, figure, lengthText, lengthTyped, shown, THIN } from "../model/format";
import { scale } from "../model/scale";
import { Glyph, type Provenance } from "../ui/Glyph";
import { NumberField } from "../ui/NumberField";
import { Ruler } from "../ui/Ruler";
import { Verdict } from "../ui/Verdict";

type Worked = Schemas["WorkedModel"];
type From = "live" | "cursor" | "typed";

const TYPED_AT_FIRST = 1748;
const WIDTH = 860;

export function Convert() {
  const bench = useBench();
  if (!bench.sensor.conversions.includes("echo")) return <Direct />;
  return <Echo />;
}

/** A sensor that already says what it means. */
function Direct() {
  const bench = useBench();
  const ranger = bench.rig.sensors.find((one) => one.conversions.includes("echo"));
  return (
    <>
      <Verdict>{`The ${bench.sensor.name} sensor says ${bench.sensor.unit} by itself`}</Verdict>
      <div className="empty">
        <p>Its reading needs no arithmetic beyond its offset. What it does to a distance shows with the ranger.</p>
        {ranger && (
          <button type="button" className="act" onClick={() => bench.pick(ranger.id)}>
            Work with the {ranger.name}
          </button>
        )}
      </div>
    </>
  );
}

function Echo() {
  const bench = useBench();
  const length = useLength();
  const [search] = useSearchParams();
  const { now, sensor, rig, recordingId } = bench;
  const t = search.get("t");
  const cursorOn = recordingId !== null && t !== null;
  const liveOn = now.status === "live" && now.sensors[sensor.id]?.raw != null;
  const typedRaw = search.get("raw");
  const [from, setFrom] = useState<From>(typedRaw ? "typed" : cursorOn ? "cursor" : "live");
  const [typed, setTyped] = useState(Number(typedRaw) || TYPED_AT_FIRST);
  const effective: From = from === "live" && !liveOn ? "typed" : from === "cursor" && !cursorOn ? "typed" : from;

  const at = useQuery({
    queryKey: ["r", rig.slug, "at", recordingId, sensor.id, t],
    enabled: effective === "cursor",
    queryFn: () =>
      ask(
        api.GET("/api/recordings/{recording_id}/at", {
          params: { path: { recording_id: recordingId ?? 0 }, query: { sensor: sensor.id, t: Number(t) } },
        }),
      ),
  });
  const live = useHeldStill(liveOn ? (now.sensors[sensor.id]?.raw ?? null) : null);
  const raw = effective === "live" ? live : effective === "cursor" ? (at.data?.raw ?? null) : typed;
  const air = effective === "cursor" ? (at.data?.air_c ?? null) : liveOn ? now.air_c : null;
  const worked = useQuery({
    queryKey: ["r", rig.slug, "worked", sensor.id, raw, air],
    enabled: raw !== null,
    queryFn: () =>
      ask(
        api.GET("/api/rigs/{slug}/sensors/{sensor}/worked", {
          params: {
            path: { slug: rig.slug, sensor: sensor.id },
            query: { raw: raw ?? 0, air_c: air ?? undefined, live_air: air !== null },
          },
        }),
      ),
    placeholderData: (old) => old,
  });
  const take = (value: number) => {
    setTyped(value);
    setFrom("typed");
    bench.show({ raw: String(value) });
  };
  const found = worked.data;
  return (
    <>
      <Verdict>{heading(found, length)}</Verdict>
      <fieldset className="from">
        <legend>The raw number</legend>
        {(["live", "cursor", "typed"] as const).map((one) => (
          <button
            key={one}
            type="button"
            className="act"
            aria-pressed={effective === one}
            disabled={(one === "live" && !liveOn) || (one === "cursor" && !cursorOn)}
            onClick={() => setFrom(one)}
          >
            {{ live: "live", cursor: "from the recording’s cursor", typed: "typed" }[one]}
          </button>
        ))}
        <NumberField label="Echo time" hideLabel value={raw ?? typed} unit="µs" low={0} high={400000} onChange={take} />
      </fieldset>
      {found && (
        <>
          <WorkedLine worked={found} />
          <Shares worked={found} />
          <Rules worked={found} />
          <div className="convert-foot">
            <Inverse />
            <section>
              <h2>Move it</h2>
              {found.moves.map((sentence) => (
                <p key={sentence}>{sentence}</p>
              ))}
              {found.warnings.map((sentence) => (
                <p key={sentence} className="stale">
                  {sentence}
                </p>
              ))}
            </section>
          </div>
        </>
      )}
      {worked.isError && <p role="alert">{worked.error.message}</p>}
    </>
  );
}

const HOLD_MS = 700;

/** A live number that holds still long enough to be read. */
function useHeldStill(value: number | null): number | null {
  const [held, setHeld] = useState(value);
  const latest = useRef(value);
  latest.current = value;
  useEffect(() => {
    const timer = setInterval(() => setHeld(latest.current), HOLD_MS);
    return () => clearInterval(timer);
  }, []);
  return held ?? value;
}

function heading(worked: Worked | undefined, length: ReturnType<typeof useLength>): string {
  if (!worked) return "Waiting for a number";
  const echo = worked.terms.find((term) => term.name === "echo")?.value ?? 0;
  const said = `${figure(echo, echo % 1 ? 1 : 0)}${THIN}µs`;
  if (worked.distance_mm === null) return `${said} is no echo: a dropout, not a distance`;
  const value = shown(worked.distance_mm, "mm", worked.plus_minus_mm, length);
  const distance = `${value.text}${THIN}${value.unit}`;
  return worked.valid ? `${said} is ${distance}` : `${said} would be ${distance}: ${worked.reason}`;
}

const SIGNS = ["÷", "×", "+", "="];

function WorkedLine({ worked }: { worked: Worked }) {
  const length = useLength();
  const order = ["echo", "way", "sound", "offset"];
  const terms = order.flatMap((name) => worked.terms.find((term) => term.name === name) ?? []);
  const result = worked.distance_mm === null ? null : shown(worked.distance_mm, "mm", worked.plus_minus_mm, length);
  return (
    <div className="worked">
      {terms.map((term, i) => {
        const spread = term.name === "echo" ? null : term.plus_minus;
        const value = shown(term.value, term.unit, spread, length);
        const text = term.name === "echo" ? figure(term.value, term.value % 1 ? 1 : 0) : value.text;
        return (
          <div className="worked-step" key={term.name}>
            <div className={`term term-${term.name}`}>
              <span className="term-label">
                <Glyph of={term.provenance as Provenance} /> {term.label}
              </span>
              <span className="term-value">
                <b>{text}</b> {value.unit}
              </span>
            </div>
            <span className="sign" aria-hidden="true">
              {SIGNS[i]}
            </span>
          </div>
        );
      })}
      <div className="term result">
        <span className="term-label">
          <Glyph of="derived" /> distance
        </span>
        <span className="term-value">
          <b>{result?.text ?? "—"}</b> {result?.unit}
          {result?.plusMinus && (
            <span className="result-spread">
              ±{THIN}
              {result.plusMinus}
            </span>
          )}
        </span>
      </div>
    </div>
  );
}

function Shares({ worked }: { worked: Worked }) {
  if (worked.distance_mm === null) return null;
  const shares = worked.shares.filter((one) => one.share > 0.0005);
  return (
    <section>
      <h2>Where the ± comes from</h2>
      <div className="shares" aria-hidden="true">
        {shares.map((one, i) => (
          <span key={one.label} className={`grey-${Math.min(i + 1, 4)}`} style={{ flexGrow: one.share }} />
        ))}
      </div>
      <ul className="share-labels">
        {shares.map((one, i) => (
          <li key={one.label}>
            <span className={`swatch grey-${Math.min(i + 1, 4)}`} /> {one.label}{" "}
            <b>
              {figure(one.share * 100, one.share < 0.095 ? 1 : 0)}
              {THIN}%
            </b>
          </li>
        ))}
      </ul>
    </section>
  );
}

interface Flag {
  name: string;
  at: number;
  row: number;
}

/** Flags on a ruler, each in the first row where its label does not touch the one before it. */
function rows(
  flags: { name: string; at: number }[],
  x: (v: number) => number,
  widthOf: (name: string) => number,
): Flag[] {
  const ends: number[] = [];
  return [...flags]
    .sort((a, b) => a.at - b.at)
    .map((flag) => {
      const left = x(flag.at) - 8 - widthOf(flag.name);
      let row = ends.findIndex((end) => end < left);
      if (row < 0) row = ends.length;
      ends[row] = x(flag.at) + 10;
      return { ...flag, row };
    });
}

function Rules({ worked }: { worked: Worked }) {
  const length = useLength();
  if (worked.distance_mm === null) return null;
  const ours = worked.distance_mm;
  const spread = worked.plus_minus_mm ?? 0;
  const per = lengthTyped("1", length) ?? 1;
  const all = worked.rules.map((rule) => rule.distance_mm);
  const reach = Math.max(spread * 1.2, ...all.map((at) => Math.abs(at - ours))) * 1.25 || 1;
  const [low, high] = [ours - reach, ours + reach];
  const x = scale(low, high, 0, WIDTH);
  const flags = rows(
    worked.rules.map((rule) => ({ name: rule.name, at: rule.distance_mm })),
    x,
    (name) => name.length * 8.8,
  );
  const deepest = Math.max(0, ...flags.map((flag) => flag.row));
  const top = 20;
  const base = top + 44 + deepest * 24;
  return (
    <section>
      <h2>What the rules of thumb would have said</h2>
      <svg className="rules" viewBox={`0 0 ${WIDTH} ${base + 44}`} role="img" aria-label="Rules of thumb on a ruler">
        <rect
          x={x(ours - spread)}
          width={x(ours + spread) - x(ours - spread)}
          y={base - 40}
          height="40"
          className="wash"
        />
        <line x1={x(ours)} x2={x(ours)} y1={top - 14} y2={base} className="ours" />
        <text x={x(ours) + 8} y={top - 4} className="ours-text">
          this rig
        </text>
        {flags.map((flag) => {
          const y = base - 22 - flag.row * 24;
          return (
            <g key={flag.name}>
              <line x1={x(flag.at)} x2={x(flag.at)} y1={y} y2={base} className="flag" />
              <circle cx={x(flag.at)} cy={y} r="5" className="flag-ring" />
              <text x={x(flag.at) - 9} y={y + 5} textAnchor="end" className="flag-text">
                {flag.name}
              </text>
            </g>
          );
        })}
        <Ruler low={low} high={high} from={0} to={WIDTH} y={base} per={per} />
      </svg>
      <details>
        <summary>How far off each is, and when it would be exact</summary>
        <table className="schedule">
          <thead>
            <tr>
              <th scope="col">Rule</th>
              <th scope="col">says</th>
              <th scope="col">off by</th>
              <th scope="col">exact at</th>
            </tr>
          </thead>
          <tbody>
            {worked.rules.map((rule) => (
              <tr key={rule.name}>
                <th scope="row">{rule.name}</th>
                <td>{lengthText(rule.distance_mm, length, 1)}</td>
                <td>{lengthText(rule.error_mm, length, 1)}</td>
                <td>{rule.exact_at_c === null ? "no air temperature" : `${figure(rule.exact_at_c, 1)}${THIN}°C`}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </details>
    </section>
  );
}

function Inverse() {
  const bench = useBench();
  const length = useLength();
  const { rig, sensor, now } = bench;
  const [asked, setAsked] = useState(300);
  const air = now.status === "live" ? now.air_c : null;
  const answer = useQuery({
    queryKey: ["r", rig.slug, "inverse", sensor.id, asked, air],
    queryFn: () =>
      ask(
        api.GET("/api/rigs/{slug}/sensors/{sensor}/worked/inverse", {
          params: {
            path: { slug: rig.slug, sensor: sensor.id },
            query: { distance_mm: asked, air_c: air ?? undefined },
          },
        }),
      ),
    placeholderData: (old) => old,
  });
  return (
    <section>
      <h2>Ask backwards</h2>
      <p className="inverse">
        <NumberField
          label="Distance"
          hideLabel
          value={asked}
          unit="mm"
          length={length}
          low={0}
          high={10000}
          onChange={setAsked}
        />
        <span>
          comes back in{" "}
          <b>
            {answer.data ? figure(answer.data.echo_us, decimalsFor(2, 1)) : "—"}
            {THIN}µs
          </b>
        </span>
      </p>
      {answer.isError && <p role="alert">{answer.error.message}</p>}
    </section>
  );
}
