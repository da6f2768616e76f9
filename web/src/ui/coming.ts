import { type ComponentType, lazy } from "react";

const AGAIN_MS = 1500;

/** A component whose code is asked for until it comes: the app may be away just then. */
export function coming<Props extends object>(bring: () => Promise<ComponentType<Props>>) {
  return lazy(async () => {
    for (;;) {
      try {
        return { default: await bring() };
      } catch {
        await new Promise((resolve) => setTimeout(resolve, AGAIN_MS));
      }
    }
  });
}
