import { useQuery } from "@tanstack/react-query";
import { useRef } from "react";
import { api, ask, type Schemas } from "../api/client";
import { keys } from "../api/keys";
import type { DriveRun } from "../model/drive";
import { usePlace } from "./place";
import { useAddress } from "./useAddress";

export type Able = Schemas["AbleModel"];
export type Given = Record<string, number>;
export type Asked = Schemas["DriveAsked"];
export type Difference = Schemas["DifferenceModel"];

const SECONDS = 30;
const LONGEST_S = 600;
const LOOK_MS = 400;

/** Numbers for this run alone, as they stand in the address: name:value, name:value. */
function givenIn(text: string | null): Given {
  const given: Given = {};
  for (const part of (text ?? "").split(",")) {
    const [name, value] = part.split(":");
    if (name && value && Number.isFinite(Number(value))) given[name] = Number(value);
  }
  return given;
}

/** The run that is open at Drive: behaviour, world, seed and numbers stand in the address, or the number of a kept one. The
 * run before it stays, to be drawn pale behind it; a kept one can be put there instead. */
export function useDrive() {
  const { rig } = usePlace();
  const { search, put } = useAddress();
  const path = { slug: rig.slug };
  const choices = useQuery({
    queryKey: keys.driveChoices(rig.slug),
    queryFn: () => ask(api.GET("/api/rigs/{slug}/drive", { params: { path } })),
  });
  const able = choices.data?.behaviours ?? [];
  const behaviour = able.find((each) => each.id === search.get("behaviour")) ?? able[0];
  const body: Asked & { given: Given } = {
    behaviour: behaviour?.id ?? "",
    world: search.get("world") ?? behaviour?.world ?? "",
    given: givenIn(search.get("set")),
    seconds: Math.min(LONGEST_S, Number(search.get("seconds")) || SECONDS),
    seed: Number(search.get("seed")) || 1,
    real: search.has("real"),
    integers: search.has("integers"),
  };
  const kept = Number(search.get("run")) || null;
  const worked = useQuery({
    queryKey: keys.drive(rig.slug, rig.version, body),
    queryFn: () => ask(api.POST("/api/rigs/{slug}/drive", { params: { path }, body })),
    enabled: kept === null && behaviour !== undefined && behaviour.lacks === "",
    placeholderData: (old) => (old?.behaviour === behaviour?.id ? old : undefined),
    retry: false,
  });
  const again = useKept(kept);
  const run = kept === null ? worked : again;
  const last = useBefore(run.isPlaceholderData ? undefined : run.data);
  const beside = Number(search.get("beside")) || null;
  const other = useKept(beside);
  const change = (changes: Record<string, string | null>) => put({ ...changes, run: null });
  const set = (changes: Record<string, number | null>) => {
    const next = Object.entries({ ...body.given, ...changes }).filter(([, value]) => value !== null);
    change({ set: next.map(([name, value]) => `${name}:${value}`).join(",") || null });
  };
  const before = beside === null ? last : other.data;
  return { choices: choices.data, behaviour, body, kept, beside, run, before, set, change, put };
}

export type Drive = ReturnType<typeof useDrive>;

/** How much of the run is worked out that is waited for, 0 to 1; null while none takes long. */
export function useRunning(waiting: boolean): number | null {
  const { rig } = usePlace();
  const running = useQuery({
    queryKey: keys.running(rig.slug),
    queryFn: () => ask(api.GET("/api/rigs/{slug}/drive/running", { params: { path: { slug: rig.slug } } })),
    enabled: waiting,
    refetchInterval: LOOK_MS,
    gcTime: 0,
  });
  return waiting ? (running.data?.[0]?.share ?? null) : null;
}

/** A kept run, repeated exactly. */
function useKept(number: number | null) {
  const { rig } = usePlace();
  return useQuery({
    queryKey: keys.trial(rig.slug, number),
    queryFn: () =>
      ask(api.GET("/api/rigs/{slug}/trials/{number}", { params: { path: { slug: rig.slug, number: number ?? 0 } } })),
    enabled: number !== null,
    retry: false,
  });
}

/** The run before the one that is shown now, in the same world. */
function useBefore(run: DriveRun | undefined): DriveRun | undefined {
  const kept = useRef<{ now?: DriveRun; before?: DriveRun }>({});
  if (run && run !== kept.current.now) kept.current = { now: run, before: kept.current.now };
  const { now, before } = kept.current;
  return now && before && before.world.name === now.world.name ? before : undefined;
}
