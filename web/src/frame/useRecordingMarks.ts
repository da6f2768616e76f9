import { useQuery } from "@tanstack/react-query";
import { api, ask } from "../api/client";
import { keys } from "../api/keys";
import { useNow } from "../hooks/live";
import { usePlace } from "../hooks/place";
import type { StripMark } from "../plot/Strip";

/** The running recording's marks, moments and spans, on the feed's own time axis. */
export function useRecordingMarks(): StripMark[] {
  const place = usePlace();
  const now = useNow();
  const recording = now.recording;
  const opened = useQuery({
    queryKey: keys.recording(place.rig.slug, recording?.id),
    enabled: recording !== null,
    queryFn: () =>
      ask(api.GET("/api/recordings/{recording_id}", { params: { path: { recording_id: recording?.id ?? 0 } } })),
  });
  const start = recording?.start_s;
  if (start === null || start === undefined) return [];
  return (opened.data?.marks ?? []).map((mark) => ({
    t0: start + mark.t0_s,
    t1: mark.t1_s === null ? null : start + mark.t1_s,
    label: mark.label,
  }));
}
