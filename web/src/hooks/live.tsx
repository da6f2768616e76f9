/** What comes live from the rig that is open. */

import { type ReactNode, useMemo, useState } from "react";
import type { FeedNow, LiveFeed } from "../model/live";
import { rigContext } from "./rigContext";
import { useFeedNow, useFeedPart } from "./useFeedNow";

interface Live {
  feed: LiveFeed;
  connected: boolean;
  frozen: boolean;
  setFrozen: (frozen: boolean) => void;
}

const [LiveContext, useLive] = rigContext<Live>("useLive");

export { useLive };

/** What comes live, at most 8 changes a second: only what shows it is drawn again. */
export function useNow(): FeedNow {
  return useFeedNow(useLive().feed);
}

/** What is being held, if anything is. */
export function useHold() {
  return useFeedPart(useLive().feed, (now) => now.hold);
}

export function LiveProvider({ feed, children }: { feed: LiveFeed; children: ReactNode }) {
  const [frozen, setFrozen] = useState(false);
  const connected = useFeedPart(feed, (now) => now.status === "live" || now.status === "silent");
  const live = useMemo(() => ({ feed, connected, frozen, setFrozen }), [feed, connected, frozen]);
  return <LiveContext value={live}>{children}</LiveContext>;
}
