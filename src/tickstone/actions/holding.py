"""Holding: a pose or place is watched for in what comes live, judged by its procedure, and taken when it is still."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
from sqlalchemy.orm import Session

from tickstone.actions import calibrating
from tickstone.actions.constants import settled
from tickstone.actions.feed import Feed
from tickstone.core.calibration.procedure import Holding, Procedure, Step, Want, Window
from tickstone.core.calibration.still import differs
from tickstone.core.constants import Values
from tickstone.core.rigs.kinds import kind
from tickstone.errors import BadInput, NotConnected
from tickstone.store import calibrations, recordings, rigs

AIR_LOOK_BACK = 30
LONGEST_S = 3600.0
LOOK_BEFORE_S = 0.5
LATEST = 25  # readings, held against those of the step before
LEAST_TAKEN = 3  # readings, since the hold began
LATE_S = 2.0  # a sensor that has said nothing for so long stands: what it said before is not now


@dataclass(frozen=True)
class Hold:
    """What is being watched for: a want (None: whichever of them it is), what was typed for it, what is held already.
    ``moved`` becomes true once something has moved since the step before, at ``before_s``: the next one is never a copy of
    the last. Only readings after ``since_s`` count."""

    calibration_id: int
    sensor: str
    sensor_id: int
    procedure: Procedure
    want: Want | None
    truth: Mapping[str, float]
    steps: tuple[Step, ...]
    values: Values
    since_s: float
    air_sd: float = 0.5
    supplied: bool = False
    moved: bool = True
    before_s: float = 0.0

    @property
    def own_key(self) -> str:
        """Under which key its step is held; empty for one that is seen by itself."""
        return self.procedure.key_of(self.want, self.truth) if self.want is not None else ""


def prepare(
    session: Session, slug: str, sensor: str, name: str, key: str, truth: Mapping[str, float], now_s: float
) -> Hold:  # fmt: skip
    """Get ready to watch for a want; an empty key is whichever the readings show. Raises BadInput that names the field."""
    stored = rigs.rig_named(session, slug)
    procedure, values = calibrating.procedure_of(stored.rig, sensor, name), settled(session, stored, sensor)
    mine = calibrating.draft(session, slug, sensor, name)
    steps = calibrating.steps_of(mine)
    want = calibrating.wanted(procedure, key, steps, values) if key else None
    said = calibrating.checked(want, truth) if want is not None else {}
    own = procedure.key_of(want, said) if want is not None else ""
    thermometer = next(
        (one.id for one in stored.rig.sensors if kind(one.kind).quantity.name == "air temperature"), None
    )
    air_sd = settled(session, stored, thermometer)["offset"].sd if thermometer else None
    analogue = any(channel.unit == "counts" for channel in kind(stored.rig.sensor(sensor).kind).channels)
    return Hold(
        mine.id, sensor, mine.sensor_id, procedure, want, said, tuple(step for step in steps if step.key != own), values,
        now_s, 0.5 if air_sd is None else air_sd, analogue and kind(stored.rig.sensor(sensor).kind).family != "power",
    )  # fmt: skip


def window_of(feed: Feed, hold: Hold, since_s: float | None = None) -> Window:
    """The feed's last readings as the procedure wants them: its seconds, or everything since the hold, and none from before
    it; everything since ``since_s`` where that is given."""
    with feed.held():
        watched = feed.watched[hold.sensor]
        now_s = feed.now_s()
        seconds, newest_s = hold.procedure.window_s(hold.want), watched.history.newest_s
        end_s = newest_s if newest_s is not None and now_s - newest_s < LATE_S else now_s
        since = since_s or (hold.since_s if seconds == 0 else max(end_s - seconds * 1.05, hold.since_s))
        times, rows = watched.history.recent(max(since, now_s - LONGEST_S), 0)
        said = watched.ring.last_seconds(min(seconds or 2.0, 10.0)).values
        air = feed.air_last(max(AIR_LOOK_BACK, int(hold.truth.get("samples", 0))))
        supply_v = feed.supply_v if hold.supplied else None
    channels = dict(zip(watched.channels, rows, strict=True))
    return Window(times, channels, said, air, hold.air_sd, supply_v)


def judge_now(feed: Feed, hold: Hold) -> Holding:
    """Judge the feed's last readings against what is being watched for."""
    judged = hold.procedure.judge(window_of(feed, hold), hold.want, hold.truth, hold.steps, hold.values)
    if judged.ready and not hold.moved:
        return replace(judged, ready=False, why_not=f"Taken. Now: {hold.want.do if hold.want else 'the next pose.'}")
    return judged


def has_moved(feed: Feed, hold: Hold) -> bool:
    """Whether anything has moved since the step before; readings that are merely too few yet are no motion."""
    seen = window_of(feed, hold, hold.before_s - LOOK_BEFORE_S)
    judged = hold.procedure.judge(seen, hold.want, hold.truth, hold.steps, hold.values)
    if not judged.ready and judged.lacks is None:
        return True
    watched = feed.watched[hold.sensor]
    amounts = [
        one.name for one in watched.kind.channels_of(watched.options)
        if one.form == "level" and (one.low, one.high) != (0, 1)
    ]  # fmt: skip
    cut = int(np.searchsorted(seen.times_s, hold.before_s, "right"))
    return any(differs(seen.channels[name][:cut], seen.channels[name][cut:][-LATEST:]) for name in amounts)


def keep_step(session: Session, feed: Feed, hold: Hold, judged: Holding, *, forced: bool) -> str:
    """Store the feed's last readings as a held step: a marked span with its truth, and a step of the draft; returns its key.
    Raises BadInput for ``key`` while nothing has come since it is held."""
    recorder = feed.recorder
    if recorder is None:
        raise NotConnected("The recording has ended: connect again and hold it anew.")
    seen = window_of(feed, hold)
    if forced and hold.procedure.window_s(hold.want) and seen.times_s.size < LEAST_TAKEN:
        raise BadInput(
            f"There is nothing to take yet: {seen.times_s.size} readings since it is held. Wait a moment.", "key"
        )
    want = hold.want or calibrating.wanted(hold.procedure, judged.key or "+z", hold.steps, hold.values)
    numbers = hold.procedure.take(seen, want.key, hold.values)
    begin, end = (feed.recording_time_us(float(t)) or 0 for t in (seen.times_s[0], seen.times_s[-1]))
    conditions: dict[str, float] = {} if seen.air_c is None else {"air_c": round(seen.air_c, 2)}
    if seen.supply_v is not None:
        conditions["supply_v"] = round(seen.supply_v, 2)
    conditions |= {name: hold.truth[name] for name in ("height_mm", "lamp") if name in hold.truth}
    key, label = hold.procedure.key_of(want, hold.truth), hold.procedure.label_of(want, hold.truth)
    mark = recordings.add_mark(
        session, recorder.recording_id, max(begin, 0), max(end, 0), label, sensor_id=hold.sensor_id,
        truth=calibrating.truth_of(hold.truth), conditions=conditions,
    )  # fmt: skip
    step = calibrating.new_step(
        key, label, hold.truth, numbers, "taken at once" if forced else "taken when still", n=int(seen.times_s.size),
        held_s=seen.span_s, air_c=seen.air_c, supply_v=seen.supply_v, mark_id=mark, recording_id=recorder.recording_id,
    )  # fmt: skip
    calibrating.add_step(session, hold.calibration_id, step, hold.procedure, hold.values)
    return key


def next_hold(session: Session, hold: Hold, now_s: float) -> Hold | None:
    """What to watch for after a step was taken: the next want, when nothing has to be typed for it; None when there is none."""
    steps = calibrating.steps_of(calibrations.calibration(session, hold.calibration_id))
    missing = hold.procedure.missing(steps, hold.values)
    if not missing or any(field.needed for field in missing[0].fields):
        return None
    want = None if hold.procedure.hands_free else missing[0]
    kept = {name: value for name, value in hold.truth.items() if want and name in {field.name for field in want.fields}}
    return replace(hold, want=want, truth=kept, steps=tuple(steps), since_s=now_s, moved=False, before_s=now_s)
