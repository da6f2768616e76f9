import { useQuery } from "@tanstack/react-query";
import { useReducer, useRef, useState } from "react";
import { api, ask, Refused, type Schemas } from "../../api/client";
import { keys } from "../../api/keys";
import { say } from "../../hooks/notice";
import { usePlace } from "../../hooks/place";
import { useAddress } from "../../hooks/useAddress";
import { useRefresh } from "../../hooks/useRefresh";
import { type Ground, type Handle, handlesOf, moved } from "../../model/world";
import { DropFiles } from "../../ui/DropFiles";
import { Verdict } from "../../ui/Verdict";
import styles from "./WorldBench.module.css";
import { WorldDrawing } from "./WorldDrawing";
import { WorldParts } from "./WorldParts";

/** A world as it is being drawn, and as it was before each change; what is dragged makes one change of many moves. */
interface Drawn {
  now: Ground;
  before: Ground[];
}

type Step = { to: Ground; during?: boolean } | { back: true };

function drawn(state: Drawn, step: Step): Drawn {
  if ("back" in step) {
    const last = state.before.at(-1);
    return last ? { now: last, before: state.before.slice(0, -1) } : state;
  }
  return step.during ? { ...state, now: step.to } : { now: step.to, before: [...state.before, state.now] };
}

/** Drawing a world: begun from the one that was open. */
export function WorldBench() {
  const { search } = useAddress();
  const name = search.get("world") ?? "oval";
  const world = useQuery({
    queryKey: keys.world(name),
    queryFn: () => ask(api.GET("/api/worlds/{name}", { params: { path: { name } } })),
    staleTime: Number.POSITIVE_INFINITY, // what is being drawn is not replaced under the hand
  });
  const { rig } = usePlace();
  const choices = useQuery({
    queryKey: keys.driveChoices(rig.slug),
    queryFn: () => ask(api.GET("/api/rigs/{slug}/drive", { params: { path: { slug: rig.slug } } })),
  });
  if (world.error) return <Verdict next={null}>{world.error.message}</Verdict>;
  if (!world.data || !choices.data) return <Verdict next={null}>Looking it up</Verdict>;
  const own = choices.data.worlds.some((each) => each.own && each.name === name);
  const begun = world.data as unknown as Ground;
  return <Bench key={name} begun={own ? begun : { ...begun, name: `${name}, mine` }} source={name} own={own} />;
}

/** Keeping a world, and deleting one that was kept. */
function useKept(world: Ground, onRefused: (refused: Refused) => void) {
  const place = usePlace();
  const refresh = useRefresh(place.rig.slug);
  const keep = async () => {
    try {
      await ask(api.PUT("/api/worlds", { body: { world: world as unknown as Record<string, unknown> } }));
    } catch (error) {
      if (!(error instanceof Refused)) throw error;
      onRefused(error);
      return;
    }
    await refresh();
    say({ text: `${world.name} is kept.`, tone: "said" });
    place.go("drive", { view: null, world: world.name, set: null, run: null });
  };
  const drop = async () => {
    await ask(api.DELETE("/api/worlds/{name}", { params: { path: { name: world.name } } }));
    await refresh();
    place.go("drive", { view: null, world: null });
  };
  return { keep, drop };
}

function Bench({ begun, source, own }: { begun: Ground; source: string; own: boolean }) {
  const place = usePlace();
  const [world, step] = useReducer(drawn, { now: begun, before: [] });
  const [chosen, setChosen] = useState<Handle | null>(null);
  const [refused, setRefused] = useState<Refused | null>(null);
  const dragging = useRef(false);
  const put = (to: Ground) => {
    setRefused(null);
    step({ to });
  };
  const handle = handlesOf(world.now).find(({ label }) => label === chosen?.label) ?? null;
  const { keep, drop } = useKept(world.now, setRefused);
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: a key for all of it, which has a button too
    <div
      onKeyDown={(event) => {
        if (!(event.ctrlKey || event.metaKey) || event.key !== "z" || event.target instanceof HTMLInputElement) return;
        event.preventDefault();
        step({ back: true });
      }}
    >
      <Verdict
        next={
          <p className="next">
            <b>{refused ? "It cannot be so:" : "Next:"}</b>
            <span>
              {refused
                ? `${refused.message} (${refused.path})`
                : "drag what lies there, or put something new; every rig can be run in it once it is kept."}
            </span>
            <button type="button" className="act act-first" onClick={() => void keep()}>
              Keep {world.now.name}
            </button>
            <button type="button" className="act" disabled={!world.before.length} onClick={() => step({ back: true })}>
              Undo <kbd>Ctrl Z</kbd>
            </button>
            <button type="button" className="act" onClick={() => place.go("drive", { view: null })}>
              Back
            </button>
          </p>
        }
      >
        Draw a world
      </Verdict>
      <div className={styles.bench}>
        <WorldDrawing
          ground={world.now}
          chosen={handle}
          onChoose={setChosen}
          onMove={(which, to) => {
            step({ to: moved(world.now, which, to), during: dragging.current });
            dragging.current = true;
          }}
          onDrop={() => {
            dragging.current = false;
          }}
          onPut={put}
        />
        <WorldParts ground={world.now} chosen={handle} onChoose={setChosen} onPut={put} />
      </div>
      <Files
        world={world.now}
        source={source}
        own={own}
        onTaken={put}
        onRefused={setRefused}
        onDrop={() => void drop()}
      />
    </div>
  );
}

const FORMS = ["json", "svg", "csv"] as const;

interface FilesProps {
  world: Ground;
  source: string;
  own: boolean;
  onTaken: (world: Ground) => void;
  onRefused: (refused: Refused) => void;
  onDrop: () => void;
}

/** Worlds as files: taken in to be looked at, given out as they are kept. */
function Files({ world, source, own, onTaken, onRefused, onDrop }: FilesProps) {
  const take = async ([file]: File[]) => {
    if (!file) return;
    const suffix = file.name.split(".").pop()?.toLowerCase() ?? "";
    const form = FORMS.find((each) => each === suffix) ?? "json";
    const body: Schemas["WorldFile"] = {
      name: file.name.replace(/\.[^.]*$/, "").slice(0, 40) || "mine",
      form,
      text: await file.text(),
      width_mm: world.lines?.[0]?.width_mm ?? 19,
    };
    try {
      onTaken((await ask(api.POST("/api/worlds/file", { body }))) as unknown as Ground);
    } catch (error) {
      if (error instanceof Refused) onRefused(error);
      else throw error;
    }
  };
  return (
    <section aria-label="World files">
      <DropFiles label="World file" choose="Take in a file" first={false} onFiles={(files) => void take(files)}>
        a drawing at true scale (SVG: stroked paths are lines, closed filled shapes boxes), points of a line (CSV: x and
        y in mm), or a world's JSON
      </DropFiles>
      <p className={styles.files}>
        {(world.kind === "floor" || world.kind === "table" ? (["svg", "json"] as const) : []).map((form) => (
          <a key={form} className="act" href={`/api/worlds/${encodeURIComponent(source)}/file/${form}`} download>
            Save {source} as {form.toUpperCase()}
          </a>
        ))}
        {own && (
          <button type="button" className="plain" onClick={onDrop}>
            Delete {source}
          </button>
        )}
      </p>
    </section>
  );
}
