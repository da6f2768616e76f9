"""What held when a constant was made, as it is stored: covariances stand beside the conditions."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from tickstone.core.constants import Covariance

WITH = "covariance_with_"  # before the name of the other constant


def written(condition: Mapping[str, float], covariances: Sequence[Covariance]) -> dict[str, float]:
    """Conditions and covariances in one."""
    return {**condition, **{f"{WITH}{covariance.other}": covariance.value for covariance in covariances}}


def condition_of(stored: Mapping[str, float]) -> dict[str, float]:
    """The conditions alone."""
    return {name: value for name, value in stored.items() if not name.startswith("covariance_")}


def covariances_of(stored: Mapping[str, float]) -> tuple[Covariance, ...]:
    """The covariances alone."""
    return tuple(
        Covariance(name.removeprefix(WITH), value) for name, value in stored.items() if name.startswith(WITH)
    )
