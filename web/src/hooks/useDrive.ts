import { useQuery } from "@tanstack/react-query";
import { useRef } from "react";
import { api, ask, type Schemas } from "../api/client";
import { keys } from "../api/keys";
import type { DriveRun } from "../model/drive";
import { usePlace } from "./place";
import { useAddress } from "./useAddress";

export type Able = Schemas["AbleModel"];
export type Given = Record<string, number>;

/** Numbers for this run alone, as they stand in the address: name:value, name:value. */
function givenIn(text: string | null): Given {
  const given: Given = {};
  for (const part of (text ?? "").split(",")) {
    const [name, value] = part.split(":");
    if (name && value && Number.isFinite(Number(value))) given[name] = Number(value);
  }
  return given;
}

/** The run that is open at Drive: behaviour, world, seed and numbers stand in the address. The run before it stays, to be
 * drawn pale behind it. */
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
  const world = search.get("world") ?? behaviour?.world ?? "";
  const given = givenIn(search.get("set"));
  const seed = Number(search.get("seed")) || 1;
  const may = behaviour !== undefined && behaviour.lacks === "";
  const body = { behaviour: behaviour?.id ?? "", world, given, seconds: SECONDS, seed, real: false };
  const run = useQuery({
    queryKey: keys.drive(rig.slug, rig.version, body),
    queryFn: () => ask(api.POST("/api/rigs/{slug}/drive", { params: { path }, body })),
    enabled: may,
    placeholderData: (old) => (old?.behaviour === behaviour?.id ? old : undefined),
    retry: false,
  });
  const before = useBefore(run.isPlaceholderData ? undefined : run.data);
  const set = (changes: Record<string, number | null>) => {
    const next = Object.entries({ ...given, ...changes }).filter(([, value]) => value !== null);
    put({ set: next.map(([name, value]) => `${name}:${value}`).join(",") || null });
  };
  return { choices: choices.data, behaviour, world, given, seed, run, before, set, put };
}

const SECONDS = 30;

/** The run before the one that is shown now, in the same world. */
function useBefore(run: DriveRun | undefined): DriveRun | undefined {
  const kept = useRef<{ now?: DriveRun; before?: DriveRun }>({});
  if (run && run !== kept.current.now) kept.current = { now: run, before: kept.current.now };
  const { now, before } = kept.current;
  return now && before && before.world.name === now.world.name ? before : undefined;
}
