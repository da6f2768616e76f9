import type { Schemas } from "../../api/client";
import { useSettings } from "../../hooks/settings";
import type { Worked } from "../../hooks/useWorked";
import { decimalsFor, figure, plainDecimals, THIN } from "../../model/format";
import { into, spreadInto } from "../../model/units";
import { intervalOf, readFigure, resultDecimals, resultInto } from "../../model/worked";
import { Glyph } from "../../ui/Glyph";
import styles from "./WorkedLine.module.css";

type Term = Schemas["TermModel"];

/** The figure of a term: as read for a raw number, else with digits that follow its ±. */
function useTermText(worked: Worked) {
  const units = useSettings();
  return (term: Term): { text: string; unit: string } => {
    const asked = worked.asks.find((ask) => ask.name === term.name);
    if (term.value === null) return { text: "—", unit: "" };
    if (asked) {
      const choice = asked.choices[term.value];
      return choice ? { text: choice, unit: "" } : { text: readFigure(asked, term.value), unit: asked.unit };
    }
    const way = into(term.unit, "", units);
    const decimals = decimalsFor(spreadInto(term.value, term.plus_minus, way), plainDecimals(way.to(term.value)));
    return { text: figure(way.to(term.value), decimals), unit: way.unit };
  };
}

/** The arithmetic as a chain with these numbers, the result with its ± at the end. */
export function WorkedLine({ worked }: { worked: Worked }) {
  const units = useSettings();
  const textOf = useTermText(worked);
  const way = resultInto(worked, units);
  const ends = intervalOf(worked, units);
  const decimals = resultDecimals(worked, units);
  return (
    <div className={styles.worked}>
      {worked.terms.map((term) => {
        const { text, unit } = textOf(term);
        return (
          <div className={styles.workedStep} key={term.name}>
            {term.sign && <Sign>{term.sign}</Sign>}
            <div className={styles.term}>
              <span className={styles.termLabel}>
                <Glyph of={term.provenance} /> {term.label}
              </span>
              <span className={styles.termValue}>
                <b>{text}</b>
                {unit === "°" ? unit : ` ${unit}`}
              </span>
            </div>
          </div>
        );
      })}
      <div className={styles.workedStep}>
        <Sign>{closing(worked.terms)}</Sign>
        <div className={`${styles.term} ${styles.result}`}>
          <span className={styles.termLabel}>
            <Glyph of="derived" /> {worked.quantity}
          </span>
          <span className={styles.termValue}>
            <b>{worked.value === null ? "—" : figure(way.to(worked.value), decimals)}</b>
            {worked.value !== null && (way.unit === "°" ? way.unit : ` ${way.unit}`)}
            {ends && ends.high > ends.low && (
              <span className={styles.resultSpread}>
                {ends.even === null
                  ? `${figure(ends.low, decimals)} to ${figure(ends.high, decimals)}`
                  : `±${THIN}${figure(ends.even, decimals)}`}
              </span>
            )}
          </span>
        </div>
      </div>
    </div>
  );
}

/** A bracket that the terms opened and did not close is closed before the result. */
function closing(terms: Term[]): string {
  const signs = terms.map((term) => term.sign).join("");
  return signs.split("(").length > signs.split(")").length ? ") =" : "=";
}

function Sign({ children }: { children: string }) {
  return (
    <span className={`${styles.sign}${children.length > 1 ? ` ${styles.signWide}` : ""}`} aria-hidden="true">
      {children}
    </span>
  );
}

/** The lines of arithmetic that lead up to the main one. */
export function Chains({ worked }: { worked: Worked }) {
  const textOf = useTermText(worked);
  if (worked.chains.length === 0) return null;
  const lines = (
    <ol className={styles.chains}>
      {worked.chains.map((chain) => (
        <li key={chain.terms[0]?.name ?? chain.result.label}>
          {[...chain.terms, { ...chain.result, sign: chain.result.sign || "=" }].map((term, at, all) => {
            const { text, unit } = textOf(term);
            const last = at === all.length - 1;
            return (
              // biome-ignore lint/suspicious/noArrayIndexKey: the terms of a line keep their order
              <span key={at} className={last ? styles.chainResult : undefined} title={term.label}>
                {term.sign && <i>{term.sign}</i>} <Glyph of={term.provenance} />
                {THIN}
                {text}
                {unit && (unit === "°" ? unit : `${THIN}${unit}`)}
                {last && <small> {term.label}</small>}
              </span>
            );
          })}
        </li>
      ))}
    </ol>
  );
  if (worked.chains.length < 3) return lines;
  return (
    <details className={styles.chainsFolded}>
      <summary>How each of them is worked</summary>
      {lines}
    </details>
  );
}
