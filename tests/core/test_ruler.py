"""The ruler procedure: stillness seen in the data, slips and bad places found, words that fit the numbers."""

from __future__ import annotations

import numpy as np
import pytest

from tickstone.core import ruler
from tickstone.core.noise import step_noise, stillness


def window(mm: float, jitter: float = 4.0, n: int = 41, speed: float = 346.0, seed: int = 1):
    random = np.random.default_rng(seed)
    echoes = 2000 * (mm + 3) / speed + random.normal(0, jitter, n)
    return np.arange(n) * 0.05, echoes, speed * echoes / 2000


def judge(mm: float, true: float, held=(), **changes):
    times, echoes, said = window(mm, **changes)
    return ruler.judge_hold(times, echoes, true_mm=true, said_mm=said, held=held, jitter_us=6.0)


def test_a_still_target_is_taken() -> None:
    held = judge(400, 400)
    assert held.ready
    assert held.echo_us == pytest.approx(2000 * 403 / 346, abs=2)


def test_a_moving_hand_is_not_taken() -> None:
    times, echoes, said = window(400)
    moving = echoes + np.linspace(0, 300, echoes.size)
    found = ruler.judge_hold(times, moving, true_mm=400, said_mm=said, held=(), jitter_us=6.0)
    assert not found.ready
    assert found.why_not.startswith("Hold still")


def test_a_jittery_target_says_how_far_off_it_is() -> None:
    found = judge(400, 400, jitter=40.0)
    assert not found.ready
    assert "wanted under 12" in found.why_not


def test_a_target_not_yet_moved_or_a_slip_of_the_keys_is_asked_about() -> None:
    held = (ruler.Place(400, 2000 * 403 / 346, 4, 40),)
    assert "has the target moved" in judge(400, 600, held=held).why_not
    assert "not 150" in judge(186, 150).why_not
    assert "not 4000" in judge(400, 4000).why_not


def test_dropouts_never_count_and_alone_are_no_place() -> None:
    times, echoes, said = window(400)
    gaps = echoes.copy()
    gaps[::5] = np.nan
    assert ruler.judge_hold(times, gaps, true_mm=400, said_mm=said, held=(), jitter_us=6).ready
    nothing = np.full_like(echoes, np.nan)
    assert not ruler.judge_hold(times, nothing, true_mm=400, said_mm=nothing, held=(), jitter_us=6).ready


def places(errors=(0.4, -0.3, 0.2, -0.5, 0.3)):
    return [
        ruler.Place(mm, 2000 * (mm + e + 3) / 346, 4.0, 40, air_c=23.5)
        for mm, e in zip(ruler.PLACES_MM, errors, strict=True)
    ]


def test_a_good_set_is_accepted_with_words_that_fit() -> None:
    found = ruler.outcome(places(), 5, 50.0)
    assert found.can_accept
    assert found.verdict.startswith("Good")
    assert found.heading.startswith("Every place held; sound is 34")
    assert found.repeat == ()
    assert found.jitter_us == pytest.approx(4.0)
    assert found.jitter_sd_us == pytest.approx(4.0 / np.sqrt(2 * 5 * 39))
    assert found.agreement.endswith("they agree.")


@pytest.mark.parametrize("bad", range(5))
def test_one_bad_place_is_named_and_the_good_ones_are_not(bad: int) -> None:
    errors = [0.4, -0.3, 0.2, -0.5, 0.3]
    errors[bad] += 30.0
    found = ruler.outcome(places(errors), 5, 50.0)
    assert found.repeat == (ruler.PLACES_MM[bad],)
    assert found.verdict.startswith(f"Repeat {ruler.PLACES_MM[bad]:g} mm")


def test_too_few_places_cannot_be_accepted() -> None:
    for n in range(3):
        assert not ruler.outcome(places()[:n], 5, 50.0).can_accept


def test_noise_is_blind_to_steady_motion_and_to_single_spikes() -> None:
    random = np.random.default_rng(2)
    still = random.normal(0, 1.4, 4000)
    assert step_noise(still) == pytest.approx(1.4, rel=0.06)
    moving = still + np.concatenate([np.linspace(900, 300, 2000), np.linspace(300, 900, 2000)])
    assert step_noise(moving) == pytest.approx(1.4, rel=0.06)
    moving[::100] += 500
    assert step_noise(moving) == pytest.approx(1.4, rel=0.12)
    assert step_noise([1, 2, np.nan]) is None
    assert step_noise(np.ones(20)) == 0


def test_one_spike_does_not_unsettle_a_still_window() -> None:
    values = np.random.default_rng(3).normal(100, 1, 40)
    values[7] = 900
    assert stillness(values, 3.0, 20).still
    assert not stillness(values[:5], 3.0, 20).still
    assert not stillness([], 3.0, 1).still
