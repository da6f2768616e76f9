import type { ReactNode } from "react";
import type { Constant } from "../../api/client";
import { useSettings } from "../../hooks/settings";
import { numbersIn, useAddress } from "../../hooks/useAddress";
import { useWorked } from "../../hooks/useWorked";
import { into } from "../../model/units";
import { verdict } from "../../model/worked";
import { Glyph } from "../../ui/Glyph";
import { NumberField } from "../../ui/NumberField";
import { Asks } from "./Asks";
import { Head, Say } from "./Head";
import styles from "./LoosePart.module.css";
import { WorkedView } from "./WorkedView";

/** A part on no rig: its usual constants, any of which can be typed here. */
export function LoosePart({ part, first }: { part: string; first: ReactNode }) {
  const units = useSettings();
  const { search, put } = useAddress();
  const subject = { part, constants: numbersIn(search, "c.") };
  const asked = numbersIn(search, "r.");
  const worked = useWorked(subject, asked);
  const result = worked.data?.kind === part ? worked.data : undefined;
  const heading = result ? verdict(result, units) : worked.isError ? worked.error.message : "Looking it up";
  return (
    <>
      <Head
        verdict={heading}
        first={first}
        next={
          <Say>type or drag a raw number; hollow rings are usual values that nobody has measured on your part.</Say>
        }
      />
      {result && (
        <>
          <Asks asks={result.asks} set={asked} onTake={(name, value) => put({ [`r.${name}`]: String(value) })} />
          {worked.isError && <p role="alert">{worked.error.message}</p>}
          <WorkedView worked={result} subject={subject} ours="this part" />
          <Constants
            constants={result.constants.filter((constant) => constant.low !== null)}
            onType={(name, value) => put({ [`c.${name}`]: String(value) })}
          />
        </>
      )}
    </>
  );
}

function Constants({ constants, onType }: { constants: Constant[]; onType: (name: string, value: number) => void }) {
  const mine = constants.filter((constant) => constant.shown_at.includes("convert") || constant.station === "convert");
  const rest = constants.filter((constant) => !mine.includes(constant));
  return (
    <section className={styles.partConstants}>
      <h2>This part’s numbers</h2>
      <Fields constants={mine} onType={onType} />
      {rest.length > 0 && (
        <details>
          <summary>{rest.length} more</summary>
          <Fields constants={rest} onType={onType} />
        </details>
      )}
    </section>
  );
}

function Fields({ constants, onType }: { constants: Constant[]; onType: (name: string, value: number) => void }) {
  const units = useSettings();
  return (
    <ul>
      {constants.map((constant) => (
        <li key={constant.name} title={`${constant.provenance}: ${constant.source}`}>
          <Glyph of={constant.provenance} />
          <NumberField
            label={constant.label}
            value={constant.value}
            unit={constant.unit}
            into={constant.unit === "mm" ? into("mm", "", units) : undefined}
            low={constant.low ?? undefined}
            high={constant.high ?? undefined}
            onChange={(value) => onType(constant.name, value)}
          />
        </li>
      ))}
    </ul>
  );
}
