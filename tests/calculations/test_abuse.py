"""Every field of every calculation, given what JSON can hold: an answer, or an error that names a field."""

from __future__ import annotations

import json
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from scipy.signal import medfilt

from tests.calculations.contract import CONTRACT
from tickstone import cli
from tickstone.calculations import run
from tickstone.calculations.registry import compute, find
from tickstone.errors import BadInput

HUGE = 10**400
DEEP: Any = []
for _ in range(200):
    DEEP = [DEEP]
NUMBERS = [HUGE, -HUGE, 10**16, 2**63, 0, -1, 1, 2.5, 1e308, -1e308, 1e200, 1e-200, 5e-324]
LISTS: list[Any] = [[], [HUGE], [1e308, -1e308, 1e308], [0.0] * 5, [5e-324, 5e-324], [None], ["x"], [[]]]
ODD = [*NUMBERS, *LISTS, True, None, "", "x", "1", {}, [[1, 2]], [[HUGE, 1]], {"a": 1}, DEEP]


def names(calculation: str) -> list[str]:
    return list(find(calculation).inputs.model_fields)


@pytest.mark.parametrize("calculation", CONTRACT)
def test_whatever_a_field_is_given_it_answers_or_names_it(calculation: str) -> None:
    least = CONTRACT[calculation][0]
    wrong = []
    for field in names(calculation):
        for odd in ODD:
            shown = f"{field}={str(odd)[:40]}"
            try:
                json.dumps(run(calculation, {**least, field: odd}), allow_nan=False)
            except BadInput as error:
                if error.path.split(".")[0] not in names(calculation):
                    wrong.append(f"{shown}: names {error.path!r}: {error.message}")
            except Exception as error:
                wrong.append(f"{shown}: {type(error).__name__}: {error}"[:200])
    assert not wrong, "\n".join(wrong[:20])


def test_the_batch_goes_on_after_lines_that_nothing_can_be_made_of(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    good = json.dumps({"calc": "echo-distance", "inputs": {"echo_us": 1457}})
    lines = [
        good,
        '{"calc": "echo-distance", "inputs": {"echo_us": ' + "[" * 5000 + "]" * 5000 + "}}",
        '{"calc": "tyre-ticks", "inputs": {"ticks": ' + "9" * 400 + "}}",
        '{"calc": "echo-distance", "inputs": {"echo_us": ' + "9" * 5000 + "}}",
        "[" * 100_000,
        '"\\ud800"',
        good,
    ]
    monkeypatch.setattr("sys.stdin", [f"{line}\n" for line in lines])
    assert cli.main(["calc", "--batch"]) == 0
    answers = [json.loads(line) for line in capsys.readouterr().out.splitlines()]
    assert len(answers) == len(lines)
    assert ["result" in answer for answer in answers] == [True] + [False] * 5 + [True]
    assert all(answer["error"]["message"] for answer in answers[1:-1])


BLAMED: list[tuple[str, dict[str, Any], str, str]] = [
    ("allan", {"averaging": [1] * 2000}, "averaging", "at most 1\u2009000 entries"),
    ("video-rpm", {"frames": 1}, "frames", "at least 2"),
    ("pull-up", {"capacitance_pf": -1}, "capacitance_pf", "above zero"),
    ("divider-design", {"source_max_ohm": -1}, "source_max_ohm", "above zero"),
    ("filter-run", {"kind": "average", "length": 2, "alpha": 0.5}, "alpha", "not for this filter"),
    ("filter-tradeoff", {"kind": "smooth", "alpha": 0.5, "length": 2}, "length", "not for this filter"),
    (
        "second-opinion",
        {
            "readings": [
                {"label": "a", "value": 1e200, "uncertainty": 1e-200},
                {"label": "b", "value": 2, "uncertainty": 1e-300},
            ]
        },
        "readings",
        "too large",
    ),
    ("echo-distance", {"echo_us": HUGE}, "echo_us", ""),
]


@pytest.mark.parametrize(("calculation", "given", "field", "words"), BLAMED)
def test_the_field_that_is_wrong_is_blamed(
    calculation: str, given: dict[str, Any], field: str, words: str
) -> None:
    least = {} if "kind" in given else CONTRACT[calculation][0]
    more = {"values": [1, 2], "rate_hz": 50} if "kind" in given else {}
    known = {name: value for name, value in more.items() if name in names(calculation)}
    with pytest.raises(BadInput) as caught:
        run(calculation, {**least, **known, **given})
    assert caught.value.path.split(".")[0] == field
    assert words in caught.value.message


def test_a_long_median_of_many_values_is_that_of_the_reference() -> None:
    """Against scipy's order filter, where the window lies whole within the values (scipy.signal.medfilt)."""
    values = np.random.default_rng(4).normal(size=3001)
    for length in (3, 501, 2999):
        ours = np.array(
            run("filter-run", {"kind": "median", "values": values.tolist(), "length": length})["values"]
        )
        half = length // 2
        whole = medfilt(values, length)[half : values.size - half]
        np.testing.assert_array_equal(ours[length - 1 :], whole)
    assert (
        len(run("filter-run", {"kind": "median", "values": [1.0] * 100_000, "length": 50_000})["values"])
        == 100_000
    )


def test_a_mistake_of_ours_is_not_blamed_on_what_was_typed() -> None:
    def broken(_: Any) -> Any:
        raise ValueError("a mistake")

    entry = replace(find("echo-distance"), function=broken)
    with pytest.raises(ValueError, match="a mistake"):
        compute(entry, entry.inputs(echo_us=1457))
    with pytest.raises(BadInput, match="too large or too small"):
        compute(entry, entry.inputs(echo_us=1e200))
