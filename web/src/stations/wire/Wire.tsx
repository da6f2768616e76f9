import { type ReactNode, useState } from "react";
import { api, type Finding } from "../../api/client";
import { useAct } from "../../hooks/act";
import { usePlace } from "../../hooks/place";
import { useAddress } from "../../hooks/useAddress";
import type { Wire as WireDocument } from "../../model/harness";
import { saveSvg } from "../../plot/saveSvg";
import benches from "../../ui/benches.module.css";
import { Verdict } from "../../ui/Verdict";
import { BoardEditor } from "./BoardEditor";
import { Checklist } from "./Checklist";
import { HarnessDrawing } from "./HarnessDrawing";
import { Parts } from "./Parts";
import { Plan } from "./Plan";
import { Program } from "./Program";
import { Schedule } from "./Schedule";
import shared from "./shared.module.css";
import { useRigChange } from "./useRigChange";
import type { ViewProps } from "./views";
import styles from "./Wire.module.css";

const VIEWS = [
  { id: "harness", title: "harness", show: Harness },
  { id: "parts", title: "parts", show: Parts },
  { id: "plan", title: "plan", show: Plan },
  { id: "board", title: "board", show: BoardEditor },
  { id: "schedule", title: "schedule", show: Schedule },
  { id: "checklist", title: "checklist", show: Checklist },
  { id: "program", title: "watch program", show: Program },
] as const;

export function Wire() {
  const { rig } = usePlace();
  const { search, put } = useAddress();
  const open = VIEWS.find((view) => view.id === search.get("view")) ?? VIEWS[0];
  const Show: (props: ViewProps) => ReactNode = open.show;
  const [doing, setDoing] = useState("");
  return (
    <>
      <Verdict>{doing || rig.verdict}</Verdict>
      <nav className={benches.benches} aria-label="Views of the wiring">
        {VIEWS.map((view) => (
          <button
            key={view.id}
            type="button"
            className={benches.benchLink}
            aria-current={view === open ? "page" : undefined}
            onClick={() => put({ view: view.id === "harness" ? null : view.id }, false)}
          >
            {view.title}
          </button>
        ))}
      </nav>
      <Show onEdit={setDoing} />
    </>
  );
}

function Harness() {
  const place = usePlace();
  const act = useAct();
  const { search } = useAddress();
  const { change, refusal, path, revision } = useRigChange();
  const { rig } = usePlace();
  const selected = rig.parts.find((part) => part.id === search.get("part"))?.id ?? place.sensor.id;
  const pick = (part: string) => {
    const sensor = rig.sensors.some((sensor) => sensor.id === part);
    place.show(sensor ? { sensor: part, part: null } : { part });
  };
  const fix = (finding: Finding) =>
    change(
      api.POST("/api/rigs/{slug}/fix", {
        ...path,
        body: { kind: finding.kind, sensor: finding.sensor, pin: finding.pin, revision },
      }),
      finding.fix?.sentence ?? "",
    );
  const move = (wire: WireDocument, to: string) =>
    change(
      api.POST("/api/rigs/{slug}/wire", { ...path, body: { sensor: wire.sensor, pin: wire.pin, to, revision } }),
      `${wire.pin} is on ${to} now.`,
    );
  const assign = () =>
    change(
      api.POST("/api/rigs/{slug}/assign", { ...path, body: { revision, keep: true } }),
      "All pins are assigned anew; what you placed yourself stayed.",
    );
  const hints = rig.findings.filter((finding) => finding.severity === "hint");
  const loose = rig.findings.filter((finding) => finding.severity === "fault" && !finding.pin);
  return (
    <>
      <div className={shared.wireBoard}>
        <BoardMenu />
        <button type="button" className="plain" onClick={() => void assign()}>
          Assign pins
        </button>
        {rig.parent !== null && (
          <button type="button" className="plain" onClick={() => void act.undoRig()} title={`Takes back: ${rig.why}`}>
            Undo the last change
          </button>
        )}
        <span className="spring" />
        <button
          type="button"
          className="plain"
          onClick={() => saveSvg(document.querySelector("svg[data-drawing=harness]"), `${rig.slug}-harness`)}
        >
          Save as SVG
        </button>
        <button type="button" className="plain" onClick={() => window.print()}>
          Print
        </button>
      </div>
      <p className="field-fault" role="alert">
        {refusal?.message}
      </p>
      <HarnessDrawing
        rig={rig}
        selected={selected}
        onPick={pick}
        onFix={(finding) => void fix(finding)}
        onMove={(wire, to) => void move(wire, to)}
      />
      {(hints.length > 0 || loose.length > 0) && (
        <>
          <h2>Worth knowing</h2>
          <ul className={styles.hints}>
            {[...loose, ...hints].map((finding) => (
              <li key={`${finding.kind}-${finding.sensor}-${finding.pin}`}>
                {finding.sentence}
                {finding.fix && (
                  <button type="button" className="act" onClick={() => void fix(finding)} title={finding.fix.sentence}>
                    {finding.fix.label}
                  </button>
                )}
              </li>
            ))}
          </ul>
        </>
      )}
    </>
  );
}

function BoardMenu() {
  const { rig } = usePlace();
  const { put } = useAddress();
  const { change, path, revision } = useRigChange();
  const choose = async (board: string) => {
    const done = await change(
      api.POST("/api/rigs/{slug}/board", { ...path, body: { board, revision } }),
      board === "own" ? "The board is your own now: edit it." : "The board is changed; every wire is placed anew.",
    );
    if (done && board === "own") put({ view: "board" }, false);
  };
  return (
    <>
      <label htmlFor="board">Board</label>
      <select id="board" value={rig.rig.board.kind} onChange={(event) => void choose(event.target.value)}>
        {rig.boards.map((board) => (
          <option key={board.kind} value={board.kind}>
            {board.title}
          </option>
        ))}
      </select>
    </>
  );
}
