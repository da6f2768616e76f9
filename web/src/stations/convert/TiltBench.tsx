import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { api, ask, type Schemas } from "../../api/client";
import { keys } from "../../api/keys";
import { useSettings } from "../../hooks/settings";
import { useAddress } from "../../hooks/useAddress";
import { figure, THIN } from "../../model/format";
import { into } from "../../model/units";
import { NumberField } from "../../ui/NumberField";
import { Head, Say } from "./Head";
import shared from "./shared.module.css";
import styles from "./TiltBench.module.css";

type Tilt = Schemas["TiltResult"];

const AXES = [
  { name: "ax_g", label: "x, forward", usual: 0.087 },
  { name: "ay_g", label: "y, left", usual: 0.052 },
  { name: "az_g", label: "z, up", usual: 0.994 },
] as const;

type Axes = Record<(typeof AXES)[number]["name"], number>;
type Flat = "plus" | "minus";
type Put = (changes: Record<string, string | null>) => void;

/** Three axes into how a vehicle leans, seen from its side and from behind, against where it would tip. */
export function TiltBench({ first }: { first: ReactNode }) {
  const { search, put } = useAddress();
  const number = (name: string, usual: number) => {
    const value = Number(search.get(name) ?? usual);
    return Number.isFinite(value) ? value : usual;
  };
  const flat: Flat = search.get("flat") === "minus" ? "minus" : "plus";
  const axes = {
    ax_g: number("ax_g", 0.087),
    ay_g: number("ay_g", 0.052),
    az_g: number("az_g", flat === "minus" ? -0.994 : 0.994),
  };
  const body = { track_mm: number("track", 240), cog_height_mm: number("cog", 160) };
  const tilt = useQuery({
    queryKey: keys.calculation("tilt", [axes, flat]),
    queryFn: () => ask(api.POST("/api/calc/tilt", { body: { ...axes, flat_reads: flat } })),
    placeholderData: (old) => old,
  });
  const tip = useQuery({
    queryKey: keys.calculation("tip-over", body),
    queryFn: () => ask(api.POST("/api/calc/tip-over", { body })),
    placeholderData: (old) => old,
  });
  const leaning = tilt.isError ? undefined : tilt.data;
  const tipAt = tip.data?.angle_deg ?? null;
  return (
    <>
      <Head
        verdict={tilt.isError ? tilt.error.message : leaning ? verdict(leaning) : "Working"}
        first={first}
        next={<Say>{leaning ? advice(leaning, tipAt) : DRAG}</Say>}
      />
      {leaning && <Views tilt={leaning} tipAt={tipAt} />}
      <div className={shared.tiltInputs}>
        <AxisInputs axes={axes} put={put} />
        <div>
          <LevelReads flat={flat} axes={axes} put={put} />
          <p className={styles.tipInputs}>
            <NumberField
              label="Track"
              value={body.track_mm}
              unit="mm"
              low={1}
              onChange={(value) => put({ track: String(value) })}
            />
            <NumberField
              label="Centre of gravity"
              value={body.cog_height_mm}
              unit="mm up"
              low={1}
              onChange={(value) => put({ cog: String(value) })}
            />
          </p>
        </div>
      </div>
      {leaning && <Figures tilt={leaning} tipAt={tipAt} />}
    </>
  );
}

const DRAG = "drag an axis, or type what an accelerometer at rest reads; a level one reads 1 g on z.";

function verdict(tilt: Tilt): string {
  const words = `${tilt.words.charAt(0).toUpperCase()}${tilt.words.slice(1)}`;
  return tilt.valid ? words : `${words}, if it stood still`;
}

function advice(tilt: Tilt, tipAt: number | null): string | undefined {
  if (!tilt.valid) return tilt.warnings[0];
  const tipped = tipAt !== null && Math.abs(tilt.roll_deg) >= tipAt;
  return tipped ? "this is beyond where it tips over sideways." : DRAG;
}

function AxisInputs({ axes, put }: { axes: Axes; put: Put }) {
  return (
    <div className={shared.asks}>
      {AXES.map((axis) => (
        <div className={shared.ask} key={axis.name}>
          <span className={shared.askLabel} aria-hidden="true">
            {axis.label}
          </span>
          <input
            type="range"
            className={shared.graduated}
            aria-label={`Drag ${axis.label}`}
            min={-1.2}
            max={1.2}
            step={0.001}
            value={axes[axis.name]}
            onChange={(event) => put({ [axis.name]: event.target.value })}
          />
          <NumberField
            label={axis.label}
            hideLabel
            value={axes[axis.name]}
            unit="g"
            low={-1000}
            high={1000}
            onChange={(value) => put({ [axis.name]: String(value) })}
          />
        </div>
      ))}
    </div>
  );
}

/** The two conventions of the sign: changing it turns every axis round. */
function LevelReads({ flat, axes, put }: { flat: Flat; axes: Axes; put: Put }) {
  const turned = { ax_g: String(-axes.ax_g), ay_g: String(-axes.ay_g), az_g: String(-axes.az_g) };
  return (
    <fieldset className={shared.askChoice}>
      <legend>Level reads on z</legend>
      {(["plus", "minus"] as const).map((sign) => (
        <button
          key={sign}
          type="button"
          className="act"
          aria-pressed={flat === sign}
          onClick={() => put({ flat: sign === "plus" ? null : sign, ...turned })}
          disabled={flat === sign}
        >
          {sign === "plus" ? "+1 g" : "−1 g"}
        </button>
      ))}
    </fieldset>
  );
}

function Figures({ tilt, tipAt }: { tilt: Tilt; tipAt: number | null }) {
  const units = useSettings();
  const way = into("°", "tilt", units);
  const slope = (degrees: number) =>
    Math.abs(degrees) > 80 && way.unit === "%"
      ? `${figure(degrees, 1)}°`
      : `${figure(way.to(degrees), 1)}${way.unit === "°" ? "" : THIN}${way.unit}`;
  return (
    <dl className={shared.more}>
      <div>
        <dt>roll, left side up</dt>
        <dd>{slope(tilt.roll_deg)}</dd>
      </div>
      <div>
        <dt>pitch, nose down</dt>
        <dd>{slope(tilt.pitch_deg)}</dd>
      </div>
      <div>
        <dt>from level in all</dt>
        <dd>{slope(tilt.tilt_deg)}</dd>
      </div>
      <div>
        <dt>|a|</dt>
        <dd>
          {figure(tilt.norm_g, 3)}
          {THIN}g
        </dd>
      </div>
      {tipAt !== null && (
        <div>
          <dt>tips sideways at</dt>
          <dd>{slope(tipAt)}</dd>
        </div>
      )}
    </dl>
  );
}

const R = 118;

/** The vehicle from its left side and from behind, each on a level line with an arc of degrees. */
function Views({ tilt, tipAt }: { tilt: Tilt; tipAt: number | null }) {
  return (
    <svg className={styles.tiltViews} viewBox="0 28 860 222" role="img" aria-label={`The vehicle: ${tilt.words}`}>
      <View x={215} turn={tilt.pitch_deg} title="from its left side, nose to the left" mirrored limit={null}>
        <path d="M-92 -10H92V-44H40L26 -64H-60L-92 -44Z" />
        <circle cx="-58" cy="-2" r="20" />
        <circle cx="58" cy="-2" r="20" />
      </View>
      <View x={645} turn={tilt.roll_deg} title="from behind" mirrored={false} limit={tipAt}>
        <path d="M-54 -10H54V-50L42 -66H-42L-54 -50Z" />
        <rect x="-76" y="-24" width="20" height="44" rx="4" />
        <rect x="56" y="-24" width="20" height="44" rx="4" />
      </View>
    </svg>
  );
}

interface ViewProps {
  x: number;
  turn: number;
  title: string;
  mirrored: boolean;
  limit: number | null;
  children: ReactNode;
}

/** One view: nose down turns the left-hand nose down; left side up turns the left-hand side up. */
function View({ x, turn, title, mirrored, limit, children }: ViewProps) {
  const screen = mirrored ? -turn : turn;
  const marks = Array.from({ length: 13 }, (_, i) => (i - 6) * 5);
  const end = (degrees: number, radius: number) => {
    const a = (degrees * Math.PI) / 180;
    return { x: -radius * Math.cos(a), y: -radius * Math.sin(a) };
  };
  return (
    <g transform={`translate(${x} 150)`}>
      <line x1={-190} x2={190} y1="22" y2="22" className="graduation" />
      {limit !== null &&
        [limit, -limit].map((angle) => {
          const at = end(angle, R + 48);
          return <line key={angle} x1={0} y1={0} x2={at.x} y2={at.y} className={styles.tipLine} />;
        })}
      {marks.map((degrees) => {
        const [from, to] = [end(degrees, R + 22), end(degrees, R + (degrees % 10 === 0 ? 36 : 30))];
        const label = end(degrees, R + 54);
        return (
          <g key={degrees}>
            <line x1={from.x} y1={from.y} x2={to.x} y2={to.y} className="graduation" />
            {degrees % 10 === 0 && degrees !== 0 && (
              <text x={label.x} y={label.y + 5} textAnchor="middle" className="small">
                {Math.abs(degrees)}°
              </text>
            )}
          </g>
        );
      })}
      <g transform={`rotate(${screen})`} className={styles.vehicle}>
        {children}
        <line x1={-(R + 18)} x2={R + 18} y1="0" y2="0" className={styles.axis} />
      </g>
      <text x={0} y="74" textAnchor="middle">
        {title}
      </text>
    </g>
  );
}
