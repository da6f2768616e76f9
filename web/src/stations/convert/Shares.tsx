import type { Worked } from "../../hooks/useWorked";
import { figure, THIN } from "../../model/format";
import styles from "./Shares.module.css";

/** Where the ± comes from: the share of the variance by cause. */
export function Shares({ worked }: { worked: Worked }) {
  const shares = worked.shares.filter((share) => share.share > 0.0005);
  if (shares.length === 0) return null;
  return (
    <section>
      <h2>Where the ± comes from</h2>
      <div className={styles.shares} aria-hidden="true">
        {shares.map((share, i) => (
          <span key={share.label} className={`grey-${Math.min(i + 1, 4)}`} style={{ flexGrow: share.share }} />
        ))}
      </div>
      <ul className={styles.shareLabels}>
        {shares.map((share, i) => (
          <li key={share.label}>
            <span className={`swatch grey-${Math.min(i + 1, 4)}`} /> {share.label}{" "}
            <b>
              {figure(share.share * 100, share.share < 0.095 ? 1 : 0)}
              {THIN}%
            </b>
          </li>
        ))}
      </ul>
    </section>
  );
}
