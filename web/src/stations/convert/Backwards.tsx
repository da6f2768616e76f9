import { useState } from "react";
import { useSettings } from "../../hooks/settings";
import { type Subject, useSolved, type Worked } from "../../hooks/useWorked";
import { askedText, resultInto } from "../../model/worked";
import { NumberField } from "../../ui/NumberField";
import styles from "./Backwards.module.css";

/** The inverse question: what would it read? */
export function Backwards({ worked, subject }: { worked: Worked; subject: Subject }) {
  const units = useSettings();
  const span = worked.inverse;
  const [wanted, setWanted] = useState<number | null>(null);
  const asked = wanted ?? span?.typical ?? null;
  const solved = useSolved(subject, span ? asked : null);
  if (!span || asked === null) return null;
  return (
    <section>
      <h2>Ask backwards</h2>
      <div className={styles.inverse}>
        <NumberField
          label={`Wanted ${worked.quantity}`}
          hideLabel
          value={asked}
          unit={worked.unit}
          into={resultInto(worked, units)}
          low={span.low}
          high={span.high}
          onChange={setWanted}
        />
        <span>
          would read{" "}
          {solved.data?.asks.map((ask, at) => (
            <span key={ask.name}>
              {at > 0 && " · "}
              {solved.data.asks.length > 1 && <small>{ask.label} </small>}
              <b>{askedText({ ...ask, value: Number(ask.value.toPrecision(6)) }, units)}</b>
            </span>
          ))}
        </span>
      </div>
      {solved.isError && <p role="alert">{solved.error.message}</p>}
    </section>
  );
}
