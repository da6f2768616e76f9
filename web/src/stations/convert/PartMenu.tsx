import { useQuery } from "@tanstack/react-query";
import { api, ask } from "../../api/client";
import { keys } from "../../api/keys";
import { useAddress } from "../../hooks/useAddress";
import benches from "../../ui/benches.module.css";
import styles from "./PartMenu.module.css";

interface Props {
  /** The rig's selected sensor, where there is a rig. */
  sensor?: { name: string; onPick: () => void };
}

/** What is worked: the rig's sensor, or a loose part of any kind. */
export function PartMenu({ sensor }: Props) {
  const { search, put } = useAddress();
  const kinds = useQuery({ queryKey: keys.kinds, queryFn: () => ask(api.GET("/api/kinds")), staleTime: Infinity });
  const part = search.get("part") ?? "";
  const bench = search.get("bench");
  return (
    <>
      {sensor && (
        <button
          type="button"
          className={benches.benchLink}
          aria-current={!bench && !part ? "page" : undefined}
          onClick={sensor.onPick}
        >
          {sensor.name}
        </button>
      )}
      <label className={`${benches.benchLink} ${styles.benchPart}${part && !bench ? ` ${styles.on}` : ""}`}>
        <span className="visually-hidden">A part without a rig</span>
        <select
          value={bench ? "" : part}
          onChange={(event) => {
            const fresh: Record<string, null> = {};
            for (const name of search.keys()) if (/^[rc]\./.test(name)) fresh[name] = null;
            put({ ...fresh, part: event.target.value || null, bench: null }, false);
          }}
        >
          <option value="">a part without a rig …</option>
          {kinds.data?.map((kind) => (
            <option key={kind.id} value={kind.id}>
              {kind.title}
            </option>
          ))}
        </select>
      </label>
    </>
  );
}
