import { useRef } from "react";
import { api, ask, type Constant } from "../../api/client";
import { useAct } from "../../hooks/act";
import { usePlace } from "../../hooks/place";
import { useLength } from "../../hooks/settings";
import type { Decision } from "../../hooks/useDecision";
import { type Into, lengthInto } from "../../model/units";
import { Glyph } from "../../ui/Glyph";
import { NumberField } from "../../ui/NumberField";
import styles from "./Inputs.module.css";

/** The constants that a decision is worked from, to be set beside it. */
export function Inputs({ decision }: { decision: Decision }) {
  const place = usePlace();
  const act = useAct();
  const length = useLength();
  const set = (constant: Constant, value: number) =>
    act.attempt(
      ask(
        api.PUT("/api/rigs/{slug}/sensors/{sensor}/constants/{name}", {
          params: { path: { slug: place.rig.slug, sensor: place.sensor.id, name: constant.name } },
          body: { value, plus_minus: null, note: "" },
        }),
      ),
    );
  return (
    <section>
      <h2>From these</h2>
      <ul className={styles.inputs}>
        {decision.inputs.map((input) => (
          <li key={input.name}>
            <Glyph of={input.provenance} />
            <Settled
              constant={input}
              into={input.unit === "mm" ? lengthInto(length) : undefined}
              onSet={(value) => void set(input, value)}
            />
          </li>
        ))}
      </ul>
    </section>
  );
}

/** A constant that is typed and set a moment after the typing has stopped. */
function Settled({ constant, into, onSet }: { constant: Constant; into?: Into; onSet: (value: number) => void }) {
  const timer = useRef<ReturnType<typeof setTimeout> | null>(null);
  const later = (value: number) => {
    if (timer.current) clearTimeout(timer.current);
    if (value !== constant.value) timer.current = setTimeout(() => onSet(value), 600);
  };
  return (
    <span title={`${constant.provenance}: ${constant.source}`}>
      <NumberField
        label={constant.label}
        value={constant.value}
        unit={constant.unit}
        into={into}
        low={constant.low ?? undefined}
        high={constant.high ?? undefined}
        onChange={later}
      />
    </span>
  );
}
