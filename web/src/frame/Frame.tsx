import { useEffect, useRef, useState } from "react";
import { Outlet } from "react-router";
import { useBench } from "../hooks/bench";
import { setSettings, useSettings } from "../hooks/settings";
import { useAddress } from "../hooks/useAddress";
import { useHeld } from "../hooks/useHeld";
import { useHeldKey, useKeys } from "../hooks/useKeys";
import { STATIONS } from "../model/stations";
import { Away } from "./Away";
import { Find } from "./Find";
import { KeysHelp } from "./KeysHelp";
import { MarkDialog } from "./MarkDialog";
import { Rule } from "./Rule";
import { Slab } from "./Slab";
import { StandInDrawer } from "./StandInDrawer";
import { Tape } from "./Tape";
import { TopLine } from "./TopLine";

/** Rule, top line, work, slab and tape: always in the same place. */
export function Frame() {
  const bench = useBench();
  const settings = useSettings();
  const { search } = useAddress();
  const [open, setOpen] = useState<"keys" | "find" | "hands" | "mark" | null>(null);
  const work = useRef<HTMLElement>(null);
  const title = STATIONS.find((one) => one.id === bench.station)?.title;
  useEffect(() => {
    document.title = `${title} · ${bench.rig.rig.title} · Tick Stone`;
  }, [title, bench.rig.rig.title]);

  const record = () => {
    void bench.record();
    work.current?.focus();
  };
  const marking = useHeld((lasted) => void bench.mark({ lasted_s: lasted }));
  const stations = Object.fromEntries(STATIONS.map((one, i) => [String(i + 1), () => bench.go(one.id)]));
  useKeys({ ...stations, "/": () => setOpen("find"), "?": () => setOpen("keys") }, open === null);
  useHeldKey(settings.letterKeys ? ["m", " "] : [" "], marking.down, marking.up, open === null);
  useKeys(
    {
      r: record,
      b: () => bench.go("watch", { large: bench.station === "watch" && search.get("large") !== null ? null : "" }),
      f: () => bench.setFrozen(!bench.frozen),
      c: () => void (bench.connected ? bench.disconnect() : bench.connect()),
      t: () => setSettings({ tape: !settings.tape }),
    },
    settings.letterKeys && open === null,
  );

  return (
    <div className={`frame${settings.slab ? "" : " no-slab"}${settings.tape ? "" : " low-tape"}`}>
      <a className="skip" href="#work">
        Skip to the work
      </a>
      <TopLine
        onFind={() => setOpen("find")}
        onKeys={() => setOpen("keys")}
        onHands={() => setOpen("hands")}
        onRecord={record}
      />
      <Rule />
      <main id="work" className={`work station-${bench.station}`} tabIndex={-1} ref={work}>
        <Away />
        <Outlet />
      </main>
      {settings.slab && <Slab />}
      <Tape marking={marking} onWords={() => setOpen("mark")} />
      <KeysHelp show={open === "keys"} onHide={() => setOpen(null)} />
      <Find show={open === "find"} onHide={() => setOpen(null)} />
      <MarkDialog show={open === "mark"} onHide={() => setOpen(null)} />
      <StandInDrawer show={open === "hands"} onHide={() => setOpen(null)} />
    </div>
  );
}
