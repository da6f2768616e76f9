import { useQuery } from "@tanstack/react-query";
import { api, ask, type Opened, type Schemas, type Whole } from "../../api/client";
import { keys } from "../../api/keys";
import { usePlace } from "../../hooks/place";
import { useLength } from "../../hooks/settings";
import { few, figure, type LengthUnit, shown as said, THIN } from "../../model/format";
import { lasting } from "../../model/lanes";
import styles from "./ReadOuts.module.css";

type Shown = Opened["shown"][number];
type ReadOut = Whole<Schemas["ReadOutModel"]>;
type Moment = Whole<Schemas["MomentModel"]>;

interface Props {
  id: number;
  shown: Opened["shown"];
  show: string[];
  cursor: number | undefined;
  span: [number, number] | undefined;
  stone: number | undefined;
}

/** What each lane says at the cursor and over the span. */
export function ReadOuts({ id, shown, show, cursor, span, stone }: Props) {
  const place = usePlace();
  const length = useLength();
  const path = { recording_id: id };
  const moments = useQuery({
    queryKey: keys.moment(place.rig.slug, id, show, cursor, stone),
    enabled: cursor !== undefined,
    queryFn: () =>
      ask(
        api.GET("/api/recordings/{recording_id}/moment", { params: { path, query: { show, t: cursor ?? 0, stone } } }),
      ),
    placeholderData: (old) => old,
  });
  const over = useQuery({
    queryKey: keys.readOuts(place.rig.slug, id, show, span, stone),
    enabled: span !== undefined,
    queryFn: () =>
      ask(
        api.GET("/api/recordings/{recording_id}/read-outs", {
          params: { path, query: { show, t0: span?.[0] ?? 0, t1: span?.[1] ?? 0, stone } },
        }),
      ),
    placeholderData: (old) => old,
  });
  if (cursor === undefined && span === undefined) return null;
  const rows = show.map((id) => shown.find((other) => other.id === id)).filter((row) => row !== undefined);
  return (
    <table className={styles.readOuts}>
      <thead>
        <tr>
          <th scope="col">
            <span className="visually-hidden">lane</span>
          </th>
          {cursor !== undefined && (
            <th scope="col">
              at {figure(cursor, 3)}
              {THIN}s
            </th>
          )}
          {span &&
            ["mean", "sd", "lowest", "highest", "rate", "readings"].map((head) => (
              <th key={head} scope="col">
                {head}
              </th>
            ))}
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => {
          const readOut = over.data?.find((other) => other.id === row.id);
          return (
            <tr key={row.id}>
              <th scope="row">{row.title}</th>
              {cursor !== undefined && (
                <td className={styles.atCursor}>
                  {atCursor(
                    moments.data?.find((other) => other.id === row.id),
                    row,
                    length,
                  )}
                </td>
              )}
              {span && readOut && <Over readOut={readOut} shown={row} length={length} />}
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

const value = (number: number | null, lane: Shown, length: LengthUnit, finer = 0) => {
  if (number === null) return "—";
  if (lane.channel) return `${figure(number, lane.digits + finer)}${THIN}${lane.unit}`;
  const text = said(number, lane.unit, lane.unit === "mm" ? 1.2 : 0.15 * 10 ** -lane.digits, length);
  return `${text.text}${THIN}${text.unit}`;
};

const time = (seconds: number | null) => {
  if (seconds === null) return "—";
  const { value, unit } = lasting(seconds);
  return `${few(value)}${THIN}${unit}`;
};

function atCursor(moment: Moment | undefined, lane: Shown, length: LengthUnit): string {
  if (!moment) return "—";
  if (lane.form === "levels") {
    const level = moment.value ? "high" : "low";
    const width = moment.width_s === null ? "" : ` for ${time(moment.width_s)}`;
    return `${level}${width}${moment.period_s === null ? "" : `, ${time(moment.period_s)} from rise to rise`}`;
  }
  if (lane.form === "edges") return `edge at ${figure(moment.t_s, 4)}${THIN}s`;
  return moment.value === null ? "no reading" : value(moment.value, lane, length);
}

function Over({ readOut, shown, length }: { readOut: ReadOut; shown: Shown; length: LengthUnit }) {
  const { pulses } = readOut;
  const rate = readOut.rate_hz === null ? "—" : `${few(readOut.rate_hz)}/s`;
  const count = `${figure(readOut.n, 0)}${readOut.missing ? `, ${figure(readOut.missing, 0)} missing` : ""}${readOut.whole ? "" : " (its first part)"}`;
  if (pulses)
    return (
      <>
        <td colSpan={4}>
          {figure(pulses.rises, 0)} {shown.form === "edges" ? "edges" : "rises"}
          {pulses.period_s !== null &&
            `, ${time(pulses.period_s)} from one to the next (${few(1 / pulses.period_s)}${THIN}Hz)`}
          {pulses.high_s !== null &&
            `, high for ${time(pulses.high_s.mean)} (${time(pulses.high_s.least)} to ${time(pulses.high_s.most)})`}
          {pulses.high_share !== null && `, high ${figure(100 * pulses.high_share, 1)}${THIN}% of the time`}
        </td>
        <td>{rate}</td>
        <td>{count}</td>
      </>
    );
  return (
    <>
      <td>{value(readOut.mean, shown, length, 1)}</td>
      <td>{readOut.sd === null ? "—" : spread(readOut.sd, shown, length)}</td>
      <td>{value(readOut.low, shown, length)}</td>
      <td>{value(readOut.high, shown, length)}</td>
      <td>{rate}</td>
      <td>{count}</td>
    </>
  );
}

function spread(sd: number, lane: Shown, length: LengthUnit): string {
  const into = lane.unit === "mm" && !lane.channel ? { mm: 1, cm: 10, in: 25.4 }[length] : 1;
  return `${few(sd / into)}${THIN}${into === 1 ? lane.unit : length}`;
}
