import { useQuery } from "@tanstack/react-query";
import { api, ask, type Schemas } from "../../api/client";
import { keys } from "../../api/keys";
import { useAct } from "../../hooks/act";
import { usePlace } from "../../hooks/place";
import type { Drive } from "../../hooks/useDrive";
import { figure, moment, THIN } from "../../model/format";
import styles from "./Kept.module.css";

type Trial = Schemas["TrialLine"];

/** The runs that were kept with the rig: opened as they were, and two held beside each other. */
export function Kept({ drive }: { drive: Drive }) {
  const { rig } = usePlace();
  const act = useAct();
  const params = { path: { slug: rig.slug } };
  const trials = useQuery({
    queryKey: keys.trials(rig.slug),
    queryFn: () => ask(api.GET("/api/rigs/{slug}/trials", { params })),
  });
  if (!trials.data?.length) return null;
  const of = (number: number) => ({ params: { path: { slug: rig.slug, number } } });
  const away = async (trial: Trial) => {
    await act.attempt(
      ask(api.POST("/api/rigs/{slug}/trials/{number}/put-away", of(trial.number))),
      `Run ${trial.number} is archived.`,
      () => void act.attempt(ask(api.POST("/api/rigs/{slug}/trials/{number}/take-out", of(trial.number)))),
    );
    if (trial.number === drive.kept || trial.number === drive.beside) drive.put({ run: null, beside: null });
  };
  const open = (number: number | null) => drive.put({ run: number === null ? null : String(number) });
  const lay = (number: number | null) => drive.put({ beside: number === null ? null : String(number) });
  return (
    <section className={styles.kept} aria-label="Kept runs">
      <h2>Kept runs</h2>
      {drive.kept !== null && drive.beside !== null && <Beside number={drive.kept} before={drive.beside} />}
      <ul>
        {trials.data.map((trial) => (
          <li key={trial.number} aria-current={trial.number === drive.kept ? "true" : undefined}>
            <b>{trial.number}</b>
            <div>
              {trial.verdict}
              <p className="small">
                {trial.title} in {trial.world}, seed {trial.seed}, {moment(trial.at)}
                {Object.entries(trial.given).map(([name, value]) => `, ${name} ${figure(value, 2)}`)}
                {trial.note && `. ${trial.note}`}
              </p>
              {trial.why && <p className="small">{trial.why}</p>}
            </div>
            <div className={styles.does}>
              <button
                type="button"
                className="act"
                aria-pressed={trial.number === drive.kept}
                onClick={() => open(trial.number === drive.kept ? null : trial.number)}
              >
                Open
              </button>
              <button
                type="button"
                className="act"
                aria-pressed={trial.number === drive.beside}
                disabled={trial.number === drive.kept}
                title="Its path lies pale behind the one that is open"
                onClick={() => lay(trial.number === drive.beside ? null : trial.number)}
              >
                Lay beside
              </button>
              <button type="button" className="plain" onClick={() => void away(trial)}>
                Archive
              </button>
            </div>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** What is not the same in two kept runs. */
function Beside({ number, before }: { number: number; before: number }) {
  const { rig } = usePlace();
  const path = { slug: rig.slug, number, before };
  const differences = useQuery({
    queryKey: keys.trialsBeside(rig.slug, number, before),
    queryFn: () => ask(api.GET("/api/rigs/{slug}/trials/{number}/beside/{before}", { params: { path } })),
  });
  if (!differences.data) return null;
  return (
    <div className={styles.table}>
      <table>
        <caption className="visually-hidden">What is not the same</caption>
        <thead>
          <tr>
            <th scope="col">not the same</th>
            <th scope="col">run {before}</th>
            <th scope="col">run {number}</th>
          </tr>
        </thead>
        <tbody>
          {differences.data.map((each) => (
            <tr key={`${each.what} ${each.sensor} ${each.name}`}>
              <th scope="row">
                {each.label}
                {each.sensor && `, ${each.sensor}`}
              </th>
              <td>{valueText(each.before, each.unit)}</td>
              <td>{valueText(each.after, each.unit)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {differences.data.length === 0 && <p>Nothing: they are the same run.</p>}
    </div>
  );
}

function valueText(value: unknown, unit: string): string {
  if (value === null || value === undefined) return "—";
  if (typeof value === "boolean") return value ? "yes" : "no";
  if (typeof value !== "number") return String(value);
  const text = figure(value, Number.isInteger(value) ? 0 : 3);
  return unit ? `${text}${THIN}${unit}` : text;
}
