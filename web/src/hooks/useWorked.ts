import { useQuery } from "@tanstack/react-query";
import { api, ask, type Schemas } from "../api/client";
import { keys } from "../api/keys";

export type Worked = Schemas["WorkedModel"];
export type Numbers = Record<string, number>;

/** What is worked: a sensor of a rig in the air of the moment, or a loose part with constants of its own. */
export type Subject = { rig: string; sensor: string; air: number | null } | { part: string; constants: Numbers };

function keyOf(subject: Subject): unknown[] {
  return "part" in subject
    ? keys.loosePart(subject.part, subject.constants)
    : keys.worked(subject.rig, subject.sensor, subject.air);
}

/** Raw numbers worked into what they mean; null waits for some. */
export function useWorked(subject: Subject, asked: Numbers | null) {
  return useQuery({
    queryKey: [...keyOf(subject), "worked", asked],
    enabled: asked !== null,
    queryFn: () =>
      "part" in subject
        ? ask(
            api.POST("/api/kinds/{kind}/worked", {
              params: { path: { kind: subject.part } },
              body: { asked: asked ?? {}, constants: subject.constants },
            }),
          )
        : ask(
            api.POST("/api/rigs/{slug}/sensors/{sensor}/worked", {
              params: { path: { slug: subject.rig, sensor: subject.sensor } },
              body: { asked: asked ?? {}, air_c: subject.air, live_air: subject.air !== null },
            }),
          ),
    placeholderData: (old) => old,
  });
}

/** The inverse question: the raw numbers that would give a result. */
export function useSolved(subject: Subject, wanted: number | null) {
  return useQuery({
    queryKey: [...keyOf(subject), "solved", wanted],
    enabled: wanted !== null,
    queryFn: () =>
      "part" in subject
        ? ask(
            api.POST("/api/kinds/{kind}/worked/inverse", {
              params: { path: { kind: subject.part } },
              body: { wanted: wanted ?? 0, constants: subject.constants },
            }),
          )
        : ask(
            api.POST("/api/rigs/{slug}/sensors/{sensor}/worked/inverse", {
              params: { path: { slug: subject.rig, sensor: subject.sensor } },
              body: { wanted: wanted ?? 0, air_c: subject.air },
            }),
          ),
    placeholderData: (old) => old,
  });
}
