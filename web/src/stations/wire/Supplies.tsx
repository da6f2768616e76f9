import { useState } from "react";
import { api, type Rig } from "../../api/client";
import { usePlace } from "../../hooks/place";
import { type OnFault, useFaults } from "../../hooks/useFaults";
import { Cell } from "../../ui/Cell";
import table from "../../ui/table.module.css";
import styles from "./Supplies.module.css";
import { useRigChange } from "./useRigChange";

type Supply = Rig["rig"]["supplies"][number];

/** Supplies beside the board: batteries, regulators of their own. */
export function Supplies() {
  const { rig } = usePlace();
  const { change, refusal, path, revision } = useRigChange();
  const [supplies, setSupplies] = useState(rig.rig.supplies);
  const { faulty, onFault } = useFaults();
  const [from, setFrom] = useState(rig.rig.board_from);
  const put = (i: number, part: Partial<Supply>) =>
    setSupplies(supplies.map((supply, place) => (place === i ? { ...supply, ...part } : supply)));
  const remove = (i: number) => setSupplies(supplies.filter((_, place) => place !== i));
  const changed = JSON.stringify(supplies) !== JSON.stringify(rig.rig.supplies) || from !== rig.rig.board_from;
  const save = () =>
    void change(
      api.PUT("/api/rigs/{slug}/supplies", { ...path, body: { supplies, board_from: from, revision } }),
      "The supplies are changed.",
    );
  const add = () => {
    const names = supplies.map((supply) => supply.name);
    const name = names.includes("battery") ? `supply ${supplies.length + 1}` : "battery";
    setSupplies([...supplies, { name, volts: 7.4, most_v: 8.4, ma: 2000, grounded: true }]);
  };
  return (
    <section className={styles.supplies}>
      <h2>Supplies beside the board</h2>
      {supplies.length > 0 && <SupplyTable supplies={supplies} onFault={onFault} onPut={put} onRemove={remove} />}
      <label className="field">
        <span>The board is powered from</span>
        <select value={from} onChange={(event) => setFrom(event.target.value)}>
          {["USB", ...supplies.map((supply) => supply.name)].map((name) => (
            <option key={name}>{name}</option>
          ))}
        </select>
      </label>
      <p className="caution">Lithium cells: never short them, never puncture them, charge them watched.</p>
      <p className="field-fault" role="alert">
        {refusal?.message}
      </p>
      <p className="row-of-buttons">
        <button type="button" className="act" onClick={add}>
          Add a supply
        </button>
        {(changed || faulty.length > 0) && (
          <button type="button" className="act act-first" disabled={faulty.length > 0} onClick={save}>
            Keep the supplies
          </button>
        )}
      </p>
    </section>
  );
}

interface SupplyTableProps {
  supplies: Supply[];
  onFault: OnFault;
  onPut: (place: number, part: Partial<Supply>) => void;
  onRemove: (place: number) => void;
}

function SupplyTable({ supplies, onFault, onPut, onRemove }: SupplyTableProps) {
  return (
    <div className={table.tableScroll}>
      <table className={table.schedule}>
        <thead>
          <tr>
            <th scope="col">Name</th>
            <th scope="col">Volts</th>
            <th scope="col">When full</th>
            <th scope="col">Gives, mA</th>
            <th scope="col">Minus on the board's ground</th>
            <th scope="col">
              <span className="visually-hidden">Remove</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {supplies.map((supply, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: the name is what is being typed
            <tr key={i}>
              <td>
                <input
                  aria-label="Name"
                  value={supply.name}
                  onChange={(event) => onPut(i, { name: event.target.value })}
                />
              </td>
              {(["volts", "most_v", "ma"] as const).map((field) => (
                <td key={field}>
                  <Cell
                    label={`${supply.name} ${field}`}
                    value={supply[field]}
                    low={0}
                    needed
                    onFault={onFault(`${i} ${field}`)}
                    onChange={(value) => value !== null && onPut(i, { [field]: value })}
                  />
                </td>
              ))}
              <td>
                <input
                  type="checkbox"
                  aria-label={`${supply.name} minus on the board's ground`}
                  checked={supply.grounded}
                  onChange={(event) => onPut(i, { grounded: event.target.checked })}
                />
              </td>
              <td>
                <button type="button" className="plain" onClick={() => onRemove(i)}>
                  Remove
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
