import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { ask, Refused, type Rig, type Schemas } from "../../api/client";
import { keys } from "../../api/keys";
import { renew } from "../../api/renew";
import { useAct } from "../../hooks/act";
import { say } from "../../hooks/notice";
import { usePlace } from "../../hooks/place";

type Call = Parameters<typeof ask<Schemas["RigModel"]>>[0];

/** A change of the rig: what was done is said with its undo; a refusal stays where it was made, and nothing is lost. */
export function useRigChange() {
  const place = usePlace();
  const act = useAct();
  const queries = useQueryClient();
  const [refusal, setRefusal] = useState<Refused | null>(null);
  const change = async (call: Call, done: string): Promise<Rig | null> => {
    try {
      const rig = await ask(call);
      queries.setQueryData(keys.stored(place.rig.slug), rig);
      await renew(queries, keys.rig(place.rig.slug));
      await renew(queries, keys.rigs);
      setRefusal(null);
      say({ text: done, tone: "said", undo: () => void act.undoRig() });
      return rig;
    } catch (error) {
      const refused = error instanceof Refused ? error : new Refused("error", "", "Nothing was changed.");
      setRefusal(refused);
      if (refused.code === "conflict") await renew(queries, keys.rig(place.rig.slug));
      return null;
    }
  };
  const { slug, revision } = place.rig;
  return { change, refusal, path: { params: { path: { slug } } }, slug, revision };
}
