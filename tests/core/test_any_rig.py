"""Whatever is fitted to whatever board: everything that Wire says of it is said, and nothing breaks."""

from __future__ import annotations

import contextlib
import math
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tickstone.core.rigs.boards import BOARDS
from tickstone.core.rigs.catalogue import fit, known
from tickstone.core.rigs.kinds import KINDS
from tickstone.core.rigs.outputs import OUTPUTS
from tickstone.core.rigs.part import OptionSpec
from tickstone.core.rigs.rig import FittedPart, Geometry, Mount, Rig, Supply
from tickstone.core.rigs.templates import rig_of
from tickstone.core.wiring import checks
from tickstone.core.wiring.assign import assignment
from tickstone.core.wiring.checklist import checklist
from tickstone.core.wiring.schedule import parts_list, schedule
from tickstone.errors import BadInput
from tickstone.firmware.writing import program
from tickstone.formats.rig_json import rig_from_json, rig_to_json


def answer(spec: OptionSpec) -> st.SearchStrategy[str | float]:
    if spec.choices:
        return st.sampled_from([one.value for one in spec.choices])
    if spec.whole:
        return st.integers(int(spec.low), int(spec.high)).map(float)
    return st.floats(spec.low, spec.high)


@st.composite
def parts(draw: st.DrawFn) -> tuple[FittedPart, ...]:
    kinds = [
        draw(st.sampled_from(list(KINDS))),
        *draw(st.lists(st.sampled_from([*KINDS, *OUTPUTS]), max_size=4)),
    ]
    found = []
    for i, kind in enumerate(kinds):
        bare = fit(kind, f"part-{i}", f"part {i}", {})
        options = {spec.name: draw(answer(spec)) for spec in known(bare).options if draw(st.booleans())}
        height = draw(st.none() | st.floats(0, 3000))
        mount = draw(
            st.none()
            | st.builds(
                Mount, st.floats(-900, 900), st.floats(-900, 900), st.just(height), st.floats(-360, 360)
            )
        )
        found.append(replace(fit(kind, f"part-{i}", f"part {i}", options), mount=mount))
    return tuple(found)


SUPPLIES = (Supply("pack", 7.4, 8.4, 3000.0), Supply("rail", 5.0, 5.2, 2000.0, grounded=False))


@pytest.mark.slow
@settings(max_examples=20)
@given(parts(), st.sampled_from(list(BOARDS)), st.sampled_from([(), SUPPLIES]), st.floats(1, 60))
def test_any_rig_is_checked_listed_and_written(
    found: tuple[FittedPart, ...], board: str, supplies: tuple[Supply, ...], line_mm: float
) -> None:
    made = rig_of("Any", "", board, found, supplies, Geometry(line_mm=line_mm))
    said(made)
    loose = replace(
        made, wires=tuple(replace(w, to="", pull_up=None, divider=None, series=None) for w in made.wires)
    )
    said(loose)
    again = assignment(loose)
    assert bool(again.shortages) is bool(again.reason)
    assert rig_from_json(rig_to_json(made)) == made
    for language in made.board.programs:
        text = ""
        with contextlib.suppress(BadInput):
            text = program(made, language)
        assert text or any(not w.to for w in made.wires)  # only a signal without a pin has no program
        if language == "python":
            compile(text, "watch.py", "exec")
        assert text.count("{") == text.count("}")


def said(made: Rig) -> None:
    """Every finding is a sentence with numbers that are numbers; every fix leads to a rig that can be judged
    again."""
    for finding in checks.check(made).findings:
        assert finding.sentence.rstrip().endswith(".")
        assert finding.short
        assert all(math.isfinite(n) for n in finding.numbers.values())
        if finding.sensor:
            made.part(finding.sensor)
        if finding.fix:
            assert finding.fix.rig != made
            assert finding.fix.label
            checks.check(finding.fix.rig)
    assert len(schedule(made)) >= len(made.wires)
    assert parts_list(made)
    assert checklist(made)
