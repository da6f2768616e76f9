import { useSettings } from "../../hooks/settings";
import type { Subject, Worked } from "../../hooks/useWorked";
import { figure, THIN } from "../../model/format";
import { verdict } from "../../model/worked";
import { Backwards } from "./Backwards";
import { Rules } from "./Rules";
import { Shares } from "./Shares";
import shared from "./shared.module.css";
import { Chains, WorkedLine } from "./WorkedLine";
import styles from "./WorkedView.module.css";

/** Everything under the raw numbers: the worked line, its ±, further results, rules of thumb, the inverse question. */
export function WorkedView({ worked, subject, ours }: { worked: Worked; subject: Subject; ours: string }) {
  const units = useSettings();
  const heading = verdict(worked, units);
  const inWords = worked.said.replace(/\.$/, "") === heading ? "" : worked.said;
  return (
    <>
      <Chains worked={worked} />
      <WorkedLine worked={worked} />
      {inWords && <p className={styles.inWords}>{inWords}</p>}
      {[
        ...worked.warnings,
        ...(worked.reason && worked.value !== null && !heading.includes(worked.reason)
          ? [sentence(worked.reason)]
          : []),
      ].map((warning) => (
        <p key={warning} className="stale">
          {warning}
        </p>
      ))}
      <More worked={worked} />
      <Shares worked={worked} />
      <Rules worked={worked} ours={ours} />
      <div className={styles.convertFoot}>
        <Backwards key={worked.kind} worked={worked} subject={subject} />
        {(worked.moves.length > 0 || worked.cautions.length > 0) && (
          <section>
            {worked.moves.length > 0 && <h2>Move it</h2>}
            {worked.moves.map((move) => (
              <p key={move}>{move}</p>
            ))}
            {worked.cautions.map((caution) => (
              <p key={caution} className="caution">
                {caution}
              </p>
            ))}
          </section>
        )}
      </div>
    </>
  );
}

function sentence(text: string): string {
  return `${text.charAt(0).toUpperCase()}${text.slice(1)}.`;
}

/** Further results of the same reading. */
function More({ worked }: { worked: Worked }) {
  if (worked.more.length === 0) return null;
  return (
    <dl className={shared.more}>
      {worked.more.map((series) => (
        <div key={series.name}>
          <dt>{series.label}</dt>
          <dd>
            {series.value === null ? "—" : figure(series.value, series.digits)}
            {series.value !== null && series.unit !== "°" && THIN}
            {series.value !== null && series.unit}
          </dd>
        </div>
      ))}
    </dl>
  );
}
