import { Suspense, useEffect, useRef, useState } from "react";
import { Outlet } from "react-router";
import { useAct } from "../hooks/act";
import { useLive } from "../hooks/live";
import { usePlace } from "../hooks/place";
import { setSettings, useSettings } from "../hooks/settings";
import { useAddress } from "../hooks/useAddress";
import { useFocusKept } from "../hooks/useFocusKept";
import { useHeld } from "../hooks/useHeld";
import { useHeldKey, useKeys } from "../hooks/useKeys";
import { STATIONS } from "../model/stations";
import { coming } from "../ui/coming";
import { Away } from "./Away";
import type { DialogName } from "./Dialogs";
import styles from "./Frame.module.css";
import { Rule } from "./Rule";
import { Slab } from "./Slab";
import shared from "./shared.module.css";
import { Tape } from "./Tape";
import { TopLine } from "./TopLine";

const Dialogs = coming(async () => (await import("./Dialogs")).default); // after the first paint

/** Rule, top line, work, slab and tape: always in the same place. */
export function Frame() {
  const place = usePlace();
  const live = useLive();
  const act = useAct();
  const settings = useSettings();
  const { search } = useAddress();
  const [open, setOpen] = useState<DialogName | null>(null);
  const work = useRef<HTMLElement>(null);
  useFocusKept(work);
  const title = STATIONS.find((station) => station.id === place.station)?.title;
  useEffect(() => {
    document.title = `${title} · ${place.rig.rig.title} · Tick Stone`;
  }, [title, place.rig.rig.title]);

  const record = () => {
    void act.record();
    work.current?.focus();
  };
  const marking = useHeld((lasted) => void act.mark({ lasted_s: lasted }));
  const stations = Object.fromEntries(STATIONS.map((station, i) => [String(i + 1), () => place.go(station.id)]));
  useKeys({ ...stations, "/": () => setOpen("find"), "?": () => setOpen("keys") }, open === null);
  useHeldKey(settings.letterKeys ? ["m", " "] : [" "], marking.down, marking.up, open === null);
  useKeys(
    {
      r: record,
      b: () => place.go("watch", { large: place.station === "watch" && search.get("large") !== null ? null : "" }),
      f: () => live.setFrozen(!live.frozen),
      c: () => void (live.connected ? act.disconnect() : act.connect()),
      t: () => setSettings({ tape: !settings.tape }),
    },
    settings.letterKeys && open === null,
  );

  return (
    <div
      className={`${shared.frame}${settings.slab ? "" : ` ${shared.noSlab}`}${settings.tape ? "" : ` ${shared.lowTape}`}`}
    >
      <a className={styles.skip} href="#work">
        Skip to the work
      </a>
      <TopLine
        onFind={() => setOpen("find")}
        onKeys={() => setOpen("keys")}
        onHands={() => setOpen("hands")}
        onDevices={() => setOpen("devices")}
        onRecord={record}
      />
      <Rule />
      <main id="work" className={shared.work} tabIndex={-1} ref={work}>
        <Away />
        <Outlet />
      </main>
      {settings.slab && <Slab />}
      <Tape marking={marking} onWords={() => setOpen("mark")} />
      <Suspense>
        <Dialogs open={open} onHide={() => setOpen(null)} />
      </Suspense>
    </div>
  );
}
