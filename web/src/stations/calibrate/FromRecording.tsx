import { useAct } from "../../hooks/act";
import { say } from "../../hooks/notice";
import { type Procedure, useCalls } from "../../hooks/useProcedure";

/** Marks of an existing recording as steps. */
export function FromRecording({ procedure }: { procedure: Procedure }) {
  const act = useAct();
  const calls = useCalls(procedure.procedure);
  const usable = procedure.recordings.filter((recording) => recording.marks > 0);
  if (!usable.length) return null;
  const take = (id: number) =>
    act.attempt(
      calls.fromRecording(id).then((done) => {
        const refused = done.refused.length ? ` Not taken: ${done.refused.join(" ")}` : "";
        say({ text: `${done.taken} taken from its marks.${refused}`, tone: refused ? "fault" : "said" });
      }),
    );
  return (
    <select
      aria-label="From the marks of a recording"
      value=""
      onChange={(event) => event.target.value && void take(Number(event.target.value))}
    >
      <option value="">From a recording’s marks …</option>
      {usable.map((recording) => (
        <option key={recording.id} value={recording.id}>
          {recording.name}, {recording.marks} marks
        </option>
      ))}
    </select>
  );
}
