import { api, ask } from "../api/client";
import { useAct } from "./act";
import { usePlace } from "./place";

/** Sets a constant of the sensor that is looked at; true when it is set. */
export function useSetConstant() {
  const { rig, sensor } = usePlace();
  const act = useAct();
  return (name: string, value: number) =>
    act.attempt(
      ask(
        api.PUT("/api/rigs/{slug}/sensors/{sensor}/constants/{name}", {
          params: { path: { slug: rig.slug, sensor: sensor.id, name } },
          body: { value, plus_minus: null, note: "" },
        }),
      ),
    );
}
