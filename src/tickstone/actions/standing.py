"""Where a rig stands, gathered from the store and from what is live for the core to judge."""

from __future__ import annotations

from sqlalchemy.orm import Session

from tickstone.actions import building, stones
from tickstone.actions.constants import settled
from tickstone.actions.live.rig import LiveRig
from tickstone.core import standing
from tickstone.core.calibration.surroundings import as_it_is_now
from tickstone.core.rigs.kinds import kind
from tickstone.core.wiring import checks
from tickstone.store import calibrations, recordings, rigs


def standing_of(session: Session, slug: str, sensor: str, live: LiveRig) -> list[standing.StationStanding]:
    """The standing of every station, for the selected sensor of a rig."""
    stored = rigs.rig_named(session, slug)
    what = kind(stored.rig.sensor(sensor).kind)
    sensor_id = rigs.sensor_ids(session, stored.id)[sensor]
    number, changed = stones.changed_since_last(session, stored)
    state = live.view.state()
    # what was recorded live has had its first power
    powered = recordings.count_of(session, stored.id, live=True) > 0
    return standing.standing(
        standing.Facts(
            sensor=sensor,
            values=as_it_is_now(settled(session, stored, sensor), live.intake.air_c, live.intake.supply_v),
            counted=frozenset(spec.name for spec in what.constants if spec.counts),
            findings=checks.check(stored.rig).findings,
            connected=state.status in ("live", "silent"),
            recording=state.recording is not None,
            recordings=recordings.count_of(session, stored.id),
            stones=number,
            changed_since_stone=changed,
            procedures=what.procedures,
            decisions=what.decisions,
            drafts=tuple(
                (calibration.procedure, len(calibration.steps))
                for calibration in calibrations.drafts_of(session, sensor_id)
            ),
            done=frozenset(calibrations.accepted_of(session, sensor_id)),
            unticked=0
            if powered
            else sum(step.tick is None for step in building.checklist_of(session, slug)),
        )
    )
