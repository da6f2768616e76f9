import { useQuery, useQueryClient } from "@tanstack/react-query";
import { createContext, type ReactNode, useCallback, useContext, useEffect, useMemo, useRef, useState } from "react";
import { useNavigate, useParams, useSearchParams } from "react-router";
import {
  api,
  ask,
  type Constant,
  Refused,
  type Rig,
  type Schemas,
  type Sensor,
  type Standing,
  sent,
} from "../api/client";
import { addressed } from "../model/address";
import type { FeedNow, LiveFeed } from "../model/live";
import { isStation, type StationId } from "../model/stations";
import { useSettings } from "./settings";
import { useFeedNow, useFeedPart } from "./useFeedNow";
import { useRefresh } from "./useRefresh";

export interface Notice {
  text: string;
  tone: "said" | "fault";
  undo?: () => void;
}

type SourceAsked = Schemas["SourceAsked"];

/** Ask for a change: what is to be told when the server has answered, and how it is undone. Comes back when everything shown
 * has been looked at again, which may be long after the answer: whatever else was done meanwhile must stand. */
type Attempt = <T>(
  what: Promise<T>,
  done?: string | ((answer: T) => string | null),
  undo?: (answer: T) => void,
) => Promise<T | null>;

export interface Bench {
  rig: Rig;
  sensor: Sensor;
  station: StationId;
  constants: Constant[];
  standing: Standing[];
  feed: LiveFeed;
  connected: boolean;
  frozen: boolean;
  recordingId: number | null;
  notice: Notice | null;
  constant: (name: string) => Constant | undefined;
  go: (station: StationId, search?: Record<string, string | null>) => void;
  pick: (sensor: string) => void;
  show: (search: Record<string, string | null>) => void;
  setFrozen: (frozen: boolean) => void;
  say: (notice: Notice | null) => void;
  attempt: Attempt;
  connect: (source?: Partial<SourceAsked>) => Promise<void>;
  disconnect: () => Promise<void>;
  record: () => Promise<void>;
  mark: (said?: Partial<Schemas["LiveMark"]>) => Promise<boolean>;
  undoRig: () => Promise<void>;
}

const Context = createContext<Bench | null>(null);

/** The rig that is open, everywhere. */
export function useBench(): Bench {
  const bench = useContext(Context);
  if (!bench) throw new Error("useBench outside of a rig");
  return bench;
}

/** What comes live, at most 8 changes a second: only what shows it is drawn again. */
export function useNow(): FeedNow {
  return useFeedNow(useBench().feed);
}

/** What is being held, if anything is. */
export function useHold() {
  return useFeedPart(useBench().feed, (now) => now.hold);
}

export function useLength() {
  return useSettings().length;
}

const NOTICE_MS = 10_000;
const SAID_MS = 4_000;

export function BenchProvider({ rig, feed, children }: { rig: Rig; feed: LiveFeed; children: ReactNode }) {
  const params = useParams();
  const [search] = useSearchParams();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const status = useFeedPart(feed, (now) => now.status);
  const version = useFeedPart(feed, (now) => now.version);
  const recording = useFeedPart(feed, (now) => now.recording !== null);
  const airIsLive = useFeedPart(feed, (now) => now.air_c !== null);
  const [frozen, setFrozen] = useState(false);
  const [notice, setNotice] = useState<Notice | null>(null);
  const slug = rig.slug;
  const refresh = useRefresh(slug);
  const station: StationId = isStation(params.station) ? params.station : "wire";
  const sensor = rig.sensors.find((one) => one.id === search.get("sensor")) ?? rig.sensors[0];
  if (!sensor) throw new Error("a rig without sensors");

  useEffect(() => {
    if (version) void refresh();
  }, [version, refresh]);

  const constants = useQuery({
    queryKey: ["r", slug, "constants", sensor.id, airIsLive],
    queryFn: () =>
      ask(api.GET("/api/rigs/{slug}/sensors/{sensor}/constants", { params: { path: { slug, sensor: sensor.id } } })),
    placeholderData: (old) => old,
    refetchInterval: status === "live" ? 4000 : false, // the air is live
  });
  const standing = useQuery({
    queryKey: ["r", slug, "standing", sensor.id, status, recording],
    queryFn: () =>
      ask(api.GET("/api/rigs/{slug}/standing", { params: { path: { slug }, query: { sensor: sensor.id } } })),
    placeholderData: (old) => old,
  });

  const marking = useRef<Promise<unknown>>(Promise.resolve());
  const timer = useRef<ReturnType<typeof setTimeout> | null>(null);
  const say = useCallback((next: Notice | null) => {
    if (timer.current) clearTimeout(timer.current);
    setNotice(next);
    if (next)
      timer.current = setTimeout(() => setNotice(null), next.undo || next.tone === "fault" ? NOTICE_MS : SAID_MS);
  }, []);

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
        return null;
      }
    },
    [refresh, say],
  );

  const bench = useMemo<Bench>(() => {
    const path = { params: { path: { slug } } };
    const address = (to: StationId, changes: Record<string, string | null>) => {
      const tail = addressed(changes).toString();
      return `/${slug}/${to}${tail ? `?${tail}` : ""}`;
    };
    const connect = async (source: Partial<SourceAsked> = { kind: "stand-in" }) => {
      say(null);
      const live = () => {
        if (search.get("recording") || source.kind === "replay")
          navigate(
            address(source.kind === "replay" ? "watch" : station, { recording: null, t0: null, t1: null, t: null }),
          );
      };
      await attempt(
        ask(api.POST("/api/rigs/{slug}/connect", { ...path, body: sent<SourceAsked>(source) })).then((answer) => {
          live();
          return answer;
        }),
      );
    };
    const undoRig = async () => {
      const fresh = queries.getQueryData<Rig>(["r", slug, "rig"]) ?? rig;
      await attempt(
        ask(api.POST("/api/rigs/{slug}/undo", { ...path, body: { revision: fresh.revision } })),
        "Taken back.",
      );
    };
    return {
      rig,
      sensor,
      station,
      constants: constants.data ?? [],
      standing: standing.data ?? [],
      feed,
      connected: status === "live" || status === "silent",
      frozen,
      recordingId: Number(search.get("recording")) || null,
      notice,
      constant: (name) => constants.data?.find((one) => one.name === name),
      go: (to, changes = {}) => navigate(address(to, changes)),
      pick: (id) => navigate(address(station, { sensor: id })),
      show: (changes) => navigate(address(station, changes), { replace: true }),
      setFrozen,
      say,
      attempt,
      connect,
      disconnect: async () => {
        await attempt(ask(api.POST("/api/rigs/{slug}/disconnect", path)));
      },
      record: async () => {
        if (recording) {
          await marking.current; // a mark that is on its way belongs to it still
          await attempt(ask(api.POST("/api/rigs/{slug}/stop", path)), ({ id }) =>
            id ? "The recording is kept." : null,
          );
        } else if (status === "live" || status === "silent") {
          await attempt(ask(api.POST("/api/rigs/{slug}/record", { ...path, body: { name: "" } })));
        } else {
          say({ text: "Connect the board or the stand-in first: press C.", tone: "fault" });
        }
      },
      mark: async (said = {}) => {
        const done = said.lasted_s ? `Marked a span of ${said.lasted_s.toFixed(1)}\u2009s.` : "Marked.";
        const made = ask(api.POST("/api/rigs/{slug}/marks", { ...path, body: sent<Schemas["LiveMark"]>(said) }));
        const kept = made.then(
          () => true,
          () => false,
        );
        void attempt(made, done);
        marking.current = kept;
        return kept;
      },
      undoRig,
    };
  }, [
    rig,
    sensor,
    station,
    constants.data,
    standing.data,
    feed,
    status,
    recording,
    frozen,
    notice,
    search,
    slug,
    navigate,
    queries,
    attempt,
    say,
  ]);

  return <Context.Provider value={bench}>{children}</Context.Provider>;
}
