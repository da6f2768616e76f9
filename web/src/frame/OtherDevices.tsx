import { useQuery } from "@tanstack/react-query";
import { Modal } from "react-bootstrap";
import { api, ask, type Schemas } from "../api/client";
import { keys } from "../api/keys";
import { useAct } from "../hooks/act";
import { moment } from "../model/format";
import styles from "./OtherDevices.module.css";

const EVERY_MS = 2000; // a device that comes in meanwhile is seen

/** Phones and other devices of the network: how they come in, who has, and how one is shut out. */
export function OtherDevices({ show, onHide }: { show: boolean; onHide: () => void }) {
  const access = useQuery({
    queryKey: keys.access,
    queryFn: () => ask(api.GET("/api/access")),
    enabled: show,
    refetchInterval: show && EVERY_MS,
  });
  return (
    <Modal show={show} onHide={onHide} centered aria-labelledby="devices-title">
      <Modal.Header closeButton>
        <Modal.Title id="devices-title" as="h2">
          {!access.data
            ? "Other devices"
            : access.data.on
              ? "A phone comes in by this code"
              : "Only this machine can use Tick Stone now"}
        </Modal.Title>
      </Modal.Header>
      <Modal.Body>
        {access.isError && <p>{access.error.message}</p>}
        {access.data && (access.data.on ? <Entrance access={access.data} /> : <Closed />)}
      </Modal.Body>
    </Modal>
  );
}

function Closed() {
  return (
    <>
      <p>To let a phone at the bench in, stop it and start it again with</p>
      <p>
        <code>./tick-stone serve --lan</code>
      </p>
      <p>It is served over HTTPS then, and only devices with the access key come in.</p>
    </>
  );
}

function Code({ rows }: { rows: string[] }) {
  const dark = rows.flatMap((row, y) => [...row].flatMap((module, x) => (module === "1" ? `M${x} ${y}h1v1h-1z` : [])));
  return (
    <svg viewBox={`0 0 ${rows.length} ${rows.length}`} className={styles.code} role="img">
      <title>QR code of the first address with the access key</title>
      <path d={dark.join("")} />
    </svg>
  );
}

function Entrance({ access }: { access: Schemas["AccessModel"] }) {
  const act = useAct();
  const shutOut = (guest: Schemas["GuestModel"]) =>
    void act.attempt(
      ask(api.DELETE("/api/access/guests/{guest_id}", { params: { path: { guest_id: guest.id } } })),
      "The device is shut out.",
    );
  return (
    <>
      <div className={styles.entrance}>
        <Code rows={access.qr} />
        <dl>
          <dt>Address</dt>
          {access.addresses.map((address) => (
            <dd key={address}>{address}</dd>
          ))}
          <dt>Access key</dt>
          <dd>
            <b>{access.key}</b>
          </dd>
        </dl>
      </div>
      <p>
        The browser there warns once: this machine vouches for itself. Compare the fingerprint of the certificate
        (SHA-256) before you go on:
      </p>
      <p className={styles.fingerprint}>{access.fingerprint}</p>
      <h3 className={styles.heading}>{access.guests.length === 0 ? "Nobody has been let in yet" : "Let in"}</h3>
      <ul className={styles.guests}>
        {access.guests.map((guest) => (
          <li key={guest.id}>
            <span>
              {guest.phone ? "A phone" : "A device"} at {guest.address}
              <small>
                let in {moment(guest.let_in_at)}, last seen {moment(guest.seen_at)}
              </small>
            </span>
            <button
              type="button"
              className="act"
              aria-label={`Shut out the device at ${guest.address}`}
              onClick={() => shutOut(guest)}
            >
              Shut out
            </button>
          </li>
        ))}
      </ul>
      <button
        type="button"
        className="act"
        onClick={() => void act.attempt(ask(api.POST("/api/access/key")), "The old key lets nobody in any more.")}
      >
        Make another key
      </button>
    </>
  );
}
