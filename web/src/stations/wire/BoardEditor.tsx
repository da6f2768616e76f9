import { useEffect, useState } from "react";
import { api, ask, type Rig } from "../../api/client";
import { usePlace } from "../../hooks/place";
import { useFaults } from "../../hooks/useFaults";
import { useLists } from "../../hooks/useLists";
import styles from "./BoardEditor.module.css";
import { type Board, Levels, Programs, Rails, Timers } from "./BoardFields";
import { BoardDrawn, ChosenPin, type EditedPin, type Pin, PinList } from "./BoardPins";
import shared from "./shared.module.css";
import { useRigChange } from "./useRigChange";
import type { ViewProps } from "./views";

/** A board that is edited: each of its pins knows what it was called. */
interface Edited extends Omit<Board, "pins"> {
  pins: EditedPin[];
}

const begun = (board: Board): Edited => ({ ...board, pins: board.pins.map((pin) => ({ ...pin, was: pin.name })) });

const plain = ({ pins, ...board }: Edited): Board => ({ ...board, pins: pins.map(({ was: _, ...pin }) => pin) });

/** Pins that are new on a board of which some were there before: those of one name are the same pin. */
function known(pins: Pin[], before: Board): EditedPin[] {
  const names = new Set(before.pins.map((pin) => pin.name));
  return pins.map((pin) => (names.has(pin.name) ? { ...pin, was: pin.name } : pin));
}

/** One's own board, drawn: a pin is chosen and changed; the rest is as it is at the board that it is like. */
export function BoardEditor({ onEdit }: ViewProps) {
  const { rig } = usePlace();
  return <EditorOf key={JSON.stringify(rig.rig.board)} rig={rig} onEdit={onEdit} />;
}

function EditorOf({ rig, onEdit }: { rig: Rig } & ViewProps) {
  const { change, refusal, path, revision } = useRigChange();
  const [board, setBoard] = useState<Edited>(() => begun(rig.rig.board));
  const { faulty, onFault: fault, forget } = useFaults();
  const [from, setFrom] = useState(0); // cells begin anew when another board is begun from
  const changed = faulty.length > 0 || JSON.stringify(plain(board)) !== JSON.stringify(plain(begun(rig.rig.board)));
  const doing = faulty.length
    ? `“${faulty[0]}” is no number that can be`
    : changed
      ? "This board is changed, and not kept yet"
      : "";
  useEffect(() => {
    onEdit(doing);
    return () => onEdit("");
  }, [doing, onEdit]);
  const begin = (next: Edited) => {
    setBoard(next);
    forget();
    setFrom(from + 1);
  };
  const put = (part: Partial<Edited>) => setBoard((old) => ({ ...old, ...part }));
  const save = () => {
    const renamed = Object.fromEntries(
      board.pins.flatMap(({ was, name }) => (was !== undefined && was !== name ? [[was, name]] : [])),
    );
    void change(
      api.PUT("/api/rigs/{slug}/board", { ...path, body: { board: plain(board), renamed, revision } }),
      `${board.title} is kept; wires on pins that are gone have other ones now.`,
    );
  };
  const parts = { board: plain(board), onPut: (part: Partial<Board>) => put(part as Partial<Edited>), onFault: fault };
  return (
    <>
      <div className={shared.wireBoard}>
        <label className="field">
          <span>Name</span>
          <input value={board.title} maxLength={60} onChange={(event) => put({ title: event.target.value })} />
        </label>
        <Copy onCopy={(copied) => begin({ ...copied, kind: "own", pins: known(copied.pins, rig.rig.board) })} />
        <span className="spring" />
        {changed && (
          <>
            <button type="button" className="act" onClick={() => begin(begun(rig.rig.board))}>
              Cancel
            </button>
            <button type="button" className="act act-first" disabled={faulty.length > 0} onClick={save}>
              Keep this board
            </button>
          </>
        )}
      </div>
      <p>
        {rig.rig.board.kind === "own"
          ? "Your own board. "
          : "A board of the catalogue: what you change here makes it your own. "}
        Give each pin the name printed on it: harness, schedule and program say the same.
      </p>
      <p className="field-fault" role="alert">
        {refusal?.message}
      </p>
      <div className={styles.boardEditor} key={from}>
        <Pins rig={rig} board={board} onPut={put} />
        <details>
          <summary>Levels and limits: {levelsOf(board)}</summary>
          <Levels {...parts} />
        </details>
        <details>
          <summary>Rails, timers and programs: {othersOf(board)}</summary>
          <section className={styles.inColumns}>
            <Rails {...parts} />
            <Timers {...parts} />
            <Programs {...parts} />
          </section>
        </details>
      </div>
    </>
  );
}

function levelsOf({ logic_v, limit_v, supply_ma, adc_bits }: Edited): string {
  const converter = adc_bits ? `converter of ${adc_bits} bits` : "no converter";
  return `gives ${logic_v} V, bears ${limit_v} V, ${supply_ma} mA in all, ${converter}`;
}

function othersOf({ rails, programs }: Edited): string {
  const languages = programs.map((program) => (program === "cpp" ? "C++" : "Python"));
  return [...rails.map((rail) => rail.name), ...languages].join(", ");
}

/** Begin from a board that is near. */
function Copy({ onCopy }: { onCopy: (board: Board) => void }) {
  const { rig } = usePlace();
  const copy = async (kind: string) => {
    if (kind) onCopy(await ask(api.GET("/api/boards/{kind}", { params: { path: { kind } } })));
  };
  return (
    <label className="field">
      <span>Begin from</span>
      <select value="" onChange={(event) => void copy(event.target.value)}>
        <option value="">this one</option>
        {rig.boards
          .filter((board) => board.kind !== "own")
          .map((board) => (
            <option key={board.kind} value={board.kind}>
              {board.title}
            </option>
          ))}
      </select>
    </label>
  );
}

interface PinsProps {
  rig: Rig;
  board: Edited;
  onPut: (part: Partial<Edited>) => void;
}

/** The board drawn with its pins, and the pin that is chosen. */
function Pins({ rig, board, onPut }: PinsProps) {
  const lists = useLists();
  const [chosen, setChosen] = useState(0);
  const pin = board.pins[chosen];
  const numbered = board.pins.some(({ code, name }) => code && code !== name);
  return (
    <section className={styles.pins}>
      <BoardDrawn rig={rig} pins={board.pins} chosen={chosen} onChoose={setChosen} />
      <div>
        <label className="field">
          <b>Pin</b>
          <select value={chosen} onChange={(event) => setChosen(Number(event.target.value))}>
            {board.pins.map(({ name }, place) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: the name is what is being typed
              <option key={place} value={place}>
                {name}
              </option>
            ))}
          </select>
        </label>
        {pin && (
          <ChosenPin
            pin={pin}
            abilities={lists.data?.abilities ?? []}
            onEdit={(part) => onPut({ pins: board.pins.map((old, at) => (at === chosen ? { ...old, ...part } : old)) })}
            onRemove={() => {
              onPut({ pins: board.pins.filter((_, at) => at !== chosen) });
              setChosen(Math.max(0, chosen - 1));
            }}
          />
        )}
        <p className={styles.acts}>
          <button
            type="button"
            className="act"
            onClick={() => {
              const name = `pin ${board.pins.length + 1}`;
              onPut({ pins: [...board.pins, { name, abilities: ["digital"], code: "", timer: "" }] });
              setChosen(board.pins.length);
            }}
          >
            Add a pin
          </button>
          {numbered && (
            <button
              type="button"
              className="act"
              onClick={() => onPut({ pins: board.pins.map((old) => ({ ...old, name: old.code || old.name })) })}
            >
              Name all pins as in the program
            </button>
          )}
        </p>
        <PinList
          onTake={(pins) => {
            onPut({ pins: known(pins, rig.rig.board) });
            setChosen(0);
          }}
        />
      </div>
    </section>
  );
}
