import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { api, ask } from "../../api/client";
import { keys } from "../../api/keys";
import { useAddress } from "../../hooks/useAddress";
import { figure, ohms, plainDecimals, THIN } from "../../model/format";
import { NumberField } from "../../ui/NumberField";
import styles from "./circuits.module.css";

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

/** A divider that brings a level down. */
export function Divider() {
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

/** A resistor for a lamp. */
export function Led() {
  const { given, set } = useFields("led", { supply_v: 5, forward_v: 2, current_ma: 10 });
  const led = useQuery({
    queryKey: keys.calculation("led-resistor", given),
    queryFn: () => ask(api.POST("/api/calc/led-resistor", { body: { ...given, in_series: 1, in_parallel: 1 } })),
    placeholderData: (old) => old,
  });
  const result = led.data;
  return (
    <Circuit
      title="LED"
      fault={led.isError ? led.error.message : ""}
      says={
        result && (
          <>
            <b>{ohms(result.resistor_ohm)}</b> lets {figure(result.actual_ma, 1)}
            {THIN}mA through and warms with {figure(result.power_mw, 0)}
            {THIN}mW:{" "}
            {result.rating_w === null
              ? "more than one part bears."
              : `a ${result.rating_w === 1 ? "1" : `1/${1 / result.rating_w}`}${THIN}W part will do.`}
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

/** How fast a pulled-up wire rises, and what it sinks. */
export function PullUp() {
  const { given, set } = useFields("pull", { ohms: 10_000, capacitance_pf: 100, supply_v: 5 });
  const pull = useQuery({
    queryKey: keys.calculation("pull-up", given),
    queryFn: () => ask(api.POST("/api/calc/pull-up", { body: { ...given, sink_ma_max: 20 } })),
    placeholderData: (old) => old,
  });
  const result = pull.data;
  return (
    <Circuit
      title="Pull-up"
      fault={pull.isError ? pull.error.message : ""}
      says={
        result && (
          <>
            Rises in{" "}
            <b>
              {figure(result.rise_us, plainDecimals(result.rise_us))}
              {THIN}µs
            </b>
            , so pulses up to {figure(result.max_hz / 1000, result.max_hz < 10_000 ? 1 : 0)}
            {THIN}kHz; a low level sinks {figure(result.low_ma, 2)}
            {THIN}mA. {result.warnings[0]}
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
