import type { Procedure } from "../../hooks/useProcedure";
import { FitPlot } from "../../plot/FitPlot";
import { SaidTable } from "../../ui/SaidTable";
import { BeforeAfter } from "./BeforeAfter";
import { Drift } from "./Drift";
import styles from "./Said.module.css";

interface Props {
  procedure: Procedure;
  extras: string[];
  onExtras: (extras: string[]) => void;
}

/** What the held steps say: drawn, in words, in rows. */
export function Said({ procedure, extras, onExtras }: Props) {
  const toggle = (name: string) =>
    onExtras(extras.includes(name) ? extras.filter((extra) => extra !== name) : [...extras, name]);
  return (
    <>
      <p className={styles.verdictLine}>
        {procedure.verdict} {procedure.notes.join(" ")}
      </p>
      {procedure.plots.map((plot) => (
        <FitPlot key={plot.title} plot={plot} />
      ))}
      {procedure.tables.map((table) => (
        <SaidTable key={table.title} table={table} />
      ))}
      {procedure.can_accept && procedure.extras.length > 0 && (
        <fieldset className={styles.extras}>
          <legend>Take over too</legend>
          {procedure.extras.map((extra) => (
            <label key={extra.name}>
              <input type="checkbox" checked={extras.includes(extra.name)} onChange={() => toggle(extra.name)} />{" "}
              {extra.label}
            </label>
          ))}
        </fieldset>
      )}
      {procedure.constants.length > 0 && procedure.recordings.length > 0 && <BeforeAfter procedure={procedure} />}
      {procedure.drifts.length > 0 && <Drift procedure={procedure} />}
      {!procedure.steps.length && procedure.past.length > 0 && <Past procedure={procedure} />}
    </>
  );
}

function Past({ procedure }: { procedure: Procedure }) {
  const last = procedure.past.at(-1);
  return <p>{last?.verdict} Hold anew when something on the rig changes.</p>;
}
