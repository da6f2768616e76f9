import { api, ask, type Sensor } from "../api/client";
import type { Shown } from "../model/live";
import { useAct } from "./act";
import { useNow } from "./live";
import { usePlace } from "./place";

/** What stands on an instrument of a sensor now. */
export function useShown(sensor: Sensor, name: string): Shown | undefined {
  return useNow().sensors[sensor.id]?.instruments[name];
}

/** A number that stands on an instrument; null where there is none. */
export function numberOn(shown: Shown | undefined, name: string): number | null {
  const value = shown?.[name];
  return typeof value === "number" ? value : null;
}

/** Sets an instrument to zero, and says what was done. */
export function useZero(sensor: Sensor, name: string) {
  const place = usePlace();
  const act = useAct();
  const path = { slug: place.rig.slug, sensor: sensor.id, name };
  return (done: string) =>
    void act.attempt(
      ask(api.POST("/api/rigs/{slug}/sensors/{sensor}/instruments/{name}/zero", { params: { path } })),
      done,
    );
}
