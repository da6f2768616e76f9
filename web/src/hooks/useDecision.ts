import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, ask, type Schemas } from "../api/client";
import { keys } from "../api/keys";
import { usePlace } from "./place";
import { useAddress } from "./useAddress";

export type Decision = Schemas["DecisionModel"];
export type Choice = Decision["choices"][number];
export type Picked = Record<string, number>;

const QUIET_MS = 200;

/** A value that follows once it has been quiet for a moment. */
function useQuiet<T>(value: T): T {
  const [quiet, setQuiet] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setQuiet(value), QUIET_MS);
    return () => clearTimeout(timer);
  }, [value]);
  return quiet;
}

/** The decision that is open at Decide: the one in the address, or the sensor's first; worked out with what is picked. */
export function useDecision(picked: Picked) {
  const place = usePlace();
  const { search } = useAddress();
  const path = { slug: place.rig.slug, sensor: place.sensor.id };
  const known = place.sensor.decisions;
  const asked = search.get("decision");
  const name = asked && known.includes(asked) ? asked : known[0];
  const from = search.get("from");
  const test = Number(search.get("test")) || undefined;
  const quiet = useQuiet(picked);
  const lines = useQuery({
    queryKey: keys.decisions(path.slug, path.sensor),
    queryFn: () => ask(api.GET("/api/rigs/{slug}/sensors/{sensor}/decisions", { params: { path } })),
    enabled: known.length > 0,
  });
  const decision = useQuery({
    queryKey: keys.decision(path.slug, path.sensor, name, from, test, quiet),
    queryFn: () =>
      ask(
        api.GET("/api/rigs/{slug}/sensors/{sensor}/decisions/{name}", {
          params: {
            path: { ...path, name: name ?? "" },
            query: {
              from: from ? from.split(",").map(Number) : undefined,
              none: from === "",
              test,
              pick: Object.entries(quiet).map(([constant, value]) => `${constant}:${value}`),
            },
          },
        }),
      ),
    enabled: name !== undefined,
    placeholderData: (old) => (old?.decision === name ? old : undefined),
  });
  return { name, lines: lines.data ?? [], found: decision.data, error: decision.error };
}
