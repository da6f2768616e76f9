import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { api, ask } from "../api/client";
import { keys } from "../api/keys";
import { renew } from "../api/renew";
import { useLive, useNow } from "../hooks/live";
import { troubleOf } from "../model/trouble";
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
  const sentence = troubleOf(app, health.data, now.recording ?? null);
  if (!sentence) return null;
  return (
    <p className={styles.away} role="alert">
      {sentence}
    </p>
  );
}
