import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { ask, Refused, type Rig, type Schemas } from "../../api/client";
import { useBench } from "../../hooks/bench";

type Call = Parameters<typeof ask<Schemas["RigModel"]>>[0];

/** A change of the rig: what was done is said with its undo; a refusal stays where it was made, and nothing is lost. */
export function useRigChange() {
  const bench = useBench();
  const queries = useQueryClient();
  const [refusal, setRefusal] = useState<Refused | null>(null);
  const change = async (call: Call, done: string): Promise<Rig | null> => {
    try {
      const rig = await ask(call);
      queries.setQueryData(["r", bench.rig.slug, "rig"], rig);
      await queries.invalidateQueries({ queryKey: ["r", bench.rig.slug] });
      await queries.invalidateQueries({ queryKey: ["rigs"] });
      setRefusal(null);
      bench.say({ text: done, tone: "said", undo: () => void bench.undoRig() });
      return rig;
    } catch (error) {
      const refused = error instanceof Refused ? error : new Refused("error", "", "Nothing was changed.");
      setRefusal(refused);
      if (refused.code === "conflict") await queries.invalidateQueries({ queryKey: ["r", bench.rig.slug] });
      return null;
    }
  };
  const { slug, revision } = bench.rig;
  return { change, refusal, path: { params: { path: { slug } } }, slug, revision };
}
