import { useQuery } from "@tanstack/react-query";
import { api, ask } from "../api/client";
import { useBench } from "../hooks/bench";

/** The running recording's marks on the feed's own time axis. */
export function useRecordingMarks(): { t: number; label: string }[] {
  const bench = useBench();
  const recording = bench.now.recording;
  const opened = useQuery({
    queryKey: ["r", bench.rig.slug, "recording", recording?.id],
    enabled: recording !== null,
    queryFn: () =>
      ask(api.GET("/api/recordings/{recording_id}", { params: { path: { recording_id: recording?.id ?? 0 } } })),
  });
  const start = recording?.start_s;
  if (start === null || start === undefined) return [];
  return (opened.data?.marks ?? []).map((mark) => ({ t: start + mark.t0_s, label: mark.label }));
}
