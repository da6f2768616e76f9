import { api, ask, type Schemas } from "../../api/client";
import { useAct } from "../../hooks/act";
import { usePlace } from "../../hooks/place";
import { FORGET } from "../../model/address";

type Done = Schemas["CutDone"];

const put = (id: number, archived: boolean) =>
  ask(api.PATCH("/api/recordings/{recording_id}", { params: { path: { recording_id: id } }, body: { archived } }));

/** Trimming, splitting and joining, each undone by bringing back what was archived for it. */
export function useCutting(id: number) {
  const place = usePlace();
  const act = useAct();
  const path = { params: { path: { recording_id: id } } };
  const open = (recording: number | null | undefined) =>
    place.go("watch", { ...FORGET, recording: recording ? String(recording) : null });
  const cut = (call: Promise<Done>, notice: string, back: number | null) =>
    act.attempt(
      call.then((done) => {
        open(done.made[0]);
        return done;
      }),
      notice,
      (done) =>
        void act.attempt(
          Promise.all([
            ...done.put_away.map((recording) => put(recording, false)),
            ...done.made.map((recording) => put(recording, true)),
          ]).then(() => open(back)),
        ),
    );
  return {
    trim: (t0_s: number, t1_s: number) =>
      cut(
        ask(api.POST("/api/recordings/{recording_id}/trim", { ...path, body: { t0_s, t1_s } })),
        "Only the span is kept here; the whole is archived.",
        id,
      ),
    split: (t_s: number) =>
      cut(
        ask(api.POST("/api/recordings/{recording_id}/split", { ...path, body: { t_s } })),
        "Split in two; this is the first part.",
        id,
      ),
    join: (recordings: number[]) =>
      cut(
        ask(
          api.POST("/api/rigs/{slug}/recordings/join", {
            params: { path: { slug: place.rig.slug } },
            body: { recordings },
          }),
        ),
        `${recordings.length} recordings are one now.`,
        null,
      ),
  };
}
