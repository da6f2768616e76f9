import { useState } from "react";

/** A tick that stands as it was clicked until the server has said when: nothing flickers, however fast they come. `tick`
 * comes back with null where it was refused. */
export function useTicked(at: string | null | undefined, tick: (ticked: boolean) => Promise<unknown>) {
  const [asked, setAsked] = useState<{ before: string | null | undefined; ticked: boolean } | null>(null);
  const ticked = asked?.before === at && asked ? asked.ticked : Boolean(at);
  const flip = () => {
    setAsked({ before: at, ticked: !ticked });
    void tick(!ticked).then((done) => done === null && setAsked(null));
  };
  return { ticked, flip };
}
