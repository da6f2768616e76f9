"""The looking for faults in what comes live: a thread of its own, so that it never holds up what is being
recorded."""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Sequence
from functools import partial

import numpy as np

from tickstone.actions.diagnosing import TICK_S, truth_of
from tickstone.actions.live.finder import LOOK_BACK_S
from tickstone.actions.live.rig import LiveRig
from tickstone.actions.live.rigs import LiveRigs
from tickstone.core.diagnosis.fitted import stream_of
from tickstone.core.diagnosis.record import Record
from tickstone.errors import StoreAway
from tickstone.store import recordings
from tickstone.store.database import Database
from tickstone.supervised import Supervisor

TURNING_LOOK_BACK_S = 40.0  # pulses are few
LEAST_ROWS = 40
LOOK_S = 1.0  # between two looks
REST = 6.0  # times what a look took, so that on a slow machine it takes no more than a seventh of a core


class Lookout:
    """Looks for faults on every rig that is live."""

    def __init__(self, database: Database, rigs: LiveRigs, supervisor: Supervisor) -> None:
        self._database, self._rigs, self._supervisor = database, rigs, supervisor

    def run(self, stop: threading.Event) -> None:
        """Look until ``stop`` is set."""
        rest_s = LOOK_S
        while not stop.wait(rest_s):
            begun = time.thread_time()
            for live in self._rigs.all:
                self._supervisor.turn(f"looking for faults of {live.slug}", partial(self.look, live))
            rest_s = max(LOOK_S, REST * (time.thread_time() - begun))

    def look(self, live: LiveRig) -> None:
        """Look once at what a rig sent lately."""
        if not live.connection.open:
            live.finder.clear()
            return
        marks: list[recordings.StoredMark] = []
        if live.recording is not None:
            with contextlib.suppress(StoreAway), self._database.transaction() as session:
                marks = recordings.marks_of(session, live.recording.id)
        record = heard(live, marks)
        if record is not None:
            live.finder.look(*record)


def heard(live: LiveRig, marks: Sequence[recordings.StoredMark] = ()) -> tuple[Record, float] | None:
    """What a rig sent lately, copied, and its time now, s; None when nothing came. It is held only to
    copy."""
    with live.held():
        now_s = live.view.now_s()
        rig, values, trouble = live.intake.rig, live.intake.values, live.intake.trouble
        copies = {
            key: watched.history.recent(
                now_s - (TURNING_LOOK_BACK_S if watched.kind.family == "turning" else LOOK_BACK_S), LEAST_ROWS
            )
            for key, watched in live.intake.watched.items()
        }
        since = now_s - LOOK_BACK_S
        odd = [(at, text) for at, text in trouble.odd if at >= since]
        restarts = np.array([at for at in trouble.restarts if at >= since])
        lines = trouble.lines_since(since)
        channels = {key: watched.channels for key, watched in live.intake.watched.items()}
        start_us = None if live.recording is None else live.recording.start_us
    streams = tuple(
        stream_of(
            rig, rig.sensor(key), times, dict(zip(channels[key], rows, strict=True)), values[key], TICK_S
        )
        for key, (times, rows) in copies.items()
        if times.size
    )
    if not streams:
        return None
    truths = tuple(truth_of(mark, start_us) for mark in marks) if start_us is not None else ()
    record = Record(
        streams,
        truths,
        np.array([at for at, _ in odd]),
        odd[0][1] if odd else "",
        len(odd),
        lines + len(odd),
        restarts,
    )
    return record, now_s
