/** The stations and the pages beside them: each comes when it is first opened, the rest while nothing else is to do. */

import { lazy } from "react";
import type { StationId } from "../model/stations";

const COMING = {
  wire: async () => ({ default: (await import("./wire/Wire")).Wire }),
  watch: async () => ({ default: (await import("./watch/Watch")).Watch }),
  convert: async () => ({ default: (await import("./convert/Convert")).Convert }),
  calibrate: async () => ({ default: (await import("./calibrate/Calibrate")).Calibrate }),
  decide: async () => ({ default: (await import("./decide/Decide")).Decide }),
  drive: async () => ({ default: (await import("./Drive")).Drive }),
  log: async () => ({ default: (await import("./Log")).Log }),
};

export const SCREENS: Record<StationId, React.ComponentType> = {
  wire: lazy(COMING.wire),
  watch: lazy(COMING.watch),
  convert: lazy(COMING.convert),
  calibrate: lazy(COMING.calibrate),
  decide: lazy(COMING.decide),
  drive: lazy(COMING.drive),
  log: lazy(COMING.log),
};
export const Rigs = lazy(async () => ({ default: (await import("./Rigs")).Rigs }));
export const LooseConvert = lazy(async () => ({ default: (await import("./convert/LooseConvert")).LooseConvert }));

/** Bring what no screen has asked for yet: a station opens at once, and when the app is away. */
export function bringTheRest(): void {
  for (const come of Object.values(COMING)) void come();
}
