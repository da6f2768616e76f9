import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Rig, type Schemas } from "../../api/client";
import { keys } from "../../api/keys";
import { useAct } from "../../hooks/act";
import { usePlace } from "../../hooks/place";
import { BAND_COLOURS, WIRE_COLOURS } from "../../model/harness";
import { saveText } from "../../plot/saveSvg";
import table from "../../ui/table.module.css";
import styles from "./Schedule.module.css";
import shared from "./shared.module.css";
import { useRigChange } from "./useRigChange";
import { useTicked } from "./useTicked";

/** From, to, colour, length, part: what to cut and where it goes, with the parts list; made to be printed. */
export function Schedule() {
  const { rig } = usePlace();
  const list = useQuery({
    queryKey: keys.schedule(rig.slug, rig.revision),
    queryFn: () => ask(api.GET("/api/rigs/{slug}/schedule", { params: { path: { slug: rig.slug } } })),
    placeholderData: (old) => old,
  });
  const act = useAct();
  const { change, refusal, path, revision } = useRigChange();
  const move = (sensor: string, pin: string, to: string) =>
    void change(
      api.POST("/api/rigs/{slug}/wire", { ...path, body: { sensor, pin, to, revision } }),
      `${pin} is on ${to || "no pin"} now.`,
    );
  const tick = (line: Line, ticked: boolean) =>
    act.attempt(
      ask(
        api.PUT("/api/rigs/{slug}/schedule/{wire}", {
          params: { path: { slug: rig.slug, wire: line.id } },
          body: { ticked, by: "" },
        }),
      ),
    );
  const json = () => saveText(JSON.stringify(list.data, null, 2), `${rig.slug}-schedule.json`, "application/json");
  if (list.isError) return <p className="empty">{list.error.message}</p>;
  if (!list.data) return <p className="empty">Gathering the wires …</p>;
  return (
    <>
      <div className={shared.wireBoard}>
        <span>
          {list.data.wires.length} wires on the {list.data.board}
        </span>
        <span className="spring" />
        <a className="plain" href={`/api/rigs/${rig.slug}/schedule.csv`} download>
          Wires as CSV
        </a>
        <a className="plain" href={`/api/rigs/${rig.slug}/parts.csv`} download>
          Parts as CSV
        </a>
        <button type="button" className="plain" onClick={json}>
          Both as JSON
        </button>
        <button type="button" className="plain" onClick={() => window.print()}>
          Print
        </button>
      </div>
      <p className={`${shared.printOnly} ${shared.printTitle}`}>
        {rig.rig.title}: wiring schedule, {list.data.board}
      </p>
      <p className="caution">
        Board off and unplugged while you move a wire. Have someone else check the wiring: nobody sees their own
        mistakes.
      </p>
      <p className="field-fault" role="alert">
        {refusal?.message}
      </p>
      <Wires rig={rig} lines={list.data.wires} onMove={move} onTick={tick} />
      <h2>Parts</h2>
      <PartsList parts={list.data.parts} />
    </>
  );
}

/** The heads of a table's columns. */
function Heads({ names }: { names: string[] }) {
  return (
    <thead>
      <tr>
        {names.map((name) => (
          <th key={name} scope="col">
            {name}
          </th>
        ))}
      </tr>
    </thead>
  );
}

type Line = Schemas["ScheduleModel"]["wires"][number];

function Tick({ line, onTick }: { line: Line; onTick: WiresProps["onTick"] }) {
  const { ticked, flip } = useTicked(line.ticked_at, (wanted) => onTick(line, wanted));
  return (
    <label className={styles.tick}>
      <input type="checkbox" aria-label={`${line.start} is in`} checked={ticked} onChange={flip} />
    </label>
  );
}

interface WiresProps {
  rig: Rig;
  lines: Line[];
  onMove: (sensor: string, pin: string, to: string) => void;
  onTick: (line: Line, ticked: boolean) => Promise<unknown>;
}

/** The wires in the order in which they are laid: part by part, or along the board; each is ticked once it is in. */
function Wires({ rig, lines, onMove, onTick }: WiresProps) {
  const [along, setAlong] = useState(false);
  const places = [...rig.rig.board.rails, ...rig.rig.supplies, ...rig.pins].map(({ name }) => name);
  const order = along ? [...lines].sort((a, b) => places.indexOf(a.end) - places.indexOf(b.end)) : lines;
  const done = lines.filter((line) => line.ticked_at).length;
  return (
    <div className={table.tableScroll}>
      <p className={styles.order}>
        <span>
          <b>{done}</b> of {lines.length} are in
        </span>
        <label>
          Order{" "}
          <select value={along ? "board" : "parts"} onChange={(event) => setAlong(event.target.value === "board")}>
            <option value="parts">part by part</option>
            <option value="board">along the board</option>
          </select>
        </label>
      </p>
      <table className={`${table.schedule} ${styles.wires}`}>
        <Heads names={["In", "From", "To", "In the program", "Wire", "Cut to", "Part in the wire"]} />
        <tbody>
          {order.map((line) => {
            const wire = rig.rig.wires.find((wire) => wire.sensor === line.sensor && wire.pin === line.pin);
            const move = (to: string) => onMove(line.sensor, line.pin, to);
            return (
              <tr key={`${line.sensor}-${line.pin}-${line.end}`}>
                <td>
                  <Tick line={line} onTick={onTick} />
                </td>
                <th scope="row">{line.start}</th>
                <td>
                  {wire ? <PlaceMenu rig={rig} wire={wire} label={`${line.start} goes to`} onMove={move} /> : line.end}
                </td>
                <td>
                  <code>{line.code}</code>
                </td>
                <td className={styles.wireColour}>
                  <span className={styles.wireSwatch} style={{ background: WIRE_COLOURS[line.colour] }} /> {line.colour}
                </td>
                <td className={table.number}>{line.length_mm} mm</td>
                <td>{line.part}</td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </div>
  );
}

function PartsList({ parts }: { parts: Schemas["ScheduleModel"]["parts"] }) {
  return (
    <div className={table.tableScroll}>
      <table className={table.schedule}>
        <Heads names={["How many", "What", "Value", "Bands", "Note"]} />
        <tbody>
          {parts.map((part) => (
            <tr key={`${part.title}-${part.value}`}>
              <td className={table.number}>{part.count}</td>
              <th scope="row">{part.title}</th>
              <td>{part.value}</td>
              <td>
                {part.bands.map((band, i) => (
                  // biome-ignore lint/suspicious/noArrayIndexKey: bands have an order and may repeat
                  <span key={i} className={styles.wireBand} style={{ background: BAND_COLOURS[band] }} title={band} />
                ))}{" "}
                {part.bands.join(" ")}
              </td>
              <td>{part.note}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

interface PlaceMenuProps {
  rig: Rig;
  wire: Rig["rig"]["wires"][number];
  label: string;
  onMove: (to: string) => void;
}

/** Where a wire may go: the places that can take it first. */
function PlaceMenu({ rig, wire, label, onMove }: PlaceMenuProps) {
  const pinOf = (end: { sensor: string; pin: string }) =>
    rig.parts.find((part) => part.id === end.sensor)?.pins.find((pin) => pin.name === end.pin);
  const pin = pinOf(wire);
  const able = pin?.places ?? [];
  const rails = [...rig.rig.board.rails, ...rig.rig.supplies].map((rail) => rail.name);
  const others = [...rails, ...rig.pins.map((pin) => pin.name)].filter((name) => !able.includes(name));
  const power = pin?.role === "ground" || pin?.role === "supply";
  const chain = rig.rig.wires
    .filter((other) => power && other.sensor !== wire.sensor && pinOf(other)?.role === pin?.role)
    .map((other) => ({
      to: `${other.sensor}.${other.pin}`,
      name: `${rig.parts.find((part) => part.id === other.sensor)?.name} ${other.pin}`,
    }));
  return (
    <select aria-label={label} value={wire.to} onChange={(event) => onMove(event.target.value)}>
      {wire.to === "" && <option value="">nowhere yet</option>}
      <optgroup label="Can take it">
        {able.map((name) => (
          <option key={name}>{name}</option>
        ))}
      </optgroup>
      {chain.length > 0 && (
        <optgroup label="On to another part">
          {chain.map((place) => (
            <option key={place.to} value={place.to}>
              {place.name}
            </option>
          ))}
        </optgroup>
      )}
      {others.length > 0 && (
        <optgroup label="Other places">
          {others.map((name) => (
            <option key={name}>{name}</option>
          ))}
        </optgroup>
      )}
    </select>
  );
}
