import { useNow } from "../../hooks/live";
import { usePlace } from "../../hooks/place";
import type { Decision, Picked } from "../../hooks/useDecision";
import { figure } from "../../model/format";
import styles from "./States.module.css";

interface Props {
  decision: Decision;
  rows: Extract<Decision["drawing"], { draws: "states" }>["rows"];
  picked: Picked;
  onPick: (more: Picked) => void;
}

/** Every state of the row: what it looks like, what it means, what the vehicle does then, and what is wrong with that. */
export function States({ decision, rows, picked, onPick }: Props) {
  const place = usePlace();
  const now = useNow();
  const lit = now.status === "live" ? now.sensors[place.sensor.id]?.instruments.lamps?.lit : undefined;
  const here = Array.isArray(lit) ? lit.map((on) => (on ? "1" : "0")).join("") : "";
  const known = rows.some((row) => row.pattern === here);
  return (
    <table className={styles.states}>
      <thead>
        <tr>
          <th scope="col">row</th>
          <th scope="col">means</th>
          <th scope="col">then</th>
          <th scope="col">check lamps</th>
          <th scope="col">seen</th>
        </tr>
      </thead>
      <tbody>
        {rows.map((state) => {
          const choice = decision.choices.find((choice) => choice.name === state.choice);
          const value = picked[state.choice] ?? choice?.value ?? 0;
          const live = here !== "" && (state.pattern === here || (state.pattern === "broken" && !known));
          return (
            <tr key={state.pattern} className={live ? styles.stateNow : undefined}>
              <td>
                <Dots pattern={state.pattern} />
                {live && <small> now</small>}
              </td>
              <td>
                {state.words}
                {state.flags.map((flag) => (
                  <small key={flag.text} className={flag.wrong ? styles.flagBad : styles.flagOdd}>
                    {flag.wrong ? "✕ " : ""}
                    {flag.text}
                  </small>
                ))}
              </td>
              <td>
                <select
                  aria-label={`Then, at ${state.pattern}`}
                  value={value}
                  onChange={(event) => onPick({ [state.choice]: Number(event.target.value) })}
                >
                  {choice?.options.map((option, i) => (
                    <option key={option} value={i}>
                      {option}
                    </option>
                  ))}
                </select>
              </td>
              <td>
                <Lamps lit={state.lamps} />
              </td>
              <td className={styles.stateSeen}>{state.seen ? figure(state.seen, 0) : "–"}</td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

function Dots({ pattern }: { pattern: string }) {
  if (pattern === "broken") return <span className={styles.stateWord}>broken</span>;
  return (
    <svg width={pattern.length * 16} height="16" role="img" aria-label={pattern}>
      {[...pattern].map((dot, i) => (
        <rect
          // biome-ignore lint/suspicious/noArrayIndexKey: sensors never move
          key={i}
          x={i * 16 + 1}
          y="2"
          width="12"
          height="12"
          className={dot === "1" ? styles.stateDark : styles.statePale}
        />
      ))}
    </svg>
  );
}

function Lamps({ lit }: { lit: boolean[] }) {
  return (
    <svg
      width="66"
      height="18"
      role="img"
      aria-label={`left, middle, right: ${lit.map((on) => (on ? "on" : "off")).join(", ")}`}
    >
      {lit.map((on, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: lamps never move
        <rect key={i} x={i * 22 + 1} y="2" width="18" height="14" className={on ? "lamp lit" : "lamp"} />
      ))}
    </svg>
  );
}
