"""Simulated recordings with one fault each, and healthy ones: how often the finder is right. The whole table
is in docs/diagnosis.md (./tick-stone benchmark faults); here are fewer seeds of it."""

from __future__ import annotations

import pytest

from tests.simulated.faults import FAULTS
from tests.simulated.score import MODERATE, answer, confusion, healthy, looking_alike, simulated, surest

pytestmark = pytest.mark.slow

SEEDS = range(5)


def test_plain_single_faults_are_named_first() -> None:
    table = confusion(SEEDS)
    right = sum(table[kind][kind] for kind in table)
    assert right == len(FAULTS) * len(SEEDS), table  # the whole table of 20 seeds is in docs/diagnosis.md


def test_moderate_faults_are_named_first_nearly_always() -> None:
    table = confusion(SEEDS, MODERATE)
    assert sum(table[kind][kind] for kind in table) >= 0.93 * len(FAULTS) * len(SEEDS), table


def test_of_findings_that_accuse_four_in_five_are_true_even_where_much_looks_alike() -> None:
    found = [(surest(scene), "") for _, _, scene in looking_alike(SEEDS)]
    found += [(surest(simulated(kind, seed, MODERATE)), kind) for kind in FAULTS for seed in SEEDS]
    judged = [finding.kind == kind for finding, kind in found if finding is not None and finding.accuses]
    assert len(judged) > len(FAULTS) * len(SEEDS) * 0.9
    assert sum(judged) >= 0.8 * len(judged)


ALIKE = "slots cut by hand", "wheel pushed by hand", "wide magnet", "tiled floor"


def test_what_only_looks_like_a_fault_is_left_alone() -> None:
    accused = [
        (name, seed, found.evidence)
        for name, seed, scene in looking_alike(SEEDS)
        if name in ALIKE and (found := answer(scene)) is not None
    ]
    assert not accused


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
