import { api, ask, type Finding } from "../api/client";
import { useBench } from "../hooks/bench";
import { ohms } from "../model/harness";
import { Verdict } from "../ui/Verdict";
import { HarnessDrawing } from "./HarnessDrawing";

export function Wire() {
  const bench = useBench();
  const { rig } = bench;
  const path = { params: { path: { slug: rig.slug } } };
  const { revision } = rig;
  const undo = () => void bench.undoRig();
  const fix = (finding: Finding) =>
    bench.attempt(
      ask(
        api.POST("/api/rigs/{slug}/fix", {
          ...path,
          body: { kind: finding.kind, sensor: finding.sensor, pin: finding.pin, revision },
        }),
      ),
      finding.fix?.sentence,
      undo,
    );
  const chooseBoard = (board: string) =>
    bench.attempt(
      ask(api.POST("/api/rigs/{slug}/board", { ...path, body: { board, revision } })),
      "The board is changed; every wire is placed anew.",
      undo,
    );
  const move = (sensor: string, pin: string, to: string) =>
    bench.attempt(
      ask(api.POST("/api/rigs/{slug}/wire", { ...path, body: { sensor, pin, to, revision } })),
      `${pin} is on ${to || "no pin"} now.`,
      undo,
    );
  return (
    <>
      <Verdict>{rig.verdict}</Verdict>
      <div className="wire-board">
        <label htmlFor="board">Board</label>
        <select id="board" value={rig.rig.board.kind} onChange={(event) => void chooseBoard(event.target.value)}>
          {rig.boards.map((board) => (
            <option key={board.kind} value={board.kind}>
              {board.title}
            </option>
          ))}
        </select>
        {rig.parent !== null && (
          <button type="button" className="plain" onClick={undo} title={`Takes back: ${rig.why}`}>
            Undo the last change
          </button>
        )}
        <span className="spring" />
        <button type="button" className="plain" onClick={() => window.print()}>
          Print
        </button>
      </div>
      <HarnessDrawing rig={rig} selected={bench.sensor.id} onPick={bench.pick} onFix={(finding) => void fix(finding)} />
      <h2>Wiring schedule</h2>
      <p className="caution">
        Board off and unplugged while you move a wire. A hot iron burns and its fumes do not belong in your lungs; board
        dust holds glass fibre. Have someone else check the wiring: nobody sees their own mistakes.
      </p>
      <div className="table-scroll">
        <table className="schedule">
          <thead>
            <tr>
              <th scope="col">From</th>
              <th scope="col">To</th>
              <th scope="col">Wire</th>
              <th scope="col">Part in the wire</th>
            </tr>
          </thead>
          <tbody>
            {rig.rig.wires.map((wire) => {
              const sensor = rig.sensors.find((one) => one.id === wire.sensor);
              const needs = sensor?.pins[wire.pin] ?? [];
              const able = rig.rig.board.pins.filter((pin) => pin.abilities.some((can) => needs.includes(can)));
              const others = rig.rig.board.pins.filter((pin) => !able.includes(pin));
              return (
                <tr key={`${wire.sensor}-${wire.pin}`}>
                  <th scope="row">
                    {sensor?.name} {wire.pin}
                  </th>
                  <td>
                    <select
                      aria-label={`${sensor?.name} ${wire.pin} goes to`}
                      value={wire.to}
                      onChange={(event) => void move(wire.sensor, wire.pin, event.target.value)}
                    >
                      {wire.to === "" && <option value="">no pin</option>}
                      {needs.length > 0 && (
                        <optgroup label="Can take it">
                          {able.map((pin) => (
                            <option key={pin.name}>{pin.name}</option>
                          ))}
                        </optgroup>
                      )}
                      <optgroup label="Rails">
                        {rig.rig.board.rails.map((rail) => (
                          <option key={rail.name}>{rail.name}</option>
                        ))}
                      </optgroup>
                      {others.length > 0 && (
                        <optgroup label="Other pins">
                          {others.map((pin) => (
                            <option key={pin.name}>{pin.name}</option>
                          ))}
                        </optgroup>
                      )}
                    </select>
                  </td>
                  <td>{wire.colour}</td>
                  <td>{partText(wire)}</td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
    </>
  );
}

type WireDocument = ReturnType<typeof useBench>["rig"]["rig"]["wires"][number];

function partText(wire: WireDocument): string {
  if (wire.divider) {
    const { top_ohm, bottom_ohm, top_bands, bottom_bands } = wire.divider;
    return `${ohms(top_ohm)} in line (${top_bands.join(" ")}), ${ohms(bottom_ohm)} to ground (${bottom_bands.join(" ")})`;
  }
  if (wire.pull_up) return `${ohms(wire.pull_up.ohms)} up to ${wire.pull_up.rail} (${wire.pull_up.bands.join(" ")})`;
  return "";
}
