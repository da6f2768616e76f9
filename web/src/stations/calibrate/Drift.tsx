import { useLength } from "../../hooks/settings";
import type { Procedure } from "../../hooks/useProcedure";
import { joined, moment, shown } from "../../model/format";
import { scale } from "../../model/scale";
import styles from "./Drift.module.css";

const WIDTH = 240;
const HEIGHT = 64;

/** How constants moved from one accepted calibration to the next: a small chart each. */
export function Drift({ procedure }: { procedure: Procedure }) {
  const length = useLength();
  return (
    <section className={styles.drifts} aria-label="From one calibration to the next">
      <h2>From one calibration to the next</h2>
      <ul>
        {procedure.drifts.map((drift) => {
          const spreads = drift.values.map((_, i) => drift.plus_minus[i] ?? 0);
          const low = Math.min(...drift.values.map((value, i) => value - (spreads[i] ?? 0)));
          const high = Math.max(...drift.values.map((value, i) => value + (spreads[i] ?? 0)));
          const x = scale(0, drift.values.length - 1, 12, WIDTH - 12);
          const y = scale(low, high, HEIGHT - 8, 8);
          const value = (i: number) => joined(shown(drift.values[i] ?? 0, drift.unit, drift.plus_minus[i], length));
          const last = drift.values.length - 1;
          return (
            <li key={drift.name}>
              <span>{drift.label}</span>
              <svg
                viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
                role="img"
                aria-label={`${drift.label}: ${value(0)} to ${value(last)}`}
              >
                <polyline className="fit-line" points={drift.values.map((v, i) => `${x(i)},${y(v)}`).join(" ")} />
                {drift.values.map((v, i) => (
                  <g key={drift.at[i]}>
                    <line
                      x1={x(i)}
                      x2={x(i)}
                      y1={y(v - (spreads[i] ?? 0))}
                      y2={y(v + (spreads[i] ?? 0))}
                      className="whisker"
                    />
                    <circle cx={x(i)} cy={y(v)} r="4" className="held-dot">
                      <title>{`${value(i)}, ${moment(drift.at[i] ?? "")}`}</title>
                    </circle>
                  </g>
                ))}
              </svg>
              <small>
                {value(0)} {moment(drift.at[0] ?? "")}, now {value(last)}
              </small>
            </li>
          );
        })}
      </ul>
    </section>
  );
}
