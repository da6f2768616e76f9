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
        {findings.map((finding, i) => (
          <li key={`${finding.kind} ${finding.sensor} ${finding.channel}`}>
            <details open={i === 0}>
              <summary>
                <Glyph of="fault" /> <b>{whose(finding, rig.sensors)}</b>: {finding.title}{" "}
                <span>{sureness(finding.confidence)}</span>
              </summary>
              <p>
                {channels(finding) && `${channels(finding)}: `}
                {finding.evidence}{" "}
                {onShow && (
                  <button type="button" className="plain" onClick={() => onShow(finding)}>
                    Show {figure(finding.start_s, 1)} to {figure(finding.end_s, 1)}
                    {THIN}s
                  </button>
                )}
              </p>
              <p>
                <b>Likely</b> {finding.causes.join("; or ")}.
              </p>
              <p>
                <b>Next check</b> {finding.advice}
              </p>
            </details>
          </li>
        ))}
      </ol>
    </section>
  );
}

/** Which of a sensor's channels: said only where the sensor's name does not. */
function channels(finding: Finding): string {
  if (finding.sensor === "") return "";
  return finding.also.length ? [finding.channel, ...finding.also].join(", ") : finding.channel;
}
