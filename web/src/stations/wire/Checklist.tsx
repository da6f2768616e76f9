import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Schemas } from "../../api/client";
import { keys } from "../../api/keys";
import { useAct } from "../../hooks/act";
import { usePlace } from "../../hooks/place";
import { moment } from "../../model/format";
import styles from "./Checklist.module.css";
import shared from "./shared.module.css";
import { useTicked } from "./useTicked";

type Step = Schemas["StepLine"];

/** The build and before-power checklist, made for this rig; ticks are kept with their date. */
export function Checklist() {
  const act = useAct();
  const { rig } = usePlace();
  const path = { slug: rig.slug };
  const steps = useQuery({
    queryKey: keys.checklist(rig.slug, rig.revision),
    queryFn: () => ask(api.GET("/api/rigs/{slug}/checklist", { params: { path } })),
    placeholderData: (old) => old,
  });
  const tick = (step: Step, ticked: boolean, by = "") =>
    act.attempt(
      ask(
        api.PUT("/api/rigs/{slug}/checklist/{step}", {
          params: { path: { ...path, step: step.id } },
          body: { ticked, by },
        }),
      ),
    );
  if (steps.isError) return <p className="empty">{steps.error.message}</p>;
  if (!steps.data) return <p className="empty">Making the checklist …</p>;
  const done = steps.data.filter((step) => step.ticked_at).length;
  const sections = [...new Set(steps.data.map((step) => step.section))];
  const next = steps.data.find((step) => !step.ticked_at);
  const faults = rig.findings.filter((finding) => finding.severity === "fault").length;
  return (
    <div className={styles.checklist}>
      <div className={shared.wireBoard}>
        <span>
          <b>{done}</b> of {steps.data.length} done
          {next ? `; next: ${next.section.toLowerCase()}` : ": ready for power"}
        </span>
        <span className="spring" />
        <button type="button" className="plain" onClick={() => window.print()}>
          Print
        </button>
      </div>
      <p className={`${shared.printOnly} ${shared.printTitle}`}>{rig.rig.title}: build and before power</p>
      {faults > 0 && (
        <p className={shared.faultLine} role="alert">
          The wiring has {faults === 1 ? "a fault" : `${faults} faults`}: mend that first. No power until then.
        </p>
      )}
      {sections.map((section) => {
        const mine = steps.data.filter((step) => step.section === section);
        const ticked = mine.filter((step) => step.ticked_at).length;
        return (
          <section key={section}>
            <h2>
              {section}{" "}
              <small>
                {ticked} of {mine.length}
              </small>
            </h2>
            <ol className={styles.checklistSteps}>
              {mine.map((step) => (
                <StepLine key={step.id} step={step} next={step === next} onTick={tick} />
              ))}
            </ol>
          </section>
        );
      })}
    </div>
  );
}

interface StepProps {
  step: Step;
  next: boolean;
  onTick: (step: Step, ticked: boolean, by?: string) => Promise<unknown>;
}

function StepLine({ step, next, onTick }: StepProps) {
  const [by, setBy] = useState("");
  const [asked, setAsked] = useState(false);
  const at = step.ticked_at;
  const { ticked, flip } = useTicked(at, (wanted) => onTick(step, wanted, by));
  return (
    <li className={`${styles.step}${at ? ` ${styles.done}` : ""}${next ? ` ${styles.nextStep}` : ""}`}>
      <label>
        <input
          type="checkbox"
          checked={ticked}
          onChange={() => (step.second && !at && !by.trim() ? setAsked(true) : flip())}
        />
        <span className={styles.stepText}>
          {step.text}{" "}
          {step.ticked_at && (
            <small>
              {moment(step.ticked_at)}
              {step.by && `, ${step.by}`}
            </small>
          )}
        </span>
        {step.expect && <span className={styles.expect}>{step.expect}</span>}
      </label>
      {step.second && !at && (
        <label className={styles.second}>
          <span>Who looked</span>
          <input value={by} maxLength={60} aria-invalid={asked && !by.trim()} onChange={(e) => setBy(e.target.value)} />
          {asked && !by.trim() && (
            <span className="field-fault" role="alert">
              Say who looked: this step is somebody else's to tick.
            </span>
          )}
        </label>
      )}
      {step.caution && <p className="caution">{step.caution}</p>}
    </li>
  );
}
