import { useAddress } from "../../hooks/useAddress";
import type { Decision } from "../../hooks/useDecision";
import styles from "./From.module.css";

/** Which recordings the choice is made on, and which one tests it. */
export function From({ decision }: { decision: Decision }) {
  const { search, put } = useAddress();
  const asked = search.get("from");
  const used =
    asked === null
      ? decision.sources.filter((source) => source.used).map((source) => source.id)
      : asked.split(",").filter(Boolean).map(Number);
  if (!decision.sources.length) return null;
  if (decision.most === 1)
    return (
      <label className={styles.noiseFrom}>
        Looked at{" "}
        <select value={used[0] ?? ""} onChange={(event) => put({ from: event.target.value })}>
          <option value="">no recording</option>
          {decision.sources.map((source) => (
            <option key={source.id} value={source.id}>
              {source.name}
            </option>
          ))}
        </select>
      </label>
    );
  const toggle = (id: number) =>
    put({ from: (used.includes(id) ? used.filter((other) => other !== id) : [...used, id]).join(",") });
  return (
    <fieldset className={styles.chosenFrom}>
      <legend>Chosen from</legend>
      {decision.sources.map((source) => (
        <label key={source.id}>
          <input
            type="checkbox"
            checked={used.includes(source.id)}
            disabled={source.id === decision.test_id}
            onChange={() => toggle(source.id)}
          />{" "}
          {source.name}
        </label>
      ))}
      {decision.drawing?.draws === "heaps" && (
        <label>
          Tested on{" "}
          <select value={decision.test_id ?? ""} onChange={(event) => put({ test: event.target.value || null })}>
            <option value="">nothing yet</option>
            {decision.sources
              .filter((source) => !used.includes(source.id))
              .map((source) => (
                <option key={source.id} value={source.id}>
                  {source.name}
                </option>
              ))}
          </select>
        </label>
      )}
    </fieldset>
  );
}
