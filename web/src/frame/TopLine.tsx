import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Dropdown, Form } from "react-bootstrap";
import { Link } from "react-router";
import { api, ask } from "../api/client";
import { keys } from "../api/keys";
import { useNow } from "../hooks/live";
import { usePlace } from "../hooks/place";
import { setSettings, useSettings } from "../hooks/settings";
import { figure } from "../model/format";
import switches from "../ui/switches.module.css";
import { SourceMenu } from "./SourceMenu";
import shared from "./shared.module.css";
import styles from "./TopLine.module.css";
import { UnitSettings } from "./UnitSettings";

interface Props {
  onFind: () => void;
  onKeys: () => void;
  onHands: () => void;
  onDevices: () => void;
  onRecord: () => void;
}

export function TopLine({ onFind, onKeys, onHands, onDevices, onRecord }: Props) {
  const place = usePlace();
  const now = useNow();
  const settings = useSettings();
  const [listed, setListed] = useState(false);
  const rigs = useQuery({ queryKey: keys.rigs, queryFn: () => ask(api.GET("/api/rigs")), enabled: listed });
  const recording = now.recording;
  return (
    <header className={shared.top}>
      <Link to="/rigs" className={shared.wordmark}>
        Tick Stone
      </Link>
      <Dropdown onToggle={setListed}>
        <Dropdown.Toggle as="button" type="button" className={`plain ${shared.rigSwitch}`} title={place.rig.rig.title}>
          {place.rig.rig.title}
        </Dropdown.Toggle>
        <Dropdown.Menu>
          {rigs.data?.map((rig) => (
            <Dropdown.Item as={Link} key={rig.slug} to={`/${rig.slug}/wire`} active={rig.slug === place.rig.slug}>
              {rig.title} <small>{rig.purpose}</small>
            </Dropdown.Item>
          ))}
          <Dropdown.Divider />
          <Dropdown.Item as={Link} to="/rigs">
            All rigs
          </Dropdown.Item>
        </Dropdown.Menu>
      </Dropdown>
      <span className={shared.purpose}>{place.rig.rig.purpose}</span>
      <span className="spring" />
      <SourceMenu onHands={onHands} />
      <button
        type="button"
        className={`act ${styles.record}${recording ? ` ${styles.recording}` : ""}`}
        onClick={onRecord}
      >
        {recording ? "Stop" : "Record"} {settings.letterKeys && <kbd>R</kbd>}
      </button>
      {recording && (
        <span className={styles.recorded} title="Rows on disk">
          <b>{figure(recording.committed, 0)}</b> recorded
          {recording.lost > 0 && <span className="stale"> {figure(recording.lost, 0)} lost</span>}
        </span>
      )}
      <button type="button" className="plain" onClick={onFind}>
        Find <kbd>/</kbd>
      </button>
      <Dropdown align="end">
        <Dropdown.Toggle as="button" type="button" className="plain">
          Settings
        </Dropdown.Toggle>
        <Dropdown.Menu className={`${styles.settings} ${switches.switches}`}>
          <UnitSettings />
          <Form.Check
            type="switch"
            id="night"
            label="Night bench"
            checked={settings.night}
            onChange={() => setSettings({ night: !settings.night })}
          />
          <Form.Check
            type="switch"
            id="letter-keys"
            label="Letter keys (R, M, F, C)"
            checked={settings.letterKeys}
            onChange={() => setSettings({ letterKeys: !settings.letterKeys })}
          />
          <Form.Check
            type="switch"
            id="slab"
            label="Slab"
            checked={settings.slab}
            onChange={() => setSettings({ slab: !settings.slab })}
          />
          <Dropdown.Item as="button" type="button" onClick={onKeys}>
            All keys <kbd>?</kbd>
          </Dropdown.Item>
          <Dropdown.Item as="button" type="button" onClick={onDevices}>
            Other devices
          </Dropdown.Item>
        </Dropdown.Menu>
      </Dropdown>
    </header>
  );
}
