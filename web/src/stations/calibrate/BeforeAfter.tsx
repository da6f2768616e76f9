import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { keys } from "../../api/keys";
import { usePlace } from "../../hooks/place";
import { type Procedure, useCalls } from "../../hooks/useProcedure";
import { FitPlot, type Plot } from "../../plot/FitPlot";
import styles from "./BeforeAfter.module.css";

/** An old recording by the constants of today and by those that are forming. */
export function BeforeAfter({ procedure }: { procedure: Procedure }) {
  const place = usePlace();
  const calls = useCalls(procedure.procedure);
  const [recording, setRecording] = useState<number | null>(null);
  const seen = useQuery({
    queryKey: keys.beforeAfter(place.rig.slug, place.sensor.id, procedure.procedure, recording, procedure.steps.length),
    queryFn: () => calls.beforeAfter(recording ?? 0),
    enabled: recording !== null,
  });
  return (
    <section className={styles.beforeAfter}>
      <label>
        Before and after, on{" "}
        <select
          value={recording ?? ""}
          onChange={(event) => setRecording(event.target.value ? Number(event.target.value) : null)}
        >
          <option value="">no recording</option>
          {procedure.recordings.map((recording) => (
            <option key={recording.id} value={recording.id}>
              {recording.name}
            </option>
          ))}
        </select>
      </label>
      {seen.error && (
        <p className="field-fault" role="alert">
          {seen.error.message}
        </p>
      )}
      {seen.data && (
        <>
          <p>{seen.data.said}</p>
          <FitPlot plot={asPlot(seen.data)} />
        </>
      )}
    </section>
  );
}

function asPlot(seen: {
  times_s: (number | null)[];
  before: (number | null)[];
  after: (number | null)[];
  quantity: string;
  unit: string;
}): Plot {
  const line = (label: string, values: (number | null)[]) => ({
    label,
    points: values.flatMap((value, i): [number, number][] => {
      const at = seen.times_s[i];
      return value === null || at === null || at === undefined ? [] : [[at, value]];
    }),
    half_width: [],
  });
  return {
    title: "Before and after",
    x: "time",
    x_unit: "s",
    y: seen.quantity,
    y_unit: seen.unit,
    dots: [],
    lines: [line("after", seen.after), line("before, broken", seen.before)],
    zero: false,
    logarithmic: false,
  };
}
