import { useEffect, useState } from "react";
import { api, ask, type Schemas } from "../../api/client";
import { useAct } from "../../hooks/act";
import { useNow } from "../../hooks/live";
import { usePlace } from "../../hooks/place";
import { figure, THIN } from "../../model/format";
import { isOn } from "../../model/readings";
import { Check, Glyph } from "../../ui/Glyph";
import { Verdict } from "../../ui/Verdict";
import styles from "./MotorCheck.module.css";

const SECONDS = 5;
type Answer = Schemas["CheckModel"];
type Stage = "before" | "rest" | "between" | "running" | "done";

/** Does it still read well with the motors running? Five seconds at rest, five with motors, held against each other. */
export function MotorCheck() {
  const place = usePlace();
  const act = useAct();
  const now = useNow();
  const [stage, setStage] = useState<Stage>("before");
  const [left, setLeft] = useState(SECONDS);
  const [answer, setAnswer] = useState<Answer | null>(null);
  const counting = stage === "rest" || stage === "running";
  const { slug } = place.rig;
  useEffect(() => {
    if (!counting) return;
    if (left > 0) {
      const timer = setTimeout(() => setLeft(left - 0.5), 500);
      return () => clearTimeout(timer);
    }
    let gone = false;
    const step = stage === "rest" ? "rest" : "running";
    void act
      .attempt(ask(api.POST("/api/rigs/{slug}/motor-check", { params: { path: { slug } }, body: { step } })))
      .then((answer) => {
        if (gone) return;
        if (!answer) return setStage(step === "rest" ? "before" : "between");
        setAnswer(answer);
        setStage(step === "rest" ? "between" : "done");
      });
    return () => {
      gone = true;
    };
  }, [counting, left, stage, slug, act.attempt]);
  const begin = (next: Stage) => {
    setLeft(SECONDS);
    setStage(next);
  };
  const on = isOn(now);
  const title = stage === "done" && answer ? answer.verdict : "Does it still read well with the motors running?";
  return (
    <>
      <Verdict
        next={
          <p className="next">
            <span>Wheels off the ground, fingers and hair away, the vehicle held so that it cannot run off.</span>
            <button type="button" className="act" onClick={() => place.show({ view: null })}>
              Back to the readings
            </button>
          </p>
        }
      >
        {title}
      </Verdict>
      {!on && <p>Connect the board first: the check needs live readings.</p>}
      <ol className={styles.motorSteps}>
        <li data-now={stage === "before" || stage === "rest"} data-done={stage !== "before" && stage !== "rest"}>
          <h2>Motors off, everything still</h2>
          {stage === "before" && (
            <button type="button" className="act" disabled={!on} onClick={() => begin("rest")}>
              It stands: take {SECONDS}
              {THIN}s
            </button>
          )}
          {stage === "rest" && <Countdown left={left} />}
        </li>
        <li data-now={stage === "between" || stage === "running"} data-done={stage === "done"}>
          <h2>Motors on, as fast as it drives, nothing else moved</h2>
          {stage === "between" && (
            <button type="button" className="act" disabled={!on} onClick={() => begin("running")}>
              They run: take {SECONDS}
              {THIN}s
            </button>
          )}
          {stage === "running" && <Countdown left={left} />}
        </li>
      </ol>
      {stage === "done" && answer && (
        <section className={styles.judged} aria-label="What the check says">
          {answer.remedy && <p>{answer.remedy}</p>}
          <ul>
            {answer.lines.map((line) => (
              <li key={line.sentence}>
                <span>{line.bad ? <Glyph of="fault" /> : <Check />}</span> {line.sentence}
              </li>
            ))}
          </ul>
          <button type="button" className="act" onClick={() => setStage("before")}>
            Check again
          </button>
        </section>
      )}
    </>
  );
}

function Countdown({ left }: { left: number }) {
  return (
    <p className={styles.countdown} role="timer">
      <b>{figure(Math.ceil(left), 0)}</b> {THIN}s
    </p>
  );
}
