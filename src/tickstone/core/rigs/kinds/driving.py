"""Settings of behaviours that are chosen at Drive: they are kept at the sensor that a behaviour reads."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from tickstone.core.behaviours.behaviour import LEVEL, RANGERS, ROW, Behaviour
from tickstone.core.behaviours.catalogue import BEHAVIOURS
from tickstone.core.constants import ConstantSpec


def _specs(behaviours: Iterable[Behaviour]) -> Iterator[ConstantSpec]:
    for behaviour in behaviours:
        for setting in behaviour.settings:
            if not setting.constant:
                yield ConstantSpec(
                    behaviour.constant_of(setting),
                    f"{setting.label}, {behaviour.id}",
                    setting.unit,
                    None,
                    None,
                    "",
                    setting.low,
                    setting.high,
                    "drive",
                    shown_at=("drive",),
                    counts=False,
                )


def _reading(*wanted: str) -> tuple[ConstantSpec, ...]:
    return tuple(_specs(each for each in BEHAVIOURS.values() if each.reads in wanted))


ROW_DRIVEN = _reading(ROW, LEVEL)
RANGER_DRIVEN = _reading(RANGERS, LEVEL)
LEVEL_DRIVEN = _reading(LEVEL)
