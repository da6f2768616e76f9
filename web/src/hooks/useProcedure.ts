import { useQuery } from "@tanstack/react-query";
import { api, ask, type Schemas } from "../api/client";
import { keys } from "../api/keys";
import { useHold } from "./live";
import { usePlace } from "./place";
import { useAddress } from "./useAddress";

export type Procedure = Schemas["ProcedureModel"];
export type Want = Procedure["wants"][number];
export type Step = Procedure["steps"][number];
export type Field = Want["fields"][number];

/** The procedure that is open at Calibrate: the one in the address, the one that was begun, or the sensor's first. */
export function useProcedure(on = true) {
  const place = usePlace();
  const { search } = useAddress();
  const path = { slug: place.rig.slug, sensor: place.sensor.id };
  const has = on && place.sensor.procedures.length > 0;
  const lines = useQuery({
    queryKey: keys.procedures(path.slug, path.sensor),
    queryFn: () => ask(api.GET("/api/rigs/{slug}/sensors/{sensor}/procedures", { params: { path } })),
    enabled: has,
  });
  const asked = search.get("procedure");
  const hold = useHold();
  const held = hold?.sensor === path.sensor ? hold.procedure : null;
  const begun = lines.data?.find((line) => line.held > 0)?.procedure;
  const known = (name: string | null | undefined) => (name && place.sensor.procedures.includes(name) ? name : null);
  const name = known(asked) ?? known(held) ?? (lines.data ? (known(begun) ?? place.sensor.procedures[0]) : null);
  const procedure = useQuery({
    queryKey: keys.procedure(path.slug, path.sensor, name),
    queryFn: () =>
      ask(
        api.GET("/api/rigs/{slug}/sensors/{sensor}/procedures/{name}", {
          params: { path: { ...path, name: name ?? "" } },
        }),
      ),
    enabled: has && name !== null,
    placeholderData: (old) => (old?.procedure === name ? old : undefined),
  });
  return { name, lines: lines.data ?? [], found: procedure.data, error: procedure.error ?? lines.error };
}

/** The calls of the open procedure. */
export function useCalls(name: string) {
  const place = usePlace();
  const params = { path: { slug: place.rig.slug, sensor: place.sensor.id, name } };
  const base = "/api/rigs/{slug}/sensors/{sensor}/procedures/{name}" as const;
  return {
    hold: (key: string, truth: Record<string, number>) =>
      ask(api.POST(`${base}/hold`, { params, body: { key, truth } })),
    typed: (key: string, truth: Record<string, number>) =>
      ask(api.POST(`${base}/typed`, { params, body: { key, truth } })),
    take: () => ask(api.POST(`${base}/take`, { params })),
    letGo: () => ask(api.POST(`${base}/let-go`, { params })),
    drop: (key: string) => ask(api.DELETE(`${base}/steps/{key}`, { params: { path: { ...params.path, key } } })),
    notebook: (rows: Record<string, number>[]) => ask(api.POST(`${base}/notebook`, { params, body: { rows } })),
    fromRecording: (recording_id: number) =>
      ask(api.POST(`${base}/from-recording`, { params, body: { recording_id } })),
    beforeAfter: (recording_id: number) =>
      ask(api.GET(`${base}/before-after/{recording_id}`, { params: { path: { ...params.path, recording_id } } })),
    accept: (extras: string[]) => ask(api.POST(`${base}/accept`, { params, body: { extras } })),
    reject: () => ask(api.POST(`${base}/reject`, { params })),
    bringBack: (calibration_id: number) =>
      ask(api.POST(`${base}/bring-back/{calibration_id}`, { params: { path: { ...params.path, calibration_id } } })),
  };
}
