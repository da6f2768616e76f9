import { useState } from "react";
import { api, ask, Refused, type Rig } from "../../api/client";
import { useLists } from "../../hooks/useLists";
import { WIRE_COLOURS } from "../../model/harness";
import type { Board } from "./BoardFields";
import styles from "./BoardPins.module.css";

export type Pin = Board["pins"][number];

/** A pin that is edited, and what the board that is kept calls it; a new one was not there. */
export interface EditedPin extends Pin {
  was?: string;
}

const ROW = 30;
const [LEFT, RIGHT] = [150, 330];
const WIDTH = 480;

interface DrawnProps {
  rig: Rig;
  pins: EditedPin[];
  chosen: number;
  onChoose: (place: number) => void;
}

/** The board with its pins along both edges, by the names printed on it; the wires that are on them in their colours. */
export function BoardDrawn({ rig, pins, chosen, onChoose }: DrawnProps) {
  const half = Math.ceil(pins.length / 2);
  const height = half * ROW + 24;
  const wires = new Map(rig.rig.wires.map((wire) => [wire.to, wire]));
  return (
    <svg
      className={styles.board}
      viewBox={`0 0 ${WIDTH} ${height}`}
      role="group"
      aria-label="The board with its pins, each to be chosen"
    >
      <rect x={LEFT} y="2" width={RIGHT - LEFT} height={height - 4} rx="8" className={styles.slab} />
      {pins.map((pin, place) => {
        const left = place < half;
        const y = 12 + (place % half) * ROW + ROW / 2;
        const edge = left ? LEFT : RIGHT;
        const out = left ? -1 : 1;
        const wire = pin.was === undefined ? undefined : wires.get(pin.was);
        const abilities = pin.abilities.filter((can) => can !== "digital" || pin.abilities.length === 1).join(", ");
        return (
          <g
            // biome-ignore lint/suspicious/noArrayIndexKey: the name is what is being typed
            key={place}
            className={place === chosen ? `${styles.pin} ${styles.chosen}` : styles.pin}
            role="button"
            tabIndex={0}
            aria-label={`Pin ${pin.name} ${abilities}`}
            aria-pressed={place === chosen}
            onClick={() => onChoose(place)}
            onKeyDown={(event) => {
              if (event.key !== "Enter" && event.key !== " ") return;
              event.preventDefault();
              onChoose(place);
            }}
          >
            <rect x={left ? 0 : RIGHT} y={y - ROW / 2} width={LEFT} height={ROW} className={styles.target} />
            {wire && (
              <path d={`M${edge} ${y}h${out * 16}`} stroke={WIRE_COLOURS[wire.colour]} className={styles.wire} />
            )}
            <rect x={edge - 5} y={y - 5} width="10" height="10" className={styles.pad} />
            <text x={edge - out * 12} y={y + 5} textAnchor={left ? "start" : "end"} className={styles.print}>
              {pin.name}
            </text>
            <text x={edge + out * 22} y={y + 4} textAnchor={left ? "end" : "start"} className={styles.can}>
              {` ${abilities}` /* apart from the print, for those who hear it */}
            </text>
          </g>
        );
      })}
    </svg>
  );
}

interface ChosenProps {
  pin: EditedPin;
  abilities: Pin["abilities"];
  onEdit: (part: Partial<Pin>) => void;
  onRemove: () => void;
}

/** The pin that is chosen: its print, what a program calls it, what it can do, its timer. */
export function ChosenPin({ pin, abilities, onEdit, onRemove }: ChosenProps) {
  return (
    <fieldset className={styles.fields} aria-label={`Pin ${pin.name}`}>
      <label className="field">
        <span>printed on it</span>
        <input value={pin.name} maxLength={40} onChange={(event) => onEdit({ name: event.target.value })} />
      </label>
      <label className="field">
        <span>in the program</span>
        <input
          value={pin.code}
          maxLength={40}
          placeholder={pin.name}
          onChange={(event) => onEdit({ code: event.target.value })}
        />
      </label>
      <label className="field">
        <span>timer behind it</span>
        <input
          value={pin.timer}
          maxLength={40}
          placeholder="none"
          onChange={(event) => onEdit({ timer: event.target.value })}
        />
      </label>
      <div className={styles.abilities}>
        {abilities.map((ability) => (
          <label key={ability}>
            <input
              type="checkbox"
              checked={pin.abilities.includes(ability)}
              onChange={(event) =>
                onEdit({
                  abilities: abilities.filter((can) =>
                    can === ability ? event.target.checked : pin.abilities.includes(can),
                  ),
                })
              }
            />
            {ability}
          </label>
        ))}
      </div>
      <button type="button" className="plain" onClick={onRemove}>
        Remove pin {pin.name}
      </button>
    </fieldset>
  );
}

/** Pins from a list: off a sheet, out of a table or a note. */
export function PinList({ onTake }: { onTake: (pins: Pin[]) => void }) {
  const [text, setText] = useState("");
  const [fault, setFault] = useState("");
  const lists = useLists();
  const take = async () => {
    try {
      onTake(await ask(api.POST("/api/pins", { body: { text } })));
      setFault("");
    } catch (error) {
      if (!(error instanceof Refused)) throw error;
      setFault(error.message);
    }
  };
  return (
    <details className={styles.list}>
      <summary>Paste a pin list</summary>
      <p className="small">
        A line each: what is printed, then what it can do ({(lists.data?.abilities ?? []).join(", ")}). “9=PB1” where a
        program calls it otherwise, “timer 1” for its timer, “only” where it can do nothing else.
      </p>
      <textarea
        aria-label="Pin list"
        rows={6}
        value={text}
        placeholder={"D2 interrupt\nD9=9, pwm, timer 1\nA0\nA6 analogue only"}
        aria-invalid={fault !== ""}
        onChange={(event) => setText(event.target.value)}
      />
      <p className="field-fault" role="alert">
        {fault}
      </p>
      <button type="button" className="act" disabled={!text.trim()} onClick={() => void take()}>
        Take these pins
      </button>
    </details>
  );
}
