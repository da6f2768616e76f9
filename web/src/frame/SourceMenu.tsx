import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { Dropdown } from "react-bootstrap";
import { api, ask, type Schemas } from "../api/client";
import { keys } from "../api/keys";
import { useAct } from "../hooks/act";
import { useNow } from "../hooks/live";
import { usePlace } from "../hooks/place";
import { FORGET } from "../model/address";
import { figure, THIN } from "../model/format";
import styles from "./SourceMenu.module.css";

/** Where readings come from: the stand-in, a serial port, a TCP line, or a recording that is open. */
export function SourceMenu({ onHands }: { onHands: () => void }) {
  const place = usePlace();
  const act = useAct();
  const now = useNow();
  const [open, setOpen] = useState(false);
  const close = (act: () => unknown) => () => {
    setOpen(false);
    void act();
  };
  const sources = useQuery({
    queryKey: keys.sources,
    queryFn: () => ask(api.GET("/api/sources")),
    refetchInterval: 5000,
    enabled: open,
  });
  const recordings = useQuery({
    queryKey: keys.recordings(place.rig.slug),
    queryFn: () => ask(api.GET("/api/rigs/{slug}/recordings", { params: { path: { slug: place.rig.slug } } })),
    enabled: open,
  });
  const connected = now.status === "live" || now.status === "silent";
  const heading = {
    live: `${now.source}${rateText(now.rate_hz)}`,
    silent: `${now.source} is silent`,
    idle: "not connected",
    lost: "unplugged: waiting",
  }[now.status];
  return (
    <Dropdown align="end" autoClose="outside" show={open} onToggle={setOpen}>
      <Dropdown.Toggle as="button" type="button" className={`plain source source-${now.status}`} title={now.why}>
        <svg
          width="34"
          height="10"
          aria-hidden="true"
          className={`${styles.sourceLine}${now.status === "silent" || now.status === "idle" ? ` ${styles.dashed}` : ""}`}
        >
          <line x1="0" y1="5" x2="34" y2="5" />
          {now.status === "lost" && <path d="m12 0 10 10m0-10-10 10" />}
        </svg>
        <span className={styles.sourceText}>{heading}</span>
      </Dropdown.Toggle>
      <Dropdown.Menu className={styles.sources}>
        {(connected || now.status === "lost") && (
          <Dropdown.Item as="button" onClick={close(act.disconnect)}>
            Disconnect {now.source}
          </Dropdown.Item>
        )}
        {sources.data?.standin && (
          <>
            {!(connected && now.source === "stand-in") && (
              <Dropdown.Item as="button" onClick={close(() => act.connect())}>
                Connect the stand-in
              </Dropdown.Item>
            )}
            <Dropdown.Item as="button" onClick={close(onHands)}>
              Move the stand-in’s hands …
            </Dropdown.Item>
          </>
        )}
        <Dropdown.Divider />
        <Dropdown.Header>A board on a serial port</Dropdown.Header>
        <SerialForm ports={sources.data?.ports ?? []} bauds={sources.data?.bauds ?? []} />
        <Dropdown.Header>A board on the network</Dropdown.Header>
        <TcpForm />
        <Dropdown.Divider />
        <Dropdown.Header>Recordings</Dropdown.Header>
        {recordings.data?.slice(0, 8).map((recording) => (
          <Dropdown.Item
            as="button"
            key={recording.id}
            onClick={close(() => place.go("watch", { ...FORGET, recording: String(recording.id) }))}
          >
            {recording.name}
          </Dropdown.Item>
        ))}
        <Dropdown.Item as="button" onClick={close(() => place.go("watch", { ...FORGET, view: "import" }))}>
          Take in files …
        </Dropdown.Item>
        {recordings.data?.length === 0 && <Dropdown.ItemText>None yet</Dropdown.ItemText>}
      </Dropdown.Menu>
    </Dropdown>
  );
}

function SerialForm({ ports, bauds }: { ports: Schemas["PortModel"][]; bauds: number[] }) {
  const act = useAct();
  const [path, setPath] = useState("");
  const [baud, setBaud] = useState(115200);
  const listed = path === "" || ports.some((port) => port.path === path);
  const connect = async () => {
    const added = listed || (await act.attempt(ask(api.POST("/api/sources/ports", { body: { path } })), ""));
    if (added) await act.connect({ kind: "serial", path: path || ports[0]?.path || "", baud });
  };
  const open = (event: FormEvent) => {
    event.preventDefault();
    void connect();
  };
  return (
    <form className={styles.sourceForm} onSubmit={open}>
      <input
        list="ports"
        aria-label="Port"
        placeholder={ports[0]?.path ?? "path of the port"}
        value={path}
        onChange={(event) => setPath(event.target.value)}
      />
      <datalist id="ports">
        {ports.map((port) => (
          <option key={port.path} value={port.path} />
        ))}
      </datalist>
      <select aria-label="Baud" value={baud} onChange={(event) => setBaud(Number(event.target.value))}>
        {bauds.map((baud) => (
          <option key={baud}>{baud}</option>
        ))}
      </select>
      <button type="submit" className="act">
        {listed ? "Open port" : "Add and open port"}
      </button>
    </form>
  );
}

function TcpForm() {
  const act = useAct();
  const [address, setAddress] = useState("");
  const [fault, setFault] = useState("");
  const open = (event: FormEvent) => {
    event.preventDefault();
    const [, host = "", port = ""] = /^(.+):(\d+)$/.exec(address.trim()) ?? [];
    if (!host) return setFault("Write it as host:port, for example 192.168.4.1:3333.");
    setFault("");
    void act.connect({ kind: "tcp", host, port: Number(port) });
  };
  return (
    <form className={styles.sourceForm} onSubmit={open}>
      <input
        aria-label="Address"
        placeholder="host:port"
        value={address}
        onChange={(event) => setAddress(event.target.value)}
        aria-invalid={fault !== ""}
      />
      <button type="submit" className="act">
        Open
      </button>
      {fault && (
        <p className="field-fault" role="alert">
          {fault}
        </p>
      )}
    </form>
  );
}

function rateText(hz: number | null): string {
  return hz === null ? "" : ` · ${figure(hz, hz < 10 ? 1 : 0)}${THIN}/s`;
}
