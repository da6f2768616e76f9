import { keys } from "../api/keys";
/** What a person does to the rig that is open. */

import { useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useCallback, useEffect, useMemo, useRef } from "react";
import { useNavigate } from "react-router";
import { api, ask, Refused, type Rig, type Schemas, sent } from "../api/client";
import { useLive } from "./live";
import { say } from "./notice";
import { addressOf, usePlace } from "./place";
import { rigContext } from "./rigContext";
import { useFeedPart } from "./useFeedNow";
import { useRefresh } from "./useRefresh";

type SourceAsked = Schemas["SourceAsked"];

/** Ask for a change: what is to be told when the server has answered, and how it is undone. Comes back when everything shown
 * has been looked at again, which may be long after the answer: whatever else was done meanwhile must stand. */
type Attempt = <T>(
  what: Promise<T>,
  done?: string | ((answer: T) => string | null),
  undo?: (answer: T) => void,
) => Promise<T | null>;

interface Act {
  attempt: Attempt;
  connect: (source?: Partial<SourceAsked>) => Promise<void>;
  disconnect: () => Promise<void>;
  record: () => Promise<void>;
  mark: (words?: Partial<Schemas["LiveMark"]>) => Promise<boolean>;
  undoRig: () => Promise<void>;
}

const [ActContext, useAct] = rigContext<Act>("useAct");

export { useAct };

const SHOWN_PART = { recording: null, t0: null, t1: null, t: null };

export function ActProvider({ children }: { children: ReactNode }) {
  const { rig, station, recordingId } = usePlace();
  const { feed, connected } = useLive();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const slug = rig.slug;
  const refresh = useRefresh(slug);
  const version = useFeedPart(feed, (now) => now.version);
  const recording = useFeedPart(feed, (now) => now.recording !== null);
  const marking = useRef<Promise<unknown>>(Promise.resolve());

  useEffect(() => {
    if (version) void refresh();
  }, [version, refresh]);

  const attempt = useCallback<Attempt>(
    async (what, done, undo) => {
      try {
        const answer = await what;
        const text = typeof done === "function" ? done(answer) : done;
        if (text) say({ text, tone: "said", undo: undo && (() => undo(answer)) });
        await refresh();
        return answer;
      } catch (error) {
        const text = error instanceof Refused ? error.message : "Something went wrong here; nothing was changed.";
        say({ text, tone: "fault" });
        if (error instanceof Refused && error.code === "conflict") await refresh();
        return null;
      }
    },
    [refresh],
  );

  const act = useMemo<Act>(() => {
    const path = { params: { path: { slug } } };
    return {
      attempt,
      connect: async (source = { kind: "stand-in" }) => {
        say(null);
        const connected = ask(api.POST("/api/rigs/{slug}/connect", { ...path, body: sent<SourceAsked>(source) }));
        const replay = source.kind === "replay";
        await attempt(
          connected.then((answer) => {
            if (recordingId || replay) navigate(addressOf(slug, replay ? "watch" : station, SHOWN_PART));
            return answer;
          }),
        );
      },
      disconnect: async () => {
        await attempt(ask(api.POST("/api/rigs/{slug}/disconnect", path)));
      },
      record: async () => {
        if (recording) {
          await marking.current; // a mark that is on its way belongs to it still
          await attempt(ask(api.POST("/api/rigs/{slug}/stop", path)), ({ id }) =>
            id ? "The recording is kept." : null,
          );
        } else if (connected) {
          await attempt(ask(api.POST("/api/rigs/{slug}/record", { ...path, body: { name: "" } })));
        } else {
          say({ text: "Connect the board or the stand-in first: press C.", tone: "fault" });
        }
      },
      mark: async (words = {}) => {
        const done = words.lasted_s ? `Marked a span of ${words.lasted_s.toFixed(1)}\u2009s.` : "Marked.";
        const made = ask(api.POST("/api/rigs/{slug}/marks", { ...path, body: sent<Schemas["LiveMark"]>(words) }));
        const kept = made.then(
          () => true,
          () => false,
        );
        void attempt(made, done);
        marking.current = kept;
        return kept;
      },
      undoRig: async () => {
        const fresh = queries.getQueryData<Rig>(keys.stored(slug)) ?? rig;
        const body = { revision: fresh.revision };
        await attempt(ask(api.POST("/api/rigs/{slug}/undo", { ...path, body })), "Taken back.");
      },
    };
  }, [rig, slug, station, recordingId, connected, recording, navigate, queries, attempt]);

  return <ActContext value={act}>{children}</ActContext>;
}
