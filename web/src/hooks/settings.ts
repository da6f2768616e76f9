import { useSyncExternalStore } from "react";
import type { Units } from "../model/units";

/** What a person set for this browser. */
export interface Settings extends Units {
  night: boolean;
  letterKeys: boolean;
  slab: boolean;
  tape: boolean;
}

const KEY = "tick-stone-settings";
const DEFAULTS: Settings = {
  length: "mm",
  speed: "m/s",
  slope: "°",
  level: "counts",
  night: false,
  letterKeys: true,
  slab: true,
  tape: true,
};
const listeners = new Set<() => void>();

function read(): Settings {
  try {
    return { ...DEFAULTS, ...(JSON.parse(localStorage.getItem(KEY) ?? "{}") as Partial<Settings>) };
  } catch {
    return DEFAULTS;
  }
}

let settings = read();

function apply(): void {
  document.documentElement.dataset.bsTheme = settings.night ? "dark" : "light";
}
apply();

export function setSettings(change: Partial<Settings>): void {
  settings = { ...settings, ...change };
  localStorage.setItem(KEY, JSON.stringify(settings));
  apply();
  for (const listener of listeners) listener();
}

export function useSettings(): Settings {
  return useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => settings,
  );
}
