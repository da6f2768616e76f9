import { useAct } from "../../hooks/act";
import { say } from "../../hooks/notice";
import { type Procedure, useCalls } from "../../hooks/useProcedure";

/** Marks of an existing recording as steps. */
export function FromRecording({ found }: { found: Procedure }) {
  const act = useAct();
  const calls = useCalls(found.procedure);
  const usable = found.recordings.filter((one) => one.marks > 0);
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
      {usable.map((one) => (
        <option key={one.id} value={one.id}>
          {one.name}, {one.marks} marks
        </option>
      ))}
    </select>
  );
}
