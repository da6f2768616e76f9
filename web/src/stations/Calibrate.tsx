import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { api, ask, Refused, type Schemas } from "../api/client";
import { useBench, useLength } from "../hooks/bench";
import { duration, editable, figure, lengthText, lengthTyped, moment, shown, THIN } from "../model/format";
import { scale } from "../model/scale";
import { Check } from "../ui/Glyph";
import { Ruler } from "../ui/Ruler";
import { Verdict } from "../ui/Verdict";
import { Pairs } from "./Pairs";

type Procedure = Schemas["RulerModel"];

export function Calibrate() {
  const bench = useBench();
  if (!bench.sensor.procedures.includes("ruler")) return <Nothing />;
  return <RulerProcedure />;
}

function Nothing() {
  const bench = useBench();
  const other = bench.rig.sensors.find((one) => one.procedures.length > 0);
  return (
    <>
      <Verdict>{`The ${bench.sensor.name} sensor is taken as its part sheet has it`}</Verdict>
      <div className="empty">
        <p>There is no procedure for it. Its offset can be typed in the slab, from a thermometer that you trust.</p>
        {other && (
          <button type="button" className="act" onClick={() => bench.pick(other.id)}>
            Calibrate the {other.name}
          </button>
        )}
      </div>
    </>
  );
}

function RulerProcedure() {
  const bench = useBench();
  const { rig, sensor } = bench;
  const path = { params: { path: { slug: rig.slug, sensor: sensor.id } } };
  const [pairs, setPairs] = useState(false);
  const procedure = useQuery({
    queryKey: ["r", rig.slug, "ruler", sensor.id],
    queryFn: () => ask(api.GET("/api/rigs/{slug}/sensors/{sensor}/ruler", path)),
  });
  const found = procedure.data;
  if (!found) return <Verdict>{procedure.isError ? procedure.error.message : "Looking for held places"}</Verdict>;
  const begun = found.steps.length > 0;
  const accept = () =>
    bench.attempt(
      ask(api.POST("/api/rigs/{slug}/sensors/{sensor}/ruler/accept", path)),
      "Accepted: sound and offset are measured now.",
    );
  const reject = () =>
    bench.attempt(ask(api.POST("/api/rigs/{slug}/sensors/{sensor}/ruler/reject", path)), "Put away; begin anew.");
  const heading = begun
    ? found.heading
    : found.last_at
      ? `Calibrated ${moment(found.last_at)}`
      : "Nobody has measured this ranger yet";
  return (
    <>
      <Verdict next={<NextPlace found={found} onAccept={() => void accept()} />}>{heading}</Verdict>
      <div className="calibrate">
        <Places found={found} />
        <section>
          {found.fit ? (
            <Fit found={found} />
          ) : (
            <div className="empty">
              <p>
                Stand a flat board or a box before the ranger, square to it. Read its distance off a ruler, from the
                ranger’s face. Type the number, hold still: the place is taken by itself.
              </p>
              <p>
                Two places give a first line, five a good one. Held places are kept: close the page and go on tomorrow.
              </p>
              {found.last && <p>{String(found.last.verdict ?? "")}</p>}
            </div>
          )}
          <div className="row-of-buttons">
            {found.can_accept && (
              <button type="button" className="act" onClick={() => void accept()}>
                Accept with {found.steps.length}
              </button>
            )}
            <button type="button" className="act" onClick={() => setPairs(true)}>
              Type pairs from a notebook
            </button>
            {begun && (
              <button type="button" className="plain" onClick={() => void reject()}>
                Put these away
              </button>
            )}
          </div>
        </section>
      </div>
      <Pairs show={pairs} onHide={() => setPairs(false)} />
    </>
  );
}

function waiting(found: Procedure): number[] {
  return found.places_mm.filter((mm) => !found.steps.some((step) => Math.abs(step.true_mm - mm) < 40));
}

function NextPlace({ found, onAccept }: { found: Procedure; onAccept: () => void }) {
  const bench = useBench();
  const length = useLength();
  const left = waiting(found);
  const { status, hold } = bench.now;
  if (status !== "live" && status !== "silent") {
    return (
      <p className="next">
        <b>Next:</b> <span>connect the board, or the stand-in.</span>
        <button type="button" className="act" onClick={() => void bench.connect()}>
          Connect
        </button>
      </p>
    );
  }
  if (hold) {
    return (
      <p className="next" aria-live="polite">
        <b>Next:</b> <span>hold the target still at {lengthText(hold.true_mm, length)}. It is taken by itself.</span>
      </p>
    );
  }
  if (found.repeat[0] !== undefined) {
    return (
      <p className="next">
        <b>Next:</b> <span>{found.verdict} Move the target there, type it, and hold it again.</span>
      </p>
    );
  }
  if (found.can_accept && left.length === 0) {
    return (
      <p className="next">
        <b>Next:</b> <span>{found.verdict}</span>
        <button type="button" className="act act-first" onClick={onAccept}>
          Accept
        </button>
      </p>
    );
  }
  return (
    <p className="next">
      <b>Next:</b> <span>put the target near {lengthText(left[0] ?? 1200, length)} and type what the ruler says.</span>
    </p>
  );
}

function Places({ found }: { found: Procedure }) {
  const bench = useBench();
  const length = useLength();
  const { rig, sensor } = bench;
  const path = { params: { path: { slug: rig.slug, sensor: sensor.id } } };
  const left = waiting(found);
  const drop = (true_mm: number) =>
    bench.attempt(
      ask(
        api.DELETE("/api/rigs/{slug}/sensors/{sensor}/ruler/places/{true_mm}", {
          params: { path: { slug: rig.slug, sensor: sensor.id, true_mm } },
        }),
      ),
      `${lengthText(true_mm, length)} is to be held again.`,
    );
  return (
    <section className="places">
      <h2>Ruler against echo</h2>
      <ol>
        {found.steps.map((step) => {
          const off = found.repeat.includes(step.true_mm);
          return (
            <li key={step.true_mm} className="held">
              <span>
                <b>{lengthText(step.true_mm, length)}</b>
                <small>
                  {step.by.startsWith("typed") ? "typed" : `held ${duration(step.held_s)}`} · {figure(step.echo_us, 1)}
                  {step.echo_plus_minus !== null && ` ± ${figure(step.echo_plus_minus, 1)}`}
                  {THIN}µs
                </small>
              </span>
              <span className={off ? "stale" : "tick"}>{off ? "repeat" : <Check />}</span>
              <button
                type="button"
                className="plain"
                aria-label={`Drop ${lengthText(step.true_mm, length)}`}
                onClick={() => void drop(step.true_mm)}
              >
                drop
              </button>
            </li>
          );
        })}
        <li className="now">
          <Hold key={left[0] ?? 0} suggested={left[0] ?? 1200} path={path} />
        </li>
        {left.slice(1).map((mm) => (
          <li key={mm} className="later">
            <b>{lengthText(mm, length)}</b>
            <small>then about here</small>
          </li>
        ))}
      </ol>
    </section>
  );
}

interface HoldProps {
  suggested: number;
  path: { params: { path: { slug: string; sensor: string } } };
}

function Hold({ suggested, path }: HoldProps) {
  const bench = useBench();
  const length = useLength();
  const [text, setText] = useState(editable(suggested, length));
  const [fault, setFault] = useState("");
  const { hold, status } = bench.now;
  const connected = status === "live" || status === "silent";
  const begin = async (event: FormEvent) => {
    event.preventDefault();
    const true_mm = lengthTyped(text, length);
    if (true_mm === null) return setFault(`“${text}” is not a number.`);
    setFault("");
    try {
      await ask(api.POST("/api/rigs/{slug}/sensors/{sensor}/ruler/hold", { ...path, body: { true_mm } }));
    } catch (error) {
      setFault(error instanceof Refused ? error.message : "It could not be watched for.");
    }
  };
  if (hold) {
    return (
      <>
        <span className="holding">
          <b>{lengthText(hold.true_mm, length)}</b>
          <small className={hold.ready ? undefined : "stale"} aria-live="polite">
            {hold.why_not || "Still: taking it."}
          </small>
        </span>
        <span className="row-of-buttons">
          <button
            type="button"
            className="act"
            onClick={() => void bench.attempt(ask(api.POST("/api/rigs/{slug}/sensors/{sensor}/ruler/take", path)))}
          >
            Take it now
          </button>
          <button
            type="button"
            className="plain"
            onClick={() => void bench.attempt(ask(api.POST("/api/rigs/{slug}/sensors/{sensor}/ruler/let-go", path)))}
          >
            Let go
          </button>
        </span>
      </>
    );
  }
  return (
    <form onSubmit={begin} noValidate>
      <label htmlFor="ruler-says">The ruler says</label>
      <span className="hold-field">
        <input
          id="ruler-says"
          inputMode="decimal"
          value={text}
          onChange={(event) => setText(event.target.value)}
          aria-invalid={fault !== ""}
          aria-describedby="ruler-fault"
        />{" "}
        {length}
        <button type="submit" className="act" disabled={!connected}>
          Hold it
        </button>
      </span>
      <p id="ruler-fault" className="field-fault" role="alert">
        {fault}
      </p>
    </form>
  );
}

const PLOT = { width: 500, left: 8, right: 492, top: 12, bottom: 232 };
const REST = { top: 26, middle: 62, bottom: 98 };

function Fit({ found }: { found: Procedure }) {
  const length = useLength();
  const per = lengthTyped("1", length) ?? 1;
  const fit = found.fit;
  if (!fit) return null;
  const farthest = Math.max(1000, ...found.steps.map((step) => step.true_mm * 1.1));
  const line = fit.line.filter((point) => point.true_mm <= farthest * 1.6);
  const x = scale(0, farthest, PLOT.left, PLOT.right);
  const most = Math.max(...found.steps.map((step) => step.echo_us), 1) * 1.15;
  const y = scale(0, most, PLOT.bottom, PLOT.top);
  const band = [
    ...line.map((p) => `${x(p.true_mm)},${y(p.echo_us + 12 * p.plus_minus)}`),
    ...[...line].reverse().map((p) => `${x(p.true_mm)},${y(p.echo_us - 12 * p.plus_minus)}`),
  ].join(" ");
  const speed = shown(fit.speed_m_s, "m/s", fit.speed_plus_minus, length);
  const offset = shown(fit.offset_mm, "mm", fit.offset_plus_minus, length);
  const leftOver = Math.max(2, ...found.steps.map((step) => Math.abs(step.residual_mm ?? 0) * 1.2 + 0.5));
  const r = scale(-leftOver, leftOver, REST.bottom, REST.top);
  return (
    <>
      <h2>
        Fit: {speed.text}
        {THIN}m/s, {offset.text}
        {THIN}
        {offset.unit}
      </h2>
      <svg viewBox={`0 0 ${PLOT.width} 276`} role="img" className="fit" aria-label="Echo time against true distance">
        <clipPath id="fit-clip">
          <rect x={PLOT.left} y={PLOT.top} width={PLOT.right - PLOT.left} height={PLOT.bottom - PLOT.top} />
        </clipPath>
        <g clipPath="url(#fit-clip)">
          <polygon points={band} className="wash" />
          <polyline points={line.map((p) => `${x(p.true_mm)},${y(p.echo_us)}`).join(" ")} className="fit-line" />
        </g>
        {waiting(found).map((mm) => (
          <line key={mm} x1={x(mm)} x2={x(mm)} y1={PLOT.top} y2={PLOT.bottom} className="to-come" />
        ))}
        {found.steps.map((step) => (
          <circle key={step.true_mm} cx={x(step.true_mm)} cy={y(step.echo_us)} r="5.5" className="held-dot" />
        ))}
        <Ruler low={0} high={farthest} from={PLOT.left} to={PLOT.right} y={PLOT.bottom} labels={5} per={per} />
        <text x={PLOT.right - 4} y={PLOT.bottom - 10} textAnchor="end" className="small">
          echo against true distance, {length}; band 12 × wider
        </text>
      </svg>
      <h2>What is left over</h2>
      <svg viewBox={`0 0 ${PLOT.width} 112`} role="img" className="fit" aria-label="Residuals">
        {[-leftOver, leftOver].map((edge) => (
          <g key={edge}>
            <line x1={PLOT.left} x2={PLOT.right} y1={r(edge)} y2={r(edge)} className="to-come" />
            <text x={PLOT.left} y={r(edge) - 5} className="small">
              {edge > 0 ? "+" : ""}
              {lengthText(edge, length, 1)}
            </text>
          </g>
        ))}
        <line x1={PLOT.left} x2={PLOT.right} y1={REST.middle} y2={REST.middle} className="zero" />
        {found.steps.map((step) => (
          <g key={step.true_mm} className={found.repeat.includes(step.true_mm) ? "off" : undefined}>
            <line
              x1={x(step.true_mm)}
              x2={x(step.true_mm)}
              y1={r((step.residual_mm ?? 0) - (step.residual_plus_minus ?? 0))}
              y2={r((step.residual_mm ?? 0) + (step.residual_plus_minus ?? 0))}
              className="whisker"
            />
            <circle cx={x(step.true_mm)} cy={r(step.residual_mm ?? 0)} r="5.5" className="held-dot" />
          </g>
        ))}
      </svg>
      <p className="verdict-line">
        {found.verdict} {found.agreement}
      </p>
    </>
  );
}
