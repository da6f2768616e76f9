import { usePlace } from "../../hooks/place";
import { useFindings } from "../../hooks/useFindings";
import { sureness, whose } from "../../model/findings";
import { figure, THIN } from "../../model/format";
import type { Finding } from "../../model/live";
import { Glyph } from "../../ui/Glyph";
import styles from "./Findings.module.css";

/** What looks wrong, each with its evidence, the likely causes in order and the next check at the bench. */
export function Findings({ onShow }: { onShow?: (finding: Finding) => void }) {
  const { rig } = usePlace();
  const { findings, looking, lookedAt, failed } = useFindings();
  if (failed)
    return (
      <p className={styles.findingsSaid} role="alert">
        Faults could not be looked for: {failed}
      </p>
    );
  if (looking) return <p className={styles.findingsSaid}>Looking for faults …</p>;
  if (!findings.length && !onShow) return null;
  return (
    <section className={styles.findings} aria-label="What looks wrong">
      <h2>{findings.length ? "What looks wrong" : "Nothing looks wrong"}</h2>
      {lookedAt < 1 && <p className={styles.findingsSaid}>Looked at its beginning, its middle and its end.</p>}
      <ol>
        {findings.map((one, i) => (
          <li key={`${one.kind} ${one.sensor} ${one.channel}`}>
            <details open={i === 0}>
              <summary>
                <Glyph of="fault" /> <b>{whose(one, rig.sensors)}</b>: {one.title}{" "}
                <span>{sureness(one.confidence)}</span>
              </summary>
              <p>
                {channels(one) && `${channels(one)}: `}
                {one.evidence}{" "}
                {onShow && (
                  <button type="button" className="plain" onClick={() => onShow(one)}>
                    Show {figure(one.start_s, 1)} to {figure(one.end_s, 1)}
                    {THIN}s
                  </button>
                )}
              </p>
              <p>
                <b>Likely</b> {one.causes.join("; or ")}.
              </p>
              <p>
                <b>Next check</b> {one.advice}
              </p>
            </details>
          </li>
        ))}
      </ol>
    </section>
  );
}

/** Which of a sensor's channels: said only where the sensor's name does not. */
function channels(one: Finding): string {
  if (one.sensor === "") return "";
  return one.also.length ? [one.channel, ...one.also].join(", ") : one.channel;
}
