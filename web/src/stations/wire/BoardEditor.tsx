import { useEffect, useState } from "react";
import { api, type Rig } from "../../api/client";
import { usePlace } from "../../hooks/place";
import { useFaults } from "../../hooks/useFaults";
import { useLists } from "../../hooks/useLists";
import { Cell } from "../../ui/Cell";
import table from "../../ui/table.module.css";
import styles from "./BoardEditor.module.css";
import shared from "./shared.module.css";
import { useRigChange } from "./useRigChange";
import type { ViewProps } from "./views";

type Board = Rig["rig"]["board"];
type Pin = Board["pins"][number];
type Ability = Pin["abilities"][number];
type Numbers = { [K in keyof Board]: Board[K] extends number | null ? K : never }[keyof Board];

const LEVELS: [Numbers, string, string][] = [
  ["logic_v", "an output gives when high", "V"],
  ["limit_v", "a pin bears at most", "V"],
  ["high_level_v", "surely reads high from", "V"],
  ["low_level_v", "surely reads low up to", "V"],
  ["supply_ma", "gives in all", "mA"],
  ["pin_ma", "one pin gives", "mA"],
  ["pins_ma", "all pins together give", "mA"],
  ["adc_bits", "converter (empty: none)", "bits"],
  ["adc_reference_v", "converter's reference", "V"],
  ["clock_mhz", "clock", "MHz"],
  ["tick_us", "timer step", "µs"],
  ["jitter_us", "times an edge within", "µs"],
];
const SERVICES = ["servo", "tone", "capture"];

/** One's own board: its levels and limits, its rails, and what each pin can do, by the names printed on it. */
export function BoardEditor({ onEdit }: ViewProps) {
  const { rig } = usePlace();
  return <EditorOf key={JSON.stringify(rig.rig.board)} rig={rig} onEdit={onEdit} />;
}

function EditorOf({ rig, onEdit }: { rig: Rig } & ViewProps) {
  const { change, refusal, path, revision } = useRigChange();
  const lists = useLists();
  const [board, setBoard] = useState<Board>(rig.rig.board);
  const { faulty, onFault: fault, forget } = useFaults();
  const [begun, setBegun] = useState(0); // cells begin anew when the board is left as it was
  const changed = faulty.length > 0 || JSON.stringify(board) !== JSON.stringify(rig.rig.board);
  const doing = faulty.length
    ? `“${faulty[0]}” is no number that can be`
    : changed
      ? "This board is changed, and not kept yet"
      : "";
  useEffect(() => {
    onEdit(doing);
    return () => onEdit("");
  }, [doing, onEdit]);
  const leave = () => {
    setBoard(rig.rig.board);
    forget();
    setBegun(begun + 1);
  };
  const put = (part: Partial<Board>) => setBoard((old) => ({ ...old, ...part }));
  const save = () =>
    void change(
      api.PUT("/api/rigs/{slug}/board", { ...path, body: { board, revision } }),
      `${board.title} is kept; wires on pins that are gone found new ones.`,
    );
  const parts = { board, onPut: put, onFault: fault };
  return (
    <>
      <div className={shared.wireBoard}>
        <label className="field">
          <span>Name</span>
          <input value={board.title} maxLength={60} onChange={(event) => put({ title: event.target.value })} />
        </label>
        <span className="spring" />
        {changed && (
          <>
            <button type="button" className="act" onClick={leave}>
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
        Type the names printed on it; “in the program” is what a program calls the pin.
      </p>
      <p className="field-fault" role="alert">
        {refusal?.message}
      </p>
      <div className={styles.boardEditor} key={begun}>
        <Levels {...parts} />
        <section className={styles.inColumns}>
          <Rails {...parts} />
          <Timers board={board} onPut={put} />
          <Programs board={board} onPut={put} />
        </section>
        <Pins board={board} abilities={lists.data?.abilities ?? []} onPut={put} />
      </div>
    </>
  );
}

interface PartProps {
  board: Board;
  onPut: (part: Partial<Board>) => void;
}

interface NumberProps extends PartProps {
  onFault: (label: string) => (faulty: boolean) => void;
}

/** What its pins give and bear, and its converter and clock. */
function Levels({ board, onPut, onFault }: NumberProps) {
  return (
    <section>
      <h2>Levels and limits</h2>
      <div className={styles.inColumns}>
        {LEVELS.map(([name, label, unit]) => (
          <div key={name} className="field">
            <span>{label}</span>
            <span>
              <Cell
                label={label}
                value={board[name] as number | null}
                low={0}
                needed={!name.startsWith("adc")}
                onFault={onFault(label)}
                onChange={(value) => onPut({ [name]: value } as Partial<Board>)}
              />{" "}
              {unit}
            </span>
          </div>
        ))}
      </div>
    </section>
  );
}

/** The rails printed on it, with their volts. */
function Rails({ board, onPut, onFault }: NumberProps) {
  return (
    <div>
      <h2>Rails</h2>
      {board.rails.map((rail, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: the name is what is being typed
        <div key={i} className={styles.railLine}>
          <input
            aria-label={`name of rail ${i + 1}`}
            value={rail.name}
            onChange={(event) =>
              onPut({ rails: board.rails.map((r, at) => (at === i ? { ...r, name: event.target.value } : r)) })
            }
          />
          <Cell
            label={`volts of ${rail.name}`}
            value={rail.volts}
            low={0}
            needed
            onFault={onFault(`volts of ${rail.name}`)}
            onChange={(volts) =>
              volts !== null && onPut({ rails: board.rails.map((r, at) => (at === i ? { ...r, volts } : r)) })
            }
          />
          V
        </div>
      ))}
    </div>
  );
}

/** The timers that services of a program take. */
function Timers({ board, onPut }: PartProps) {
  return (
    <div>
      <h2>Timers taken</h2>
      {SERVICES.map((service) => (
        <label key={service} className="field">
          <span>{service}</span>
          <input
            placeholder="none"
            value={board.services.find((other) => other.name === service)?.timer ?? ""}
            onChange={(event) => {
              const others = board.services.filter((other) => other.name !== service);
              const timer = event.target.value;
              onPut({ services: timer ? [...others, { name: service, timer }] : others });
            }}
          />
        </label>
      ))}
    </div>
  );
}

/** The languages of programs that it runs. */
function Programs({ board, onPut }: PartProps) {
  return (
    <div>
      <h2>Programs it runs</h2>
      <label className="field">
        <span>C++</span>
        <input
          type="checkbox"
          checked={board.programs.includes("cpp")}
          onChange={(event) =>
            onPut({
              programs: [
                ...(event.target.checked ? ["cpp"] : []),
                ...board.programs.filter((program) => program !== "cpp"),
              ],
            })
          }
        />
      </label>
      <label className="field">
        <span>Python</span>
        <select
          value={board.programs.includes("python") ? board.python : ""}
          onChange={(event) => {
            const python = event.target.value;
            const others = board.programs.filter((program) => program !== "python");
            onPut({ python, programs: python ? [...others, "python"] : others });
          }}
        >
          <option value="">no</option>
          <option value="machine">with the pin module “machine”</option>
          <option value="linux">with the kernel's pins, on a computer</option>
        </select>
      </label>
    </div>
  );
}

/** What each of its pins can do. */
function Pins({ board, abilities, onPut }: PartProps & { abilities: Ability[] }) {
  return (
    <section>
      <h2>Pins</h2>
      <div className={table.tableScroll}>
        <table className={`${table.schedule} ${styles.pinsTable}`}>
          <thead>
            <tr>
              <th scope="col">Print</th>
              <th scope="col">In the program</th>
              {abilities.map((ability) => (
                <th key={ability} scope="col">
                  {ability}
                </th>
              ))}
              <th scope="col">Timer</th>
              <th scope="col">
                <span className="visually-hidden">Remove</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {board.pins.map((pin, i) => (
              <PinRow
                // biome-ignore lint/suspicious/noArrayIndexKey: the name is what is being typed
                key={i}
                pin={pin}
                place={i}
                abilities={abilities}
                onEdit={(part) => onPut({ pins: board.pins.map((pin, at) => (at === i ? { ...pin, ...part } : pin)) })}
                onRemove={() => onPut({ pins: board.pins.filter((_, at) => at !== i) })}
              />
            ))}
          </tbody>
        </table>
      </div>
      <p>
        <button
          type="button"
          className="act"
          onClick={() =>
            onPut({
              pins: [
                ...board.pins,
                { name: `pin ${board.pins.length + 1}`, abilities: ["digital"], code: "", timer: "" },
              ],
            })
          }
        >
          Add a pin
        </button>
      </p>
    </section>
  );
}

interface PinProps {
  pin: Pin;
  place: number;
  abilities: Ability[];
  onEdit: (part: Partial<Pin>) => void;
  onRemove: () => void;
}

/** One pin: its name, what it can do, its timer. */
function PinRow({ pin, place, abilities, onEdit, onRemove }: PinProps) {
  return (
    <tr>
      <td>
        <input
          className={`cell ${styles.wide}`}
          aria-label={`print of pin ${place + 1}`}
          value={pin.name}
          onChange={(event) => onEdit({ name: event.target.value })}
        />
      </td>
      <td>
        <input
          className="cell"
          aria-label={`${pin.name} in the program`}
          value={pin.code}
          onChange={(event) => onEdit({ code: event.target.value })}
        />
      </td>
      {abilities.map((ability) => (
        <td key={ability}>
          <input
            type="checkbox"
            aria-label={`${pin.name} ${ability}`}
            checked={pin.abilities.includes(ability)}
            onChange={(event) =>
              onEdit({
                abilities: abilities.filter((can) =>
                  can === ability ? event.target.checked : pin.abilities.includes(can),
                ),
              })
            }
          />
        </td>
      ))}
      <td>
        <input
          className="cell"
          aria-label={`${pin.name} timer`}
          value={pin.timer}
          onChange={(event) => onEdit({ timer: event.target.value })}
        />
      </td>
      <td>
        <button type="button" className="plain" aria-label={`Remove ${pin.name}`} onClick={onRemove}>
          Remove
        </button>
      </td>
    </tr>
  );
}
