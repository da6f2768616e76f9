import type { Rig } from "../../api/client";
import { Cell } from "../../ui/Cell";
import styles from "./BoardEditor.module.css";

export type Board = Rig["rig"]["board"];
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

export interface PartProps {
  board: Board;
  onPut: (part: Partial<Board>) => void;
}

export interface NumberProps extends PartProps {
  onFault: (label: string) => (faulty: boolean) => void;
}

/** What its pins give and bear, and its converter and clock. */
export function Levels({ board, onPut, onFault }: NumberProps) {
  return (
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
  );
}

/** The rails printed on it, with their volts. */
export function Rails({ board, onPut, onFault }: NumberProps) {
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
export function Timers({ board, onPut }: PartProps) {
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
export function Programs({ board, onPut }: PartProps) {
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
