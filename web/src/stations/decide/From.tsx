import { useAddress } from "../../hooks/useAddress";
import type { Decision } from "../../hooks/useDecision";
import styles from "./From.module.css";

/** Which recordings the choice is made on, and which one tests it. */
export function From({ found }: { found: Decision }) {
  const { search, put } = useAddress();
  const asked = search.get("from");
  const used =
    asked === null
      ? found.sources.filter((one) => one.used).map((one) => one.id)
      : asked.split(",").filter(Boolean).map(Number);
  if (!found.sources.length) return null;
  if (found.most === 1)
    return (
      <label className={styles.noiseFrom}>
        Looked at{" "}
        <select value={used[0] ?? ""} onChange={(event) => put({ from: event.target.value })}>
          <option value="">no recording</option>
          {found.sources.map((one) => (
            <option key={one.id} value={one.id}>
              {one.name}
            </option>
          ))}
        </select>
      </label>
    );
  const toggle = (id: number) =>
    put({ from: (used.includes(id) ? used.filter((one) => one !== id) : [...used, id]).join(",") });
  return (
    <fieldset className={styles.chosenFrom}>
      <legend>Chosen from</legend>
      {found.sources.map((one) => (
        <label key={one.id}>
          <input
            type="checkbox"
            checked={used.includes(one.id)}
            disabled={one.id === found.test_id}
            onChange={() => toggle(one.id)}
          />{" "}
          {one.name}
        </label>
      ))}
      {found.drawing?.draws === "heaps" && (
        <label className="tested-on">
          Tested on{" "}
          <select value={found.test_id ?? ""} onChange={(event) => put({ test: event.target.value || null })}>
            <option value="">nothing yet</option>
            {found.sources
              .filter((one) => !used.includes(one.id))
              .map((one) => (
                <option key={one.id} value={one.id}>
                  {one.name}
                </option>
              ))}
          </select>
        </label>
      )}
    </fieldset>
  );
}
