import type { Procedure } from "../../hooks/useProcedure";
import { FitPlot } from "../../plot/FitPlot";
import { SaidTable } from "../../ui/SaidTable";
import { BeforeAfter } from "./BeforeAfter";
import { Drift } from "./Drift";
import styles from "./Said.module.css";

interface Props {
  found: Procedure;
  extras: string[];
  onExtras: (extras: string[]) => void;
}

/** What the held steps say: drawn, in words, in rows. */
export function Said({ found, extras, onExtras }: Props) {
  const toggle = (name: string) =>
    onExtras(extras.includes(name) ? extras.filter((one) => one !== name) : [...extras, name]);
  return (
    <>
      <p className={styles.verdictLine}>
        {found.verdict} {found.notes.join(" ")}
      </p>
      {found.plots.map((plot) => (
        <FitPlot key={plot.title} plot={plot} />
      ))}
      {found.tables.map((table) => (
        <SaidTable key={table.title} table={table} />
      ))}
      {found.can_accept && found.extras.length > 0 && (
        <fieldset className={styles.extras}>
          <legend>Take over too</legend>
          {found.extras.map((one) => (
            <label key={one.name}>
              <input type="checkbox" checked={extras.includes(one.name)} onChange={() => toggle(one.name)} />{" "}
              {one.label}
            </label>
          ))}
        </fieldset>
      )}
      {found.constants.length > 0 && found.recordings.length > 0 && <BeforeAfter found={found} />}
      {found.drifts.length > 0 && <Drift found={found} />}
      {!found.steps.length && found.past.length > 0 && <Past found={found} />}
    </>
  );
}

function Past({ found }: { found: Procedure }) {
  const last = found.past.at(-1);
  return <p>{last?.verdict} Hold anew when something on the rig changes.</p>;
}
