import { useQuery } from "@tanstack/react-query";
import { api, ask, type Schemas, sent, type Whole } from "../../api/client";
import { keys } from "../../api/keys";
import { useAct } from "../../hooks/act";
import { useNow } from "../../hooks/live";
import { usePlace } from "../../hooks/place";
import { figure, plainDecimals } from "../../model/format";
import { isOn } from "../../model/readings";
import { Factor, MeaningChoice } from "../../ui/MeaningChoice";
import { Verdict } from "../../ui/Verdict";
import styles from "./Lines.module.css";
import shared from "./shared.module.css";

type Label = Whole<Schemas["LabelModel"]>;
type Target = Schemas["TargetModel"];
/** What comes on the line and what each label means: guessed, and said otherwise where a person knows better. */
export function Lines() {
  const place = usePlace();
  const now = useNow();
  const { slug } = place.rig;
  const on = isOn(now);
  const lines = useQuery({
    queryKey: keys.labels(slug),
    queryFn: () => ask(api.GET("/api/rigs/{slug}/lines", { params: { path: { slug } } })),
    refetchInterval: on ? 1000 : false,
  });
  const labels = lines.data?.labels ?? [];
  const unknown = labels.filter((label) => label.meaning === null);
  const heading = !labels.length
    ? "No labels have come yet"
    : unknown.length
      ? `${unknown.length} of ${labels.length} labels mean nothing yet`
      : `All ${labels.length} labels are understood`;
  return (
    <>
      <Verdict
        next={
          <p className="next">
            <span>
              {on
                ? "Labels are guessed from their words and units; what you say is remembered for this rig."
                : "Connect a board to see its lines."}
            </span>
            <button type="button" className="act" onClick={() => place.show({ view: null })}>
              Back to the readings
            </button>
          </p>
        }
      >
        {heading}
      </Verdict>
      {labels.length > 0 && (
        <table className={styles.labels}>
          <thead>
            <tr>
              <th>label</th>
              <th>last</th>
              <th>means</th>
              <th>raw = number ×</th>
              <th>
                <span className="visually-hidden">guessed or said</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {labels.map((label) => (
              <LabelLine key={label.label} label={label} targets={lines.data?.targets ?? []} />
            ))}
          </tbody>
        </table>
      )}
      <h2>As it comes</h2>
      <ol className={shared.heard}>
        {[...(lines.data?.heard ?? [])]
          .reverse()
          .slice(0, 16)
          .map((line, place) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: lines repeat; they are their place
            <li key={place} className={line.why ? shared.odd : undefined}>
              <code>{line.text}</code>
              {line.why && <span> {line.why}</span>}
            </li>
          ))}
      </ol>
    </>
  );
}

function LabelLine({ label, targets }: { label: Label; targets: Target[] }) {
  const place = usePlace();
  const act = useAct();
  const path = { params: { path: { slug: place.rig.slug } } };
  const { meaning } = label;
  const target = targets.find((target) => target.sensor === meaning?.sensor && target.channel === meaning.channel);
  const say = (asked: Partial<Schemas["LabelAsked"]>) =>
    void act.attempt(
      ask(
        api.PUT("/api/rigs/{slug}/lines", {
          ...path,
          body: sent<Schemas["LabelAsked"]>({ ...asked, label: label.label }),
        }),
      ),
    );
  return (
    <tr>
      <th scope="row">
        <code>{label.label}</code>
      </th>
      <td className="figures">
        {label.last === null ? "—" : figure(label.last, plainDecimals(label.last))} {label.unit}
      </td>
      <td>
        <MeaningChoice name={label.label} meaning={meaning} targets={targets} onSay={say} />
      </td>
      <td>
        {meaning?.role === "channel" && (
          <Factor
            key={`${meaning.sensor}${meaning.channel}${meaning.factor}`}
            label={label.label}
            factor={meaning.factor}
            zero={meaning.zero}
            unit={target?.unit ?? ""}
            onChange={(factor) => say({ ...meaning, factor })}
          />
        )}
      </td>
      <td>
        {label.guessed ? (
          <small>{meaning ? "guessed" : ""}</small>
        ) : (
          <button
            type="button"
            className="plain"
            onClick={() =>
              void act.attempt(ask(api.POST("/api/rigs/{slug}/lines/guess", { ...path, body: { label: label.label } })))
            }
          >
            Guess again
          </button>
        )}
      </td>
    </tr>
  );
}
