import { useCallback, useState } from "react";

/** Which fields of a form hold what cannot be: while any does, nothing may be sent, since the screen says something else. */
export function useFaults() {
  const [faulty, setFaulty] = useState<string[]>([]);
  const onFault = useCallback(
    (label: string) => (now: boolean) =>
      setFaulty((all) => [...all.filter((other) => other !== label), ...(now ? [label] : [])]),
    [],
  );
  const forget = useCallback(() => setFaulty([]), []);
  return { faulty, onFault, forget };
}

export type OnFault = ReturnType<typeof useFaults>["onFault"];
