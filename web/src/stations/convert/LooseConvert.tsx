import { useEffect } from "react";
import { Dropdown } from "react-bootstrap";
import { Link } from "react-router";
import frame from "../../frame/shared.module.css";
import topLine from "../../frame/TopLine.module.css";
import { UnitSettings } from "../../frame/UnitSettings";
import { setSettings, useSettings } from "../../hooks/settings";
import { useAddress } from "../../hooks/useAddress";
import { benchOf } from "./benchOf";
import { LoosePart } from "./LoosePart";
import { PartMenu } from "./PartMenu";

/** Convert with no rig at all: for a number that has to be worked out now. */
export function LooseConvert() {
  const settings = useSettings();
  useEffect(() => {
    document.title = "Convert · Tick Stone";
  }, []);
  return (
    <div className={frame.loosePage}>
      <header className={frame.top}>
        <Link to="/rigs" className={frame.wordmark}>
          Tick Stone
        </Link>
        <span className={frame.purpose}>a loose calculation, on no rig</span>
        <span className="spring" />
        <Link to="/rigs" className="plain">
          All rigs
        </Link>
        <Dropdown align="end">
          <Dropdown.Toggle as="button" type="button" className="plain">
            Settings
          </Dropdown.Toggle>
          <Dropdown.Menu className={topLine.settings}>
            <UnitSettings />
            <button type="button" className="plain" onClick={() => setSettings({ night: !settings.night })}>
              {settings.night ? "Day bench" : "Night bench"}
            </button>
          </Dropdown.Menu>
        </Dropdown>
      </header>
      <main className={frame.work} tabIndex={-1}>
        <Bench />
      </main>
    </div>
  );
}

function Bench() {
  const { search } = useAddress();
  const first = <PartMenu />;
  const open = benchOf(search.get("bench"), first, null);
  return open ?? <LoosePart part={search.get("part") ?? "ultrasonic-ranger"} first={first} />;
}
