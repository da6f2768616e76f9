import { useQuery } from "@tanstack/react-query";
import { api, ask, type Constant } from "../api/client";
import { keys } from "../api/keys";
import { useAct } from "../hooks/act";
import { useNow } from "../hooks/live";
import { usePlace } from "../hooks/place";
import type { useLength } from "../hooks/settings";
import { useSettings } from "../hooks/settings";
import { useFindings } from "../hooks/useFindings";
import { type Procedure, useProcedure } from "../hooks/useProcedure";
import { concerning } from "../model/findings";
import { shown, THIN } from "../model/format";
import { isOn, valueText } from "../model/readings";
import { ConstantLine } from "../ui/ConstantLine";
import { Check, Glyph } from "../ui/Glyph";
import { SensorMenu } from "../ui/SensorMenu";
import styles from "./Slab.module.css";
import shared from "./shared.module.css";

const PROVENANCES = ["measured", "derived", "chosen", "assumed"] as const;

/** The stone being carved: the constants of the selected sensor that matter at this station, then the others. */
export function Slab() {
  const place = usePlace();
  const act = useAct();
  const stones = useQuery({
    queryKey: keys.stones(place.rig.slug),
    queryFn: () => ask(api.GET("/api/rigs/{slug}/stones", { params: { path: { slug: place.rig.slug } } })),
  });
  const { forming, all } = useForming();
  const mine = all.filter(
    (constant) =>
      forming.has(constant.name) ||
      (constant.station === place.station && constant.counts) ||
      constant.shown_at.includes(place.station),
  );
  const rest = all.filter((constant) => !mine.includes(constant));
  const number = stones.data?.next ?? 1;
  const form = place.rig.rig.board.programs[0] === "python" ? "python" : "c";
  const cut = () =>
    act.attempt(
      ask(api.POST("/api/rigs/{slug}/stones", { params: { path: { slug: place.rig.slug } }, body: { why: "" } })),
      `Stone ${number} of ${place.rig.rig.title} is cut.`,
    );
  return (
    <aside className={shared.slab} aria-label="The stone being carved">
      <SensorMenu label="Sensor" />
      <div className={styles.slabScroll}>
        {(place.station === "watch" || place.station === "calibrate") && <BigFigure />}
        <Wrong />
        <ul>
          {mine.map((constant) => (
            <ConstantLine key={constant.name} constant={constant} />
          ))}
        </ul>
        {place.station === "wire" && <Checks />}
        {rest.length > 0 && (
          <details open={mine.length === 0}>
            <summary>{mine.length === 0 ? "All" : `${rest.length} more`} of this sensor</summary>
            <ul>
              {rest.map((constant) => (
                <ConstantLine key={constant.name} constant={constant} />
              ))}
            </ul>
          </details>
        )}
        <p className={styles.keyLine}>
          {PROVENANCES.map((provenance) => (
            <span key={provenance}>
              <Glyph of={provenance} /> {provenance}
            </span>
          ))}
          <span>(± is 95{THIN}%)</span>
        </p>
      </div>
      {number > 1 && stones.data?.waiting === 0 ? (
        <a
          className={`act ${styles.cut}`}
          href={`/api/rigs/${place.rig.slug}/stones/${number - 1}/export/${form}`}
          download
        >
          Download {form === "c" ? "header" : "module"} of stone {number - 1}
        </a>
      ) : (
        <button type="button" className={`act ${styles.cut}`} onClick={() => void cut()}>
          Cut stone {number} of {place.rig.rig.title}
        </button>
      )}
    </aside>
  );
}

/** The constants, with those that a procedure is fitting as they form. */
function useForming(): { forming: Set<string>; all: Constant[] } {
  const place = usePlace();
  const { found: procedure } = useProcedure(place.station === "calibrate");
  const fitted = place.station === "calibrate" && procedure?.steps.length ? procedure.constants : [];
  const held = procedure?.steps.length ?? 0;
  const all = place.constants.map((constant) => {
    const now = fitted.find((other) => other.name === constant.name);
    return now ? formed(constant, now, held) : constant;
  });
  for (const now of fitted)
    if (!all.some((constant) => constant.name === now.name)) all.push(formed({ ...BLANK, name: now.name }, now, held));
  return { forming: new Set(fitted.map((constant) => constant.name)), all };
}

const BLANK: Omit<Constant, "name"> = {
  id: 0,
  label: "",
  unit: "",
  value: 0,
  plus_minus: null,
  provenance: "measured",
  source: "",
  station: "calibrate",
  shown_at: [],
  counts: false,
  stale: "",
  warning: "",
  rests_on: [],
  made_at: null,
  recording_id: null,
  low: null,
  high: null,
  typed_as: "measured",
};

function formed(constant: Constant, now: Procedure["constants"][number], held: number): Constant {
  const { label, unit, value, plus_minus } = now;
  const source = `forming: ${held} held, not accepted yet`;
  return { ...constant, label, unit, value, plus_minus, provenance: "measured", source, made_at: null, stale: "" };
}

/** What looks wrong with the selected sensor, a line each. */
function Wrong() {
  const place = usePlace();
  const { findings } = useFindings();
  const mine = concerning(findings, place.sensor.id);
  if (!mine.length) return null;
  return (
    <ul className={shared.checks} aria-label="What looks wrong with it">
      {mine.map((finding) => (
        <li key={`${finding.kind} ${finding.channel}`} className={shared.fault}>
          <span>
            <Glyph of="fault" />
          </span>{" "}
          {finding.sensor ? finding.title : `the line: ${finding.title}`}. {finding.evidence}
        </li>
      ))}
    </ul>
  );
}

/** The one live figure, readable from two metres. */
function BigFigure() {
  const place = usePlace();
  const now = useNow();
  const settings = useSettings();
  const { length } = settings;
  const seen = now.sensors[place.sensor.id];
  if (!seen || !isOn(now)) return null;
  const value = seen.value === null ? null : valueText(seen.value, place.sensor, settings);
  return (
    <div className={styles.big}>
      <span className={styles.bigFigure}>{value?.text ?? "—"}</span> {value?.unit ?? ""}
      <p>
        <span>
          {seen.value === null
            ? seen.reason || "waiting"
            : place.sensor.fades
              ? ""
              : noiseText(seen.noise, place.sensor.unit, length)}
        </span>
        <button
          type="button"
          className="plain"
          title="As large as the window"
          onClick={() => place.go("watch", { large: "" })}
        >
          Large {settings.letterKeys && <kbd>B</kbd>}
        </button>
      </p>
    </div>
  );
}

function noiseText(noise: number | null, unit: string, length: ReturnType<typeof useLength>): string {
  if (noise === null) return "";
  const spread = shown(2 * noise, unit, 2 * noise, length);
  return `scatter ± ${spread.text}${THIN}${spread.unit}`;
}

function Checks() {
  const place = usePlace();
  const mine = <T extends { sensor: string }>(all: T[]) => all.filter((check) => check.sensor === place.sensor.id);
  return (
    <ul className={shared.checks} aria-label="Wiring checks">
      {mine(place.rig.findings).map((finding) => (
        <li key={`${finding.kind}-${finding.pin}`} className={finding.severity === "fault" ? shared.fault : undefined}>
          <span>{finding.severity === "fault" ? <Glyph of="fault" /> : "?"}</span> {finding.sentence}
        </li>
      ))}
      {mine(place.rig.assurances).map((assurance) => (
        <li key={assurance.sentence}>
          <span>
            <Check />
          </span>{" "}
          {assurance.sentence}
        </li>
      ))}
    </ul>
  );
}
