import { Find } from "./Find";
import { KeysHelp } from "./KeysHelp";
import { MarkDialog } from "./MarkDialog";
import { OtherDevices } from "./OtherDevices";
import { StandInDrawer } from "./StandInDrawer";

export type DialogName = "keys" | "find" | "hands" | "mark" | "devices";

/** What opens over the work, one at a time. */
export default function Dialogs({ open, onHide }: { open: DialogName | null; onHide: () => void }) {
  return (
    <>
      <KeysHelp show={open === "keys"} onHide={onHide} />
      <Find show={open === "find"} onHide={onHide} />
      <MarkDialog show={open === "mark"} onHide={onHide} />
      <OtherDevices show={open === "devices"} onHide={onHide} />
      <StandInDrawer show={open === "hands"} onHide={onHide} />
    </>
  );
}
