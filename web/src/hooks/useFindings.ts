import { useIsFetching, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, ask } from "../api/client";
import { keys } from "../api/keys";
import type { Finding } from "../model/live";
import { useNow } from "./live";
import { usePlace } from "./place";

/** What looks wrong: in the recording that is open, else in what comes live. */
export function useFindings(): { findings: Finding[]; looking: boolean; lookedAt: number; failed: string } {
  const place = usePlace();
  const now = useNow();
  const queries = useQueryClient();
  const id = place.recordingId;
  const lanes = keys.lanes(place.rig.slug, id);
  useIsFetching({ queryKey: lanes });
  const drawn = queries
    .getQueryCache()
    .findAll({ queryKey: lanes })
    .some((query) => query.state.data !== undefined); // what is looked for must not hold up what is looked at
  const findings = useQuery({
    queryKey: keys.findings(place.rig.slug, id),
    enabled: id !== null && drawn,
    queryFn: () =>
      ask(api.GET("/api/recordings/{recording_id}/findings", { params: { path: { recording_id: id ?? 0 } } })),
    placeholderData: (old, query) => (query?.queryKey.at(-1) === id ? old : undefined),
  });
  if (id === null) return { findings: now.findings, looking: false, lookedAt: 1, failed: "" };
  return {
    findings: findings.data?.findings ?? [],
    looking: findings.isPending,
    lookedAt: findings.data?.looked_at ?? 1,
    failed: findings.error?.message ?? "",
  };
}
