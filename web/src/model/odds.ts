/** Odds as the core told them, looked up: nothing is worked out here. */

import type { Schemas } from "../api/client";
import { figure } from "./format";

type Odds = Schemas["OddsModel"];

export interface At {
  counted: number;
  of: number;
  fitted: number;
  margin: number;
  marginSds: number;
  worst: number;
  tested: number | null;
}

/** What a threshold means, from the table of all of them; a threshold beyond its ends means what its end means. */
export function oddsAt(odds: Odds, threshold: number): At | null {
  const last = odds.counted.length - 1;
  if (last < 0) return null;
  const i = Math.min(Math.max(Math.round((threshold - odds.first) / odds.step), 0), last);
  return {
    counted: odds.counted[i] ?? 0,
    of: odds.of,
    fitted: odds.fitted[i] ?? 0,
    margin: odds.margin[i] ?? 0,
    marginSds: odds.margin_sds[i] ?? 0,
    worst: odds.worst[i] ?? 0,
    tested: odds.tested.length ? (odds.tested[i] ?? 0) : null,
  };
}

/** Misreads per 1000 by the fit, in words that claim no more than they know. */
export function fitSaid(perThousand: number): string {
  if (perThousand < 1e-6) return "below 1 in a thousand million";
  if (perThousand < 1) return `1 in ${figure(Number((1000 / perThousand).toPrecision(2)), 0)}`;
  return `${figure(perThousand, perThousand < 10 ? 1 : 0)} of 1000`;
}
