import { createContext, type Provider, useContext } from "react";

/** A context that is there everywhere inside of a rig: its provider, and the hook that reads it. */
export function rigContext<T>(hook: string): [Provider<T | null>, () => T] {
  const Context = createContext<T | null>(null);
  const useIt = () => {
    const value = useContext(Context);
    if (value === null) throw new Error(`${hook} outside of a rig`);
    return value;
  };
  return [Context.Provider, useIt];
}
