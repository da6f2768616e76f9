import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { api, ask, Refused, type Schemas } from "../../api/client";
import { keys } from "../../api/keys";
import { useAddress } from "../../hooks/useAddress";
import { figure, plainDecimals, THIN } from "../../model/format";
import { BAND_COLOURS } from "../../model/harness";
import { NumberField } from "../../ui/NumberField";
import { Head, Say } from "./Head";
import styles from "./Resistors.module.css";
import shared from "./shared.module.css";

type Decoded = Schemas["ResistorDecodeResult"];

const USUAL = "red,red,brown,gold";
/** What a new band is until a person says otherwise. */
const TAILS: Record<number, string[]> = { 3: [], 4: ["gold"], 5: ["brown"], 6: ["brown", "brown"] };

/** A resistance as it is said: 4.7 kΩ. */
export function ohms(value: number): string {
  const [per, unit] = value >= 1e6 ? [1e6, "MΩ"] : value >= 1e3 ? [1e3, "kΩ"] : [1, "Ω"];
  return `${figure(value / per, plainDecimals(value / per))}${THIN}${unit}`;
}

/** Colours and values, and the circuits that a bench asks for most: divider, LED, pull-up. */
export function Resistors({ first }: { first: ReactNode }) {
  const { search, put } = useAddress();
  const bands = (search.get("bands") ?? USUAL).split(",");
  const [fault, setFault] = useState("");
  const decoded = useQuery({
    queryKey: keys.calculation("resistor-decode", bands),
    queryFn: () => ask(api.POST("/api/calc/resistor-decode", { body: { colours: bands } })),
    placeholderData: (old) => old,
  });
  const found = decoded.isError ? undefined : decoded.data;
  const show = (colours: string[]) => {
    setFault("");
    put({ bands: colours.join(",") });
  };
  const encode = async (value: number, count = bands.length) => {
    try {
      const body = {
        ohms: value,
        bands: count as 3 | 4 | 5 | 6,
        tolerance_pct: found?.tolerance_pct ?? 5,
        ppm_per_k: found?.ppm_per_k ?? 100,
      };
      if (count === 3) body.tolerance_pct = 5;
      show((await ask(api.POST("/api/calc/resistor-code", { body }))).colours);
    } catch (error) {
      setFault(error instanceof Refused ? error.message : "That was not understood.");
    }
  };
  const recount = (count: number) => {
    const digits = count < 5 ? 2 : 3;
    const tail = TAILS[count] ?? [];
    if (!found) return show(USUAL.split(","));
    const body = { ohms: found.ohms, bands: count as 3 | 4 | 5 | 6, tolerance_pct: count < 5 ? 5 : 1, ppm_per_k: 100 };
    ask(api.POST("/api/calc/resistor-code", { body })).then(
      (made) => show(made.colours),
      () => show([...bands.slice(0, digits), bands[bands.length < 5 ? 2 : 3] ?? "black", ...tail]),
    );
  };
  return (
    <>
      <Head
        verdict={decoded.isError ? decoded.error.message : found ? heading(bands, found) : "Reading the bands"}
        first={first}
        next={
          <Say>
            {found?.other_way_ohm != null && found.other_way_ohm !== found.ohms
              ? `read from the other end it would be ${ohms(found.other_way_ohm)}; the wider gap is before the last band. A meter decides.`
              : "choose the colours, or type the value."}
          </Say>
        }
      />
      <div className={styles.resistorBench}>
        <Drawn bands={bands} />
        <div className={styles.bandRow}>
          {found?.choices.map((choices, place) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: a band is known by its place
            <label key={place} className={styles.bandChoice}>
              <span>band {place + 1}</span>
              <select
                value={bands[place]}
                onChange={(event) => show(bands.map((band, i) => (i === place ? event.target.value : band)))}
              >
                {choices.map((one) => (
                  <option key={one.colour} value={one.colour}>
                    {one.colour} {one.meaning}
                  </option>
                ))}
              </select>
            </label>
          ))}
        </div>
        <div className={styles.bandRow}>
          <NumberField
            label="Value"
            value={found?.ohms ?? 0}
            unit="Ω"
            low={0.01}
            high={99.9e9}
            onChange={(value) => void encode(value)}
          />
          <fieldset className={shared.askChoice}>
            <legend>Bands</legend>
            {[3, 4, 5, 6].map((count) => (
              <button
                key={count}
                type="button"
                className="act"
                aria-pressed={bands.length === count}
                onClick={() => recount(count)}
              >
                {count}
              </button>
            ))}
          </fieldset>
          {fault && (
            <span className="field-fault" role="alert">
              {fault}
            </span>
          )}
        </div>
      </div>
      <div className={styles.circuits}>
        <Divider />
        <Led />
        <PullUp />
      </div>
    </>
  );
}

function heading(bands: string[], found: Decoded): string {
  const spread = found.tolerance_pct === null ? "" : ` ±${THIN}${found.tolerance_pct}${THIN}%`;
  const drift = found.ppm_per_k === null ? "" : `, ${figure(found.ppm_per_k, 0)}${THIN}ppm/K`;
  const name = bands.join(", ");
  return `${name.charAt(0).toUpperCase()}${name.slice(1)} is ${ohms(found.ohms)}${spread}${drift}`;
}

/** The resistor as it lies on the bench; the last band stands apart. */
function Drawn({ bands }: { bands: string[] }) {
  const last = bands.length - 1;
  const x = (place: number) => (bands.length > 3 && place === last ? 402 : 128 + place * (bands.length > 4 ? 48 : 58));
  return (
    <svg
      className={styles.drawnResistor}
      viewBox="0 0 560 132"
      role="img"
      aria-label={`A resistor: ${bands.join(", ")}`}
    >
      <line x1="0" x2="560" y1="56" y2="56" className={styles.lead} />
      <path
        d="M92 56C92 16 108 12 136 12C160 12 164 22 184 22H376C396 22 400 12 424 12C452 12 468 16 468 56C468 96 452 100 424 100C400 100 396 90 376 90H184C164 90 160 100 136 100C108 100 92 96 92 56Z"
        className={styles.body}
      />
      {bands.map((band, place) => {
        const wide = x(place) < 170 || x(place) > 390;
        return (
          // biome-ignore lint/suspicious/noArrayIndexKey: a band is known by its place
          <g key={place}>
            <rect
              x={x(place)}
              y={wide ? 13 : 22}
              width="24"
              height={wide ? 86 : 68}
              fill={BAND_COLOURS[band]}
              className={styles.band}
            />
            <text x={x(place) + 12} y="124" textAnchor="middle">
              {band}
            </text>
          </g>
        );
      })}
    </svg>
  );
}

/** A number of a small circuit, kept in the address. */
function useFields<T extends Record<string, number>>(
  prefix: string,
  usual: T,
): { given: T; set: (name: keyof T & string) => (value: number) => void } {
  const { search, put } = useAddress();
  const given = { ...usual };
  for (const name of Object.keys(usual) as (keyof T & string)[]) {
    const text = search.get(`${prefix}.${name}`);
    if (text !== null && Number.isFinite(Number(text))) given[name] = Number(text) as T[keyof T & string];
  }
  return { given, set: (name) => (value) => put({ [`${prefix}.${name}`]: String(value) }) };
}

function Circuit({
  title,
  children,
  says,
  fault,
}: {
  title: string;
  children: ReactNode;
  says: ReactNode;
  fault: string;
}) {
  return (
    <section>
      <h2>{title}</h2>
      <div className={styles.circuitFields}>{children}</div>
      {fault ? (
        <p role="alert" className="field-fault">
          {fault}
        </p>
      ) : (
        <p className={styles.circuitSays}>{says}</p>
      )}
    </section>
  );
}

function Divider() {
  const { given, set } = useFields("div", { vin_max_v: 5, limit_v: 3.3, high_level_v: 2.5 });
  const design = useQuery({
    queryKey: keys.calculation("divider-design", given),
    queryFn: () =>
      ask(
        api.POST("/api/calc/divider-design", {
          body: { ...given, series: "E24", tolerance_pct: 5, current_max_ma: 1, source_max_ohm: 10_000 },
        }),
      ),
    placeholderData: (old) => old,
  });
  const best = design.data?.pairs[0];
  return (
    <Circuit
      title="Divider"
      fault={design.isError ? design.error.message : ""}
      says={
        best && (
          <>
            <b>{ohms(best.top_ohm)}</b> over <b>{ohms(best.bottom_ohm)}</b> gives {figure(best.vout_v, 2)}
            {THIN}V, {figure(best.vout_min_v, 2)} to {figure(best.vout_max_v, 2)}
            {THIN}V with 5{THIN}% parts.
          </>
        )
      }
    >
      <NumberField label="From at most" value={given.vin_max_v} unit="V" low={0.01} onChange={set("vin_max_v")} />
      <NumberField label="Never above" value={given.limit_v} unit="V" low={0.01} onChange={set("limit_v")} />
      <NumberField label="Reads high from" value={given.high_level_v} unit="V" low={0} onChange={set("high_level_v")} />
    </Circuit>
  );
}

function Led() {
  const { given, set } = useFields("led", { supply_v: 5, forward_v: 2, current_ma: 10 });
  const led = useQuery({
    queryKey: keys.calculation("led-resistor", given),
    queryFn: () => ask(api.POST("/api/calc/led-resistor", { body: { ...given, in_series: 1, in_parallel: 1 } })),
    placeholderData: (old) => old,
  });
  const found = led.data;
  return (
    <Circuit
      title="LED"
      fault={led.isError ? led.error.message : ""}
      says={
        found && (
          <>
            <b>{ohms(found.resistor_ohm)}</b> lets {figure(found.actual_ma, 1)}
            {THIN}mA through and warms with {figure(found.power_mw, 0)}
            {THIN}mW:{" "}
            {found.rating_w === null
              ? "more than one part bears."
              : `a ${found.rating_w === 1 ? "1" : `1/${1 / found.rating_w}`}${THIN}W part will do.`}
          </>
        )
      }
    >
      <NumberField label="Supply" value={given.supply_v} unit="V" low={0.01} onChange={set("supply_v")} />
      <NumberField label="Forward" value={given.forward_v} unit="V" low={0.01} onChange={set("forward_v")} />
      <NumberField label="Current" value={given.current_ma} unit="mA" low={0.001} onChange={set("current_ma")} />
    </Circuit>
  );
}

function PullUp() {
  const { given, set } = useFields("pull", { ohms: 10_000, capacitance_pf: 100, supply_v: 5 });
  const pull = useQuery({
    queryKey: keys.calculation("pull-up", given),
    queryFn: () => ask(api.POST("/api/calc/pull-up", { body: { ...given, sink_ma_max: 20 } })),
    placeholderData: (old) => old,
  });
  const found = pull.data;
  return (
    <Circuit
      title="Pull-up"
      fault={pull.isError ? pull.error.message : ""}
      says={
        found && (
          <>
            Rises in{" "}
            <b>
              {figure(found.rise_us, plainDecimals(found.rise_us))}
              {THIN}µs
            </b>
            , so pulses up to {figure(found.max_hz / 1000, found.max_hz < 10_000 ? 1 : 0)}
            {THIN}kHz; a low level sinks {figure(found.low_ma, 2)}
            {THIN}mA. {found.warnings[0]}
          </>
        )
      }
    >
      <NumberField label="Resistor" value={given.ohms} unit="Ω" low={0.01} onChange={set("ohms")} />
      <NumberField
        label="Wire and pin"
        value={given.capacitance_pf}
        unit="pF"
        low={0.001}
        onChange={set("capacitance_pf")}
      />
      <NumberField label="Supply" value={given.supply_v} unit="V" low={0.01} onChange={set("supply_v")} />
    </Circuit>
  );
}
