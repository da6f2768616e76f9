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
const DEFAULTS: Omit<Settings, "night"> = {
  length: "mm",
  speed: "m/s",
  slope: "°",
  level: "counts",
  letterKeys: true,
  slab: true,
  tape: true,
};
const listeners = new Set<() => void>();
const darkSystem = matchMedia("(prefers-color-scheme: dark)");

function read(): Partial<Settings> {
  try {
    return JSON.parse(localStorage.getItem(KEY) ?? "{}") as Partial<Settings>;
  } catch {
    return {};
  }
}

let chosen = read(); // the rest is as it is at first, the bench as dark as the system
let settings: Settings = { ...DEFAULTS, night: false };

function apply(): void {
  settings = { ...DEFAULTS, night: darkSystem.matches, ...chosen };
  document.documentElement.dataset.bsTheme = settings.night ? "dark" : "light";
  for (const listener of listeners) listener();
}
apply();
darkSystem.addEventListener("change", apply);

export function setSettings(change: Partial<Settings>): void {
  chosen = { ...chosen, ...change };
  localStorage.setItem(KEY, JSON.stringify(chosen));
  apply();
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

/** In which unit lengths are shown. */
export function useLength(): Settings["length"] {
  return useSettings().length;
}
