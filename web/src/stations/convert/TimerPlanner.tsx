import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { Form } from "react-bootstrap";
import { api, ask } from "../../api/client";
import { keys } from "../../api/keys";
import { useAddress } from "../../hooks/useAddress";
import { few, THIN } from "../../model/format";
import { NumberField } from "../../ui/NumberField";
import switches from "../../ui/switches.module.css";
import table from "../../ui/table.module.css";
import { Head, Say } from "./Head";
import { type Plan, PlanChart } from "./PlanChart";
import styles from "./TimerPlanner.module.css";

const PRESCALERS = [1, 8, 64, 256, 1024];
const POINTS = 60;

/** Which prescaler and method time a shaft best: error against rpm for each. */
export function TimerPlanner({ first }: { first: ReactNode }) {
  const { search, put } = useAddress();
  const number = (name: string, usual: number) => {
    const value = Number(search.get(name) ?? usual);
    return Number.isFinite(value) ? value : usual;
  };
  const bits = number("bits", 16);
  const given = {
    clock_hz: number("clock", 16e6),
    bits,
    pulses_per_turn: number("pulses", 1),
    gate_s: number("gate", 1),
    rpm_min: number("slow", 60),
    rpm_max: number("fast", 20_000),
    prescalers: PRESCALERS.filter((divisor) => !(search.get("without") ?? "").split(",").includes(String(divisor))),
  };
  const plan = useQuery({
    queryKey: keys.calculation("timer-plan", given),
    queryFn: () => ask(api.POST("/api/calc/timer-plan", { body: { ...given, curve_points: POINTS } })),
    placeholderData: (old) => old,
  });
  const result = plan.isError ? undefined : plan.data;
  const set = (name: string) => (value: number) => put({ [name]: String(value) });
  const toggle = (prescaler: number) => {
    const left = PRESCALERS.filter((divisor) => given.prescalers.includes(divisor) === (divisor !== prescaler));
    put({ without: PRESCALERS.filter((divisor) => !left.includes(divisor)).join(",") || null });
  };
  return (
    <>
      <Head
        verdict={plan.isError ? plan.error.message : result ? heading(result, given.gate_s) : "Planning"}
        first={first}
        next={
          <Say>
            {result
              ? advice(result, given.rpm_min)
              : plan.isError
                ? "change what is named, and the curves come back."
                : "a moment."}
          </Say>
        }
      />
      {result && <PlanChart plan={result} slow={given.rpm_min} fast={given.rpm_max} gate={given.gate_s} />}
      <div className={styles.plannerInputs}>
        <NumberField
          label="Clock"
          value={given.clock_hz / 1e6}
          unit="MHz"
          low={0.001}
          high={1000}
          onChange={(mhz) => set("clock")(mhz * 1e6)}
        />
        <NumberField
          label="Counter"
          value={bits}
          unit="bits"
          low={1}
          high={64}
          onChange={(value) => set("bits")(Math.round(value))}
        />
        <NumberField
          label="Pulses per turn"
          value={given.pulses_per_turn}
          unit=""
          low={0.001}
          onChange={set("pulses")}
        />
        <NumberField label="Counts for" value={given.gate_s} unit="s" low={0.0001} high={3600} onChange={set("gate")} />
        <NumberField label="Slowest" value={given.rpm_min} unit="rpm" low={0.001} onChange={set("slow")} />
        <NumberField label="Fastest" value={given.rpm_max} unit="rpm" low={0.001} onChange={set("fast")} />
        <fieldset className={`${styles.prescalers} ${switches.switches}`}>
          <legend>Prescalers</legend>
          {PRESCALERS.map((divisor) => (
            <Form.Check
              key={divisor}
              inline
              type="checkbox"
              id={`prescaler-${divisor}`}
              label={`÷${THIN}${divisor}`}
              checked={given.prescalers.includes(divisor)}
              onChange={() => toggle(divisor)}
            />
          ))}
        </fieldset>
      </div>
      {result && <PlanTable plan={result} />}
    </>
  );
}

function heading(plan: Plan, gate: number): string {
  const worst = Math.max(plan.error_pct_low, plan.error_pct_high);
  const how =
    plan.method === "period" ? `Time each turn with ÷${THIN}${plan.prescaler}` : `Count for ${few(gate)}${THIN}s`;
  return `${how}: at worst ${few(Number(worst.toPrecision(2)))}${THIN}% off`;
}

function advice(plan: Plan, slowest: number): string {
  const names = plan.rejected.map((plan) => `÷${THIN}${plan.prescaler}`);
  const last = names.pop();
  if (!last) return "set this prescaler in the program, and say “slow” where its curve ends.";
  const list = names.length ? `${names.join(", ")} and ${last} overflow` : `${last} overflows`;
  return `set this prescaler in the program. ${list} before ${few(slowest)}${THIN}rpm: say “slow” there, not a number.`;
}

function PlanTable({ plan }: { plan: Plan }) {
  return (
    <details>
      <summary>The same in figures</summary>
      <div className={table.tableScroll}>
        <table className={table.schedule}>
          <thead>
            <tr>
              <th scope="col">Method</th>
              <th scope="col">says “slow” below</th>
              <th scope="col">at the slowest</th>
              <th scope="col">at the fastest</th>
              <th scope="col">as good as counting at</th>
            </tr>
          </thead>
          <tbody>
            {plan.curves.map((curve) => (
              <tr key={curve.prescaler ?? "gate"}>
                <th scope="row">
                  {curve.prescaler === null ? "counting over the window" : `timing, ÷${THIN}${curve.prescaler}`}
                </th>
                <td>
                  {few(curve.slow_rpm)}
                  {THIN}rpm
                </td>
                <td>{curve.error_pct[0] === undefined ? "—" : `${few(curve.error_pct[0])}${THIN}%`}</td>
                <td>
                  {curve.error_pct.length ? `${few(curve.error_pct[curve.error_pct.length - 1] ?? 0)}${THIN}%` : "—"}
                </td>
                <td>{curve.crossover_rpm === null ? "" : `${few(curve.crossover_rpm)}${THIN}rpm`}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </details>
  );
}
