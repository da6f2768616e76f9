import { useRef } from "react";
import type { Constant } from "../../api/client";
import { useLength } from "../../hooks/settings";
import type { Decision } from "../../hooks/useDecision";
import { useSetConstant } from "../../hooks/useSetConstant";
import { type Into, lengthInto } from "../../model/units";
import { Glyph } from "../../ui/Glyph";
import { NumberField } from "../../ui/NumberField";
import styles from "./Inputs.module.css";

/** The constants that a decision is worked from, to be set beside it. */
export function Inputs({ decision }: { decision: Decision }) {
  const length = useLength();
  const set = useSetConstant();
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
              onSet={(value) => void set(input.name, value)}
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
