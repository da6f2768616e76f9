/** The stations and the pages beside them: each comes when it is first opened, the rest while nothing else is to do. */

import type { ComponentType } from "react";
import type { StationId } from "../model/stations";
import { coming } from "../ui/coming";

type Screen = ComponentType;

const STATIONS: Record<StationId, () => Promise<Screen>> = {
  wire: async () => (await import("./wire/Wire")).Wire,
  watch: async () => (await import("./watch/Watch")).Watch,
  convert: async () => (await import("./convert/Convert")).Convert,
  calibrate: async () => (await import("./calibrate/Calibrate")).Calibrate,
  decide: async () => (await import("./decide/Decide")).Decide,
  drive: async () => (await import("./drive/Drive")).Drive,
  log: async () => (await import("./Log")).Log,
};

export const SCREENS: Record<StationId, Screen> = {
  wire: coming(STATIONS.wire),
  watch: coming(STATIONS.watch),
  convert: coming(STATIONS.convert),
  calibrate: coming(STATIONS.calibrate),
  decide: coming(STATIONS.decide),
  drive: coming(STATIONS.drive),
  log: coming(STATIONS.log),
};
export const Rigs = coming(async () => (await import("./Rigs")).Rigs);
export const LooseConvert = coming(async () => (await import("./convert/LooseConvert")).LooseConvert);

/** Bring what no screen has asked for yet, so that a station opens at once, and when the app is away. */
export function bringTheRest(): void {
  for (const bring of Object.values(STATIONS)) bring().catch(() => undefined); // it is asked for again when it is opened
}
