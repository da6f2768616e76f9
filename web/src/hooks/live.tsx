/** What comes live from the rig that is open. */

import { createContext, type ReactNode, useContext, useMemo, useState } from "react";
import type { FeedNow, LiveFeed } from "../model/live";
import { useFeedNow, useFeedPart } from "./useFeedNow";

interface Live {
  feed: LiveFeed;
  connected: boolean;
  frozen: boolean;
  setFrozen: (frozen: boolean) => void;
}

const Context = createContext<Live | null>(null);

export function useLive(): Live {
  const live = useContext(Context);
  if (!live) throw new Error("useLive outside of a rig");
  return live;
}

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
  return <Context.Provider value={live}>{children}</Context.Provider>;
}
