import { useLength } from "../../hooks/settings";
import type { Procedure } from "../../hooks/useProcedure";
import { joined, moment, shown } from "../../model/format";
import { scale } from "../../model/scale";
import styles from "./Drift.module.css";

const WIDTH = 240;
const HEIGHT = 64;

/** How constants moved from one accepted calibration to the next: a small chart each. */
export function Drift({ found }: { found: Procedure }) {
  const length = useLength();
  return (
    <section className={styles.drifts} aria-label="From one calibration to the next">
      <h2>From one calibration to the next</h2>
      <ul>
        {found.drifts.map((one) => {
          const spreads = one.values.map((_, i) => one.plus_minus[i] ?? 0);
          const low = Math.min(...one.values.map((value, i) => value - (spreads[i] ?? 0)));
          const high = Math.max(...one.values.map((value, i) => value + (spreads[i] ?? 0)));
          const x = scale(0, one.values.length - 1, 12, WIDTH - 12);
          const y = scale(low, high, HEIGHT - 8, 8);
          const value = (i: number) => joined(shown(one.values[i] ?? 0, one.unit, one.plus_minus[i], length));
          const last = one.values.length - 1;
          return (
            <li key={one.name}>
              <span>{one.label}</span>
              <svg
                viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
                role="img"
                aria-label={`${one.label}: ${value(0)} to ${value(last)}`}
              >
                <polyline className="fit-line" points={one.values.map((v, i) => `${x(i)},${y(v)}`).join(" ")} />
                {one.values.map((v, i) => (
                  <g key={one.at[i]}>
                    <line
                      x1={x(i)}
                      x2={x(i)}
                      y1={y(v - (spreads[i] ?? 0))}
                      y2={y(v + (spreads[i] ?? 0))}
                      className="whisker"
                    />
                    <circle cx={x(i)} cy={y(v)} r="4" className="held-dot">
                      <title>{`${value(i)}, ${moment(one.at[i] ?? "")}`}</title>
                    </circle>
                  </g>
                ))}
              </svg>
              <small>
                {value(0)} {moment(one.at[0] ?? "")}, now {value(last)}
              </small>
            </li>
          );
        })}
      </ul>
    </section>
  );
}
