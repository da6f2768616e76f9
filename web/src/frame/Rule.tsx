import { NavLink, useLocation } from "react-router";
import { usePlace } from "../hooks/place";
import { useFindings } from "../hooks/useFindings";
import { headline } from "../model/findings";
import { STATIONS } from "../model/stations";
import { Glyph } from "../ui/Glyph";
import styles from "./Rule.module.css";

/** The stations as graduations of a ruler; each tick is as long as its share of settled constants. */
export function Rule() {
  const place = usePlace();
  const { search } = useLocation();
  const { findings } = useFindings();
  return (
    <nav className={styles.rule} aria-label="Stations">
      {STATIONS.map((station, i) => {
        const standing = place.standing.find((progress) => progress.station === station.id);
        const total = standing?.total ?? 0;
        const settled = standing?.settled ?? 0;
        const notch = (station.id === "watch" && headline(findings, place.rig.sensors)) || standing?.notch;
        const progress = total ? `${settled} of ${total} settled` : "";
        return (
          <NavLink key={station.id} to={`/${place.rig.slug}/${station.id}${search}`} title={notch || progress}>
            <span className={styles.ruleNumber}>{i + 1}</span>
            <span className={styles.ruleTitle}>
              {station.title}
              {notch && <Glyph of="fault" />}
            </span>
            <span className={styles.ruleTick} aria-hidden="true">
              <span style={{ width: `${total ? (100 * settled) / total : 0}%` }} />
            </span>
            {progress && <span className="visually-hidden">, {progress}</span>}
            {notch && <span className="visually-hidden">, {notch}</span>}
          </NavLink>
        );
      })}
    </nav>
  );
}
