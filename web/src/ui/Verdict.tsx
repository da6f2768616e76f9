import { type ReactNode, useEffect, useRef, useState } from "react";
import { api, ask } from "../api/client";
import { useAct } from "../hooks/act";
import { usePlace } from "../hooks/place";
import { useAddress } from "../hooks/useAddress";
import styles from "./Verdict.module.css";

const SETTLE_MS = 500;

/** A text that changes at most twice a second. */
function useSettled(text: string): string {
  const [settled, setSettled] = useState(text);
  const at = useRef(0);
  useEffect(() => {
    const wait = Math.max(0, at.current + SETTLE_MS - performance.now());
    const timer = setTimeout(() => {
      at.current = performance.now();
      setSettled(text);
    }, wait);
    return () => clearTimeout(timer);
  }, [text]);
  return settled;
}

/** The heading is the verdict; under it the one next thing worth doing, with one button. */
export function Verdict({ children, next }: { children: string; next?: ReactNode }) {
  const settled = useSettled(children);
  return (
    <header className={styles.verdict}>
      <h1>{settled}</h1>
      {next ?? <Next />}
    </header>
  );
}

/** The next thing worth doing on this rig, as the core judges it. */
export function Next() {
  const place = usePlace();
  const act = useAct();
  const { search } = useAddress();
  const next = place.standing.find((progress) => progress.station === place.station)?.next;
  if (!next) return <p className="next">&nbsp;</p>;
  const { slug } = place.rig;
  const path = { params: { path: { slug } } };
  const doIt = (): void => {
    const { kind = "", sensor = "", pin = "" } = next.details;
    switch (next.action) {
      case "fix":
        void act.attempt(
          ask(api.POST("/api/rigs/{slug}/fix", { ...path, body: { kind, sensor, pin, revision: place.rig.revision } })),
          next.sentence.charAt(0).toUpperCase() + next.sentence.slice(1),
          () => void act.undoRig(),
        );
        break;
      case "connect":
        void act.connect();
        break;
      case "record":
        void act.record();
        break;
      case "go-checklist":
        place.go("wire", { view: "checklist" });
        break;
      case "go-calibrate":
        place.go("calibrate", { procedure: next.details.procedure ?? null });
        break;
      case "go-decide":
        place.go("decide", { decision: next.details.decision ?? null });
        break;
      case "type-humidity":
        document.getElementById("constant-humidity")?.click();
        break;
      case "cut-stone":
        void act.attempt(ask(api.POST("/api/rigs/{slug}/stones", { ...path, body: { why: "" } })), "Stone cut.");
        break;
    }
  };
  const here =
    (next.action === "go-checklist" && search.get("view") === "checklist") ||
    (next.action === "go-calibrate" &&
      place.station === "calibrate" &&
      next.details.procedure === (search.get("procedure") ?? place.sensor.procedures[0])) ||
    (next.action === "go-decide" && place.station === "decide");
  return (
    <p className="next">
      <b>Next:</b> <span>{next.sentence}</span>
      {next.action !== "none" && !here && (
        <button type="button" className={`act${next.action === "fix" ? " act-first" : ""}`} onClick={doIt}>
          {next.label}
        </button>
      )}
    </p>
  );
}
