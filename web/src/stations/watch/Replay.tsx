import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask } from "../../api/client";
import { keys } from "../../api/keys";
import { useAct } from "../../hooks/act";

/** Tell the recording again as a source, at any speed. */
export function Replay({ id }: { id: number }) {
  const act = useAct();
  const [speed, setSpeed] = useState(1);
  const sources = useQuery({ queryKey: keys.sources, queryFn: () => ask(api.GET("/api/sources")) });
  return (
    <span>
      <button type="button" className="act" onClick={() => void act.connect({ kind: "replay", recording: id, speed })}>
        Replay it
      </button>
      <select aria-label="Speed of the replay" value={speed} onChange={(event) => setSpeed(Number(event.target.value))}>
        {(sources.data?.speeds ?? [1]).map((speed) => (
          <option key={speed} value={speed}>
            × {speed}
          </option>
        ))}
      </select>
    </span>
  );
}
