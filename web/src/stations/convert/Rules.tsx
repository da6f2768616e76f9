import { useSettings } from "../../hooks/settings";
import type { Worked } from "../../hooks/useWorked";
import { figure, plainDecimals, THIN } from "../../model/format";
import { niceStep, scale, stepDecimals } from "../../model/scale";
import { intervalOf, resultInto } from "../../model/worked";
import { Ruler } from "../../ui/Ruler";
import table from "../../ui/table.module.css";
import styles from "./Rules.module.css";

const WIDTH = 860;
const TOP = 20;

interface Flag {
  name: string;
  at: number;
  row: number;
  left: boolean;
}

/** Flags on a ruler, each in the first row where its label does not touch another; labels turn away from our own result,
 * and from the ends. */
function placed(flags: { name: string; at: number }[], ours: number, x: (value: number) => number): Flag[] {
  const taken: [number, number][][] = [];
  return [...flags]
    .sort((a, b) => a.at - b.at)
    .map((flag) => {
      const width = flag.name.length * 8.4 + 22;
      const left = flag.at < ours ? x(flag.at) - width > 0 : x(flag.at) + width > WIDTH;
      const span: [number, number] = left
        ? [x(flag.at) - width, x(flag.at) + 10]
        : [x(flag.at) - 10, x(flag.at) + width];
      let row = taken.findIndex((spans) => spans.every(([from, to]) => span[1] < from || span[0] > to));
      if (row < 0) row = taken.length;
      taken[row] = [...(taken[row] ?? []), span];
      return { ...flag, row, left };
    });
}

/** Rules of thumb on the same ruler as this result. */
export function Rules({ worked, ours: name }: { worked: Worked; ours: string }) {
  const units = useSettings();
  if (worked.value === null || worked.rules.length === 0) return null;
  const way = resultInto(worked, units);
  const ours = way.to(worked.value);
  const ends = intervalOf(worked, units) ?? { low: ours, high: ours };
  const beyond = 0.1 * (ends.high - ends.low);
  const rules = worked.rules.flatMap((rule) => (rule.value === null ? [] : [{ ...rule, at: way.to(rule.value) }]));
  const all = [ours, ends.low - beyond, ends.high + beyond, ...rules.map((rule) => rule.at)];
  const margin = (Math.max(...all) - Math.min(...all)) * 0.08 || Math.abs(ours) * 0.1 || 1;
  const [low, high] = [Math.min(...all) - margin, Math.max(...all) + margin];
  const x = scale(low, high, 0, WIDTH);
  const flags = placed(rules, ours, x);
  const base = TOP + 44 + Math.max(0, ...flags.map((flag) => flag.row)) * 24;
  const decimals = Math.max(plainDecimals(ours), stepDecimals(niceStep(high - low, 8)));
  const text = (value: number) => `${figure(value, Math.min(decimals, 3))}${way.unit === "°" ? "" : THIN}${way.unit}`;
  const nameLeft = x(ours) > WIDTH - 110;
  return (
    <section>
      <h2>What the rules of thumb would have said</h2>
      <svg
        className={styles.rules}
        viewBox={`0 0 ${WIDTH} ${base + 44}`}
        role="img"
        aria-label="Rules of thumb on a ruler"
      >
        <rect x={x(ends.low)} width={x(ends.high) - x(ends.low)} y={base - 40} height="40" className="wash" />
        <line x1={x(ours)} x2={x(ours)} y1={TOP - 14} y2={base} className="ours" />
        <text
          x={x(ours) + (nameLeft ? -8 : 8)}
          y={TOP - 4}
          textAnchor={nameLeft ? "end" : "start"}
          className="ours-text"
        >
          {name}
        </text>
        {flags.map((flag) => {
          const y = base - 22 - flag.row * 24;
          return (
            <g key={flag.name}>
              <line x1={x(flag.at)} x2={x(flag.at)} y1={y} y2={base} className="flag" />
              <circle cx={x(flag.at)} cy={y} r="5" className="flag-ring" />
              <text
                x={x(flag.at) + (flag.left ? -9 : 9)}
                y={y + 5}
                textAnchor={flag.left ? "end" : "start"}
                className={styles.flagText}
              >
                {flag.name}
              </text>
            </g>
          );
        })}
        <Ruler low={low} high={high} from={0} to={WIDTH} y={base} />
      </svg>
      <details>
        <summary>How far off each is</summary>
        <table className={table.schedule}>
          <thead>
            <tr>
              <th scope="col">Rule</th>
              <th scope="col">says</th>
              <th scope="col">off by</th>
              {rules.some((rule) => rule.exact) && <th scope="col">exact at</th>}
            </tr>
          </thead>
          <tbody>
            {rules.map((rule) => (
              <tr key={rule.name}>
                <th scope="row">{rule.name}</th>
                <td>{text(rule.at)}</td>
                <td>{text(rule.at - ours)}</td>
                {rules.some((other) => other.exact) && <td>{rule.exact || "no air temperature"}</td>}
              </tr>
            ))}
          </tbody>
        </table>
      </details>
    </section>
  );
}
