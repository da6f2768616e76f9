"""Holding: a pose or place is watched for in what comes live, judged by its procedure, and taken when it is
still."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import UTC, datetime

import numpy as np
from sqlalchemy.orm import Session

from tickstone.actions import calibrating
from tickstone.actions.constants import settled
from tickstone.actions.live.hold import Hold, Taken
from tickstone.actions.live.recordings import Recordings
from tickstone.actions.live.rig import LiveRig
from tickstone.actions.live.rigs import LiveRigs
from tickstone.core.calibration.procedure import Holding, Window
from tickstone.core.calibration.still import differs
from tickstone.core.rigs.kinds import kind, thermometers
from tickstone.errors import BadInput, Conflict, NotConnected
from tickstone.store import calibrations, recordings, rigs

AIR_LOOK_BACK = 30
LONGEST_S = 3600.0
LOOK_BEFORE_S = 0.5
LATEST = 25  # readings, held against those of the step before
LEAST_TAKEN = 3  # readings, since the hold began
LATE_S = 2.0  # a sensor that has said nothing for so long stands: what it said before is not now


def prepare(
    session: Session, slug: str, sensor: str, name: str, key: str, truth: Mapping[str, float], now_s: float
) -> Hold:
    """Get ready to watch for a want; an empty key is whichever the readings show. Raises BadInput that names
    the field."""
    stored = rigs.rig_named(session, slug)
    procedure, values = calibrating.procedure_of(stored.rig, sensor, name), settled(session, stored, sensor)
    mine = calibrating.draft(session, slug, sensor, name)
    steps = calibrating.steps_of(mine)
    want = calibrating.wanted(procedure, key, steps, values) if key else None
    given = calibrating.checked(want, truth) if want is not None else {}
    own = procedure.key_of(want, given) if want is not None else ""
    air = thermometers(stored.rig)
    air_sd = settled(session, stored, air[0].id)["offset"].sd if air else None
    analogue = any(channel.unit == "counts" for channel in kind(stored.rig.sensor(sensor).kind).channels)
    return Hold(
        mine.id,
        sensor,
        mine.sensor_id,
        procedure,
        want,
        given,
        tuple(step for step in steps if step.key != own),
        values,
        now_s,
        0.5 if air_sd is None else air_sd,
        analogue and kind(stored.rig.sensor(sensor).kind).family != "power",
    )


def window_of(live: LiveRig, hold: Hold, since_s: float | None = None) -> Window:
    """The rig's last readings as the procedure wants them: its seconds, or everything since the hold, and
    none from before it; everything since ``since_s`` where that is given."""
    with live.held():
        watched = live.intake.watched[hold.sensor]
        now_s = live.view.now_s()
        seconds, newest_s = hold.procedure.window_s(hold.want), watched.history.newest_s
        end_s = newest_s if newest_s is not None and now_s - newest_s < LATE_S else now_s
        since = since_s or (hold.since_s if seconds == 0 else max(end_s - seconds * 1.05, hold.since_s))
        times, rows = watched.history.recent(max(since, now_s - LONGEST_S), 0)
        values = watched.ring.last_seconds(min(seconds or 2.0, 10.0)).values
        air = live.intake.air_last(max(AIR_LOOK_BACK, int(hold.truth.get("samples", 0))))
        supply_v = live.intake.supply_v if hold.supplied else None
    channels = dict(zip(watched.channels, rows, strict=True))
    return Window(times, channels, values, air, hold.air_sd, supply_v)


def judge_now(live: LiveRig, hold: Hold) -> Holding:
    """Judge the rig's last readings against what is being watched for."""
    judged = hold.procedure.judge(window_of(live, hold), hold.want, hold.truth, hold.steps, hold.values)
    if judged.ready and not hold.moved:
        return replace(
            judged, ready=False, why_not=f"Taken. Now: {hold.want.do if hold.want else 'the next pose.'}"
        )
    return judged


def has_moved(live: LiveRig, hold: Hold) -> bool:
    """Whether anything has moved since the step before; readings that are merely too few yet are no
    motion."""
    window = window_of(live, hold, hold.before_s - LOOK_BEFORE_S)
    judged = hold.procedure.judge(window, hold.want, hold.truth, hold.steps, hold.values)
    if not judged.ready and judged.lacks is None:
        return True
    watched = live.intake.watched[hold.sensor]
    amounts = [
        channel.name
        for channel in watched.kind.channels_of(watched.options)
        if channel.form == "level" and (channel.low, channel.high) != (0, 1)
    ]
    cut = int(np.searchsorted(window.times_s, hold.before_s, "right"))
    return any(
        differs(window.channels[name][:cut], window.channels[name][cut:][-LATEST:]) for name in amounts
    )


def keep_step(session: Session, live: LiveRig, hold: Hold, judged: Holding, *, forced: bool) -> str:
    """Store the rig's last readings as a held step: a marked span with its truth, and a step of the draft;
    returns its key. Raises BadInput for ``key`` while nothing has come since it is held."""
    recording = live.recording
    if recording is None:
        raise NotConnected("The recording has ended: connect again and hold it anew.")
    window = window_of(live, hold)
    if forced and hold.procedure.window_s(hold.want) and window.times_s.size < LEAST_TAKEN:
        raise BadInput(
            f"There is nothing to take yet: {window.times_s.size} readings since it is held. Wait a moment.",
            "key",
        )
    want = hold.want or calibrating.wanted(hold.procedure, judged.key or "+z", hold.steps, hold.values)
    taken = hold.procedure.take(window, want.key, hold.values)
    begin, end = (recording.time_us(float(t)) for t in (window.times_s[0], window.times_s[-1]))
    conditions: dict[str, float] = {} if window.air_c is None else {"air_c": round(window.air_c, 2)}
    if window.supply_v is not None:
        conditions["supply_v"] = round(window.supply_v, 2)
    conditions |= {name: hold.truth[name] for name in ("height_mm", "lamp") if name in hold.truth}
    key, label = hold.procedure.key_of(want, hold.truth), hold.procedure.label_of(want, hold.truth)
    mark = recordings.add_mark(
        session,
        recording.id,
        begin,
        end,
        label,
        sensor_id=hold.sensor_id,
        truth=calibrating.truth_of(hold.truth),
        conditions=conditions,
    )
    step = calibrating.new_step(
        key,
        label,
        hold.truth,
        hold.procedure.stored(taken),
        "taken at once" if forced else "taken when still",
        n=int(window.times_s.size),
        held_s=window.span_s,
        air_c=window.air_c,
        supply_v=window.supply_v,
        mark_id=mark,
        recording_id=recording.id,
    )
    calibrating.add_step(session, hold.calibration_id, step, hold.procedure, hold.values)
    return key


def next_hold(session: Session, hold: Hold, now_s: float) -> Hold | None:
    """What to watch for after a step was taken: the next want, when nothing has to be typed for it; None when
    there is none."""
    steps = calibrating.steps_of(calibrations.calibration(session, hold.calibration_id))
    missing = hold.procedure.missing(steps, hold.values)
    if not missing or any(field.needed for field in missing[0].fields):
        return None
    want = None if hold.procedure.hands_free else missing[0]
    kept = {
        name: value
        for name, value in hold.truth.items()
        if want and name in {field.name for field in want.fields}
    }
    return replace(
        hold, want=want, truth=kept, steps=tuple(steps), since_s=now_s, moved=False, before_s=now_s
    )


class Holds:
    """Holding on every rig that is live. Only what is held in a recording counts: one begins when none is
    running."""

    def __init__(self, rigs: LiveRigs, recordings: Recordings) -> None:
        self._rigs, self._recordings = rigs, recordings

    def begin(self, slug: str, hold: Hold) -> None:
        """Watch for a want of a procedure. Raises NotConnected."""
        live = self._rigs.of(slug)
        began = live.recording is None
        if began:
            self._recordings.begin(slug, f"{hold.procedure.title}, {datetime.now(UTC):%d %b %H:%M}")
        with live.held():
            state = live.holding
            state.began = state.began or began
            state.hold = _after(state.last, live, hold)

    def look(self, slug: str) -> tuple[Hold, Holding] | None:
        """What is being watched for, and how it stands this moment; None when nothing is."""
        live = self._rigs.of(slug)
        hold = live.holding.hold
        return None if hold is None else (hold, judge_now(live, hold))

    def let_go(self, slug: str) -> None:
        """Watch no longer."""
        self._rigs.of(slug).holding.hold = None

    def end(self, slug: str) -> None:
        """End the recording that holding began; a recording that a person began goes on."""
        live = self._rigs.of(slug)
        live.holding.hold = None
        if live.holding.began and live.recording is not None:
            self._recordings.stop(slug)

    def take(self, slug: str, *, forced: bool) -> bool:
        """Take what is held if it may be taken (or must be), and go on to the next; returns whether it was
        taken."""
        live = self._rigs.of(slug)
        state, hold = live.holding, live.holding.hold
        if hold is None:
            raise Conflict("Nothing is being watched for: begin to hold first.", "key")
        judged = judge_now(live, hold)
        if not judged.ready and not hold.moved and not forced and has_moved(live, hold):
            _follow(live, hold, replace(hold, moved=True))
        if not (judged.ready or forced):
            return False
        recording = live.recording
        with self._rigs.change(slug) as session:
            key = keep_step(session, live, hold, judged, forced=forced)
            following = next_hold(session, hold, live.view.last_line_s)
            if recording is not None:  # known before anybody can see the step, and hold the next
                state.last = Taken(recording.id, hold.sensor, key, live.view.last_line_s)
        _follow(live, hold, following)
        return True


def _after(last: Taken | None, live: LiveRig, hold: Hold) -> Hold:
    """A hold that follows on a step: something must have moved since then, but for a step that is held
    again."""
    if last is None or live.recording is None or hold.own_key == last.key:
        return hold
    same = (last.recording_id, last.sensor) == (live.recording.id, hold.sensor)
    return replace(hold, moved=False, before_s=last.at_s) if same else hold


def _follow(live: LiveRig, hold: Hold, following: Hold | None) -> None:
    """Watch for something else, unless a person has begun to meanwhile."""
    with live.held():
        if live.holding.hold is hold:
            live.holding.hold = following
