import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { api, ask } from "../api/client";
import { keys } from "../api/keys";
import { renew } from "../api/renew";
import { useLive, useNow } from "../hooks/live";
import styles from "./Away.module.css";

/** Says what is away, in a line above the work, and fetches everything anew when it is back. */
export function Away() {
  const live = useLive();
  const now = useNow();
  const queries = useQueryClient();
  const health = useQuery({
    queryKey: keys.health,
    queryFn: () => ask(api.GET("/api/health")),
    refetchInterval: 3000,
    retry: false,
  });
  const database = health.data?.database !== false;
  const app = live.feed.link !== "away" && !health.isError;
  const well = database && app;
  const before = useRef(well);
  useEffect(() => {
    if (well && !before.current) void renew(queries);
    before.current = well;
  }, [well, queries]);
  const unwell = health.data?.unwell ?? [];
  if (well && !now.recording?.store_away && unwell.length === 0) return null;
  return (
    <p className={styles.away} role="alert">
      {!app
        ? "Tick Stone itself does not answer. Start it again; this page goes on by itself."
        : well && !now.recording?.store_away
          ? `A part of Tick Stone crashed and is begun again: ${unwell.map((worker) => worker.name).join(", ")}. The log in the data folder says why.`
          : now.recording
            ? "The database is away. Recording goes on in memory; the counter stands until it is back."
            : "The database is away. Nothing is lost; this page goes on by itself when it is back."}
    </p>
  );
}
