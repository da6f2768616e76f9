"""What a vehicle needs to stop, by its constants: shared by the guard and by whatever makes it later or
calmer."""

from __future__ import annotations

from tickstone.core.constants import Values
from tickstone.core.deciding import StopDistance, stop_distance

SIGMAS = 3.0


def needed_stop(
    values: Values, sigma_mm: float, lag_s: float, speed_m_s: float | None = None
) -> StopDistance:
    """The stop at a speed, m/s (None: the rig's own), with noise ``sigma_mm`` (k = 1) and a filter ``lag_s``
    late; all M readings that votes are counted among are allowed for."""
    return stop_distance(
        speed_m_s=values["drive_speed"].value if speed_m_s is None else speed_m_s,
        sample_s=values["ping_interval"].value,
        votes=round(values["votes_of"].value),
        filter_lag_s=lag_s,
        reaction_s=values["reaction"].value,
        deceleration_m_s2=values["braking"].value,
        gap_mm=values["gap"].value,
        sigma_mm=sigma_mm,
        sigmas=SIGMAS,
        hysteresis_mm=values["hysteresis"].value,
        blind_mm=values["set_back"].value,
    )
