import { Modal } from "react-bootstrap";
import { useAct } from "../hooks/act";
import { useNow } from "../hooks/live";
import { usePlace } from "../hooks/place";
import { MarkForm } from "../ui/MarkForm";

/** Mark this moment, or the last seconds, in words. */
export function MarkDialog({ show, onHide }: { show: boolean; onHide: () => void }) {
  const place = usePlace();
  const act = useAct();
  const now = useNow();
  return (
    <Modal show={show} onHide={onHide} centered aria-labelledby="mark-title">
      <Modal.Header closeButton>
        <Modal.Title id="mark-title" as="h2">
          Mark with words
        </Modal.Title>
      </Modal.Header>
      <Modal.Body>
        {now.recording ? (
          <MarkForm
            sensors={place.rig.sensors}
            selected={place.sensor}
            times={[{ label: "The last", value: "", needed: false }]}
            keep="Add mark"
            onLeave={onHide}
            onKeep={async ({ times, ...words }) => {
              const [lasted = Number.NaN] = times;
              if (await act.mark({ ...words, lasted_s: Number.isFinite(lasted) ? Math.max(0, lasted) : 0 })) onHide();
            }}
          />
        ) : (
          <p>Marks belong to a recording: press Record first.</p>
        )}
      </Modal.Body>
    </Modal>
  );
}
