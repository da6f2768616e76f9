"""Simulated recordings with one fault each, and healthy ones: how often the finder is right. The whole table
is in docs/diagnosis.md (./tick-stone benchmark faults); here are fewer seeds of it."""

from __future__ import annotations

import pytest

from tests.simulated.faults import FAULTS
from tests.simulated.score import answer, confusion, healthy, simulated

pytestmark = pytest.mark.slow

SEEDS = range(5)


def test_plain_single_faults_are_named_first() -> None:
    table = confusion(SEEDS)
    right = sum(table[kind][kind] for kind in table)
    assert right == len(FAULTS) * len(SEEDS), table  # the whole table of 20 seeds is in docs/diagnosis.md


def test_healthy_recordings_are_left_alone() -> None:
    accused = [
        (name, seed, found.evidence)
        for name, seed, scene in healthy(SEEDS)
        if (found := answer(scene)) is not None
    ]
    assert not accused


@pytest.mark.parametrize("kind", ["dropouts", "stuck", "missed", "flicker"])
def test_the_span_and_the_channel_are_where_the_fault_is(kind: str) -> None:
    for seed in SEEDS:
        scene = simulated(kind, seed)
        found = answer(scene)
        assert found is not None
        assert {found.channel, *found.also} & set(scene.where), (found, scene.where)
