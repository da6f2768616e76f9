import { useSyncExternalStore } from "react";
import type { FeedNow, LiveFeed } from "../model/live";

/** The feed's state, at most 8 changes a second. */
export function useFeedNow(feed: LiveFeed): FeedNow {
  return useSyncExternalStore(feed.subscribe, feed.snapshot);
}
