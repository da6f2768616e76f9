import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { api, ask, type Schemas } from "../../api/client";
import { keys } from "../../api/keys";
import { useAddress } from "../../hooks/useAddress";
import { decimalsFor, figure, THIN, typed } from "../../model/format";
import { scale } from "../../model/scale";
import { Ruler } from "../../ui/Ruler";
import table from "../../ui/table.module.css";
import { Head, Say } from "./Head";
import styles from "./SecondOpinion.module.css";

type Opinion = Schemas["SecondOpinionResult"];

interface Row {
  label: string;
  value: string;
  spread: string; // 95 %
}

/** Heron's hub motor on the stand, its magnet counted on both edges by one program. */
const SHAFT: Row[] = [
  { label: "wheel, falling edges", value: "412", spread: "3" },
  { label: "wheel, on change", value: "826", spread: "6" },
  { label: "motor Halls", value: "414", spread: "2" },
];
const EMPTY: Row = { label: "", value: "", spread: "" };

function rowsIn(text: string | null): Row[] {
  try {
    const rows = JSON.parse(text ?? "[]") as unknown;
    if (!Array.isArray(rows)) return [];
    return rows.slice(0, 24).map((row: unknown) => {
      const [label = "", value = "", spread = ""] = Array.isArray(row) ? row.map(String) : [];
      return { label, value, spread };
    });
  } catch {
    return [];
  }
}

/** Several instruments say different things of one quantity: which agree, and what betrays the others. */
export function SecondOpinion({ first }: { first: ReactNode }) {
  const { search, put } = useAddress();
  const unit = search.get("unit") ?? "rpm";
  const rows = rowsIn(search.get("say"));
  const shown = rows.length ? rows : [EMPTY, EMPTY];
  const keep = (next: Row[]) =>
    put({ say: next.length ? JSON.stringify(next.map((row) => [row.label, row.value, row.spread])) : null });
  const complete = shown.flatMap((row, at) => {
    const [value, spread] = [typed(row.value), typed(row.spread)];
    return value === null || spread === null || spread <= 0
      ? []
      : [{ label: row.label || `reading ${at + 1}`, value, uncertainty: spread / 2 }];
  });
  const opinion = useQuery({
    queryKey: keys.calculation("second-opinion", complete),
    enabled: complete.length > 1,
    queryFn: () => ask(api.POST("/api/calc/second-opinion", { body: { readings: complete } })),
    placeholderData: (old) => old,
  });
  const result = complete.length > 1 && !opinion.isError ? opinion.data : undefined;
  return (
    <>
      <Head
        verdict={
          opinion.isError
            ? opinion.error.message
            : result
              ? heading(result, complete.length, unit)
              : "Which instrument is right?"
        }
        first={first}
        next={
          result ? (
            <Say>{advice(result)}</Say>
          ) : (
            <Say>type what two or more instruments say of the same thing, each with its ±.</Say>
          )
        }
      />
      {result && <Intervals readings={complete} opinion={result} unit={unit} />}
      <Readings rows={shown} unit={unit} onRows={keep} onUnit={(text) => put({ unit: text || null })} />
    </>
  );
}

function heading(result: Opinion, all: number, unit: string): string {
  if (result.consensus === null || result.uncertainty === null) return "No two of them agree";
  const spread = 2 * result.uncertainty;
  const decimals = decimalsFor(spread, 1);
  const who = result.members.length === all ? `All ${all} agree` : `${result.members.length} of ${all} agree`;
  return `${who}: ${figure(result.consensus, decimals)} ±${THIN}${figure(spread, decimals)}${THIN}${unit}`;
}

function advice(result: Opinion): string {
  const [odd] = result.outliers;
  if (!odd) return "nothing is odd here; trust the group.";
  const named = result.outliers.find((outlier) => outlier.causes.length > 0 && outlier.ratio !== 1);
  if (!named) return `look at the ${odd.label} again: no common cause explains it.`;
  return `the ${named.label} says ${named.ratio === null ? "" : figure(named.ratio, 2)} times the others. Look for ${named.causes[0]}.`;
}

const WIDTH = 860;
const ROW = 50;
const NAMES = 190;

/** Every instrument as an interval on one axis; the group's mean as a band through all of them. */
function Intervals({
  readings,
  opinion,
  unit,
}: {
  readings: { label: string; value: number; uncertainty: number }[];
  opinion: Opinion;
  unit: string;
}) {
  const ends = readings.flatMap((reading) => [
    reading.value - 2 * reading.uncertainty,
    reading.value + 2 * reading.uncertainty,
  ]);
  const margin = (Math.max(...ends) - Math.min(...ends)) * 0.06;
  const [low, high] = [Math.min(...ends) - margin, Math.max(...ends) + margin];
  const x = scale(low, high, NAMES, WIDTH - 10);
  const base = readings.length * ROW + 12;
  const spread = opinion.uncertainty === null ? 0 : 2 * opinion.uncertainty;
  return (
    <figure className={styles.opinion}>
      <svg viewBox={`0 0 ${WIDTH} ${base + 46}`} role="img" aria-label="Instruments as intervals on one axis">
        {opinion.consensus !== null && (
          <>
            <rect
              x={x(opinion.consensus - spread)}
              width={Math.max(3, x(opinion.consensus + spread) - x(opinion.consensus - spread))}
              y="0"
              height={base}
              className="wash"
            />
            <line x1={x(opinion.consensus)} x2={x(opinion.consensus)} y1="0" y2={base} className="ours" />
          </>
        )}
        {readings.map((reading, at) => {
          const odd = opinion.outliers.find((other) => other.label === reading.label);
          const y = at * ROW + 20;
          const [from, to] = [x(reading.value - 2 * reading.uncertainty), x(reading.value + 2 * reading.uncertainty)];
          const right = x(reading.value) < (NAMES + WIDTH) / 2;
          return (
            <g key={reading.label} className={odd ? styles.outlier : styles.member}>
              <text x="0" y={y + 5} className="strong">
                {reading.label.length > 22 ? `${reading.label.slice(0, 21)}…` : reading.label}
              </text>
              <line x1={from} x2={to} y1={y} y2={y} className={styles.interval} />
              <line x1={from} x2={from} y1={y - 7} y2={y + 7} className={styles.interval} />
              <line x1={to} x2={to} y1={y - 7} y2={y + 7} className={styles.interval} />
              {odd ? (
                <path d={`M${x(reading.value) - 6} ${y - 6}l12 12m0-12-12 12`} className={styles.interval} />
              ) : (
                <circle cx={x(reading.value)} cy={y} r="6" />
              )}
              {odd && (
                <text x={right ? to + 12 : from - 12} y={y - 4} textAnchor={right ? "start" : "end"}>
                  {odd.ratio === null ? "" : `${figure(odd.ratio, 3)} ×`}
                </text>
              )}
              {odd && (
                <text x={right ? to + 12 : from - 12} y={y + 15} textAnchor={right ? "start" : "end"} className="small">
                  {odd.causes[0] ?? (odd.ratio === 1 ? "the surest by its own word" : "no common cause")}
                </text>
              )}
            </g>
          );
        })}
        <Ruler low={low} high={high} from={NAMES} to={WIDTH - 10} y={base} />
        <text x={0} y={base + 36} className="small">
          {unit}
        </text>
      </svg>
      {opinion.outliers.some((outlier) => outlier.causes.length > 1) && (
        <details>
          <summary>Everything a ratio could betray</summary>
          <ul className="ticks">
            {opinion.outliers.map((outlier) => (
              <li key={outlier.label}>
                <b>{outlier.label}</b>: {outlier.causes.join("; ") || "no common cause"}
              </li>
            ))}
          </ul>
        </details>
      )}
    </figure>
  );
}

function Readings({
  rows,
  unit,
  onRows,
  onUnit,
}: {
  rows: Row[];
  unit: string;
  onRows: (rows: Row[]) => void;
  onUnit: (unit: string) => void;
}) {
  const change = (at: number, change: Partial<Row>) =>
    onRows(rows.map((row, i) => (i === at ? { ...row, ...change } : row)));
  return (
    <section className={styles.readings}>
      <div className={table.tableScroll}>
        <table className={table.schedule}>
          <thead>
            <tr>
              <th scope="col">Instrument</th>
              <th scope="col">says</th>
              <th scope="col">± (95{THIN}%)</th>
              <th scope="col">
                <span className="visually-hidden">Remove</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {rows.map((row, at) => (
              <Reading
                // biome-ignore lint/suspicious/noArrayIndexKey: rows are known by their place
                key={at}
                place={at + 1}
                row={row}
                onChange={(changed) => change(at, changed)}
                onRemove={() => onRows(rows.filter((_, i) => i !== at))}
              />
            ))}
          </tbody>
        </table>
      </div>
      <p className={styles.readingActs}>
        <button type="button" className="act" disabled={rows.length >= 24} onClick={() => onRows([...rows, EMPTY])}>
          One more instrument
        </button>
        <label>
          all in{" "}
          <input
            className={styles.unitName}
            value={unit}
            maxLength={8}
            onChange={(event) => onUnit(event.target.value)}
          />
        </label>
        {rows.every((row) => row.value === "") && (
          <button type="button" className="act" onClick={() => onRows(SHAFT)}>
            Show me three on one shaft
          </button>
        )}
      </p>
    </section>
  );
}

const faulty = (text: string, positive: boolean) => {
  const value = typed(text);
  return text !== "" && (value === null || (positive && value <= 0));
};

interface ReadingProps {
  place: number;
  row: Row;
  onChange: (changed: Partial<Row>) => void;
  onRemove: () => void;
}

/** One instrument: its name, what it says, how sure it is. */
function Reading({ place, row, onChange, onRemove }: ReadingProps) {
  return (
    <tr>
      <td>
        <input
          className={styles.readingName}
          aria-label={`Instrument ${place}`}
          value={row.label}
          maxLength={60}
          onChange={(event) => onChange({ label: event.target.value })}
        />
      </td>
      <td>
        <input
          inputMode="decimal"
          aria-label={`Reading ${place}`}
          value={row.value}
          aria-invalid={faulty(row.value, false)}
          onChange={(event) => onChange({ value: event.target.value })}
        />
      </td>
      <td>
        <input
          inputMode="decimal"
          aria-label={`± of reading ${place}`}
          value={row.spread}
          aria-invalid={faulty(row.spread, true)}
          onChange={(event) => onChange({ spread: event.target.value })}
        />{" "}
        {faulty(row.spread, true) && <span className="field-fault">± must be above zero</span>}
        {faulty(row.value, false) && <span className="field-fault">not a number</span>}
      </td>
      <td>
        <button type="button" className="plain" aria-label={`Remove reading ${place}`} onClick={onRemove}>
          ✕
        </button>
      </td>
    </tr>
  );
}
