import { useQuery } from "@tanstack/react-query";
import { api, ask } from "../api/client";
import { keys } from "../api/keys";
import { usePlace } from "./place";

const EVERY_MS = 1000;

/** How the rig's stand-in stands on the track; null while it is on the bench, undefined where there is none. */
export function useTrack() {
  const { rig } = usePlace();
  return useQuery({
    queryKey: keys.track(rig.slug),
    queryFn: () => ask(api.GET("/api/rigs/{slug}/drive/track", { params: { path: { slug: rig.slug } } })),
    refetchInterval: (query) => (query.state.data ? EVERY_MS : false),
    retry: false,
  });
}
