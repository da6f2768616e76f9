import { useSyncExternalStore } from "react";
import type { FeedNow, LiveFeed } from "../model/live";

/** The feed's state, at most 8 changes a second. */
export function useFeedNow(feed: LiveFeed): FeedNow {
  return useSyncExternalStore(feed.subscribe, feed.snapshot);
}

/** One part of the feed's state as it stands there: nothing is drawn again while it stays the same. */
export function useFeedPart<T>(feed: LiveFeed, part: (now: FeedNow) => T): T {
  return useSyncExternalStore(feed.subscribe, () => part(feed.snapshot()));
}
