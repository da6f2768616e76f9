"""The truth table of a row of line sensors: what every state means in words, and what the vehicle does
then."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import numpy.typing as npt

from tickstone.core import line_row
from tickstone.core.constants import Values
from tickstone.core.decisions.decision import (
    Choice,
    Decided,
    Decision,
    Evidence,
    Flag,
    Question,
    RowState,
    States,
    standing,
)
from tickstone.core.decisions.line import names_of, thresholds_of
from tickstone.core.line_row import BROKEN, patterns
from tickstone.core.wording import fixed, often

Bools = npt.NDArray[np.bool_]

ACTIONS = (
    "straight on",
    "left a little",
    "left",
    "left hard",
    "right a little",
    "right",
    "right hard",
    "as before",
    "search on the last side",
    "stop",
)
STRAIGHT, AS_BEFORE, SEARCH, STOP = 0, 7, 8, 9
SIDE = (0, -1, -1, -1, 1, 1, 1, 0, 0, 0)  # of each action: left is minus
LITTLE, PLAIN, HARD = 0.2, 0.5, 0.85  # share of the half row at which steering grows


def middle_of(pattern: str) -> float:
    """Where the line lies in a state, −1 (leftmost sensor) to 1 (rightmost); 0 where there is none.

    >>> middle_of("100"), middle_of("0011"), middle_of("000"), middle_of("1")
    (-1.0, 0.6666666666666666, 0.0, 0.0)
    """
    at = [i for i, item in enumerate(pattern) if item == "1"]
    half = (len(pattern) - 1) / 2
    return (sum(at) / len(at) - half) / half if at and half else 0.0


def words_of(pattern: str, astride: bool = False) -> str:
    """What a state means, in words; a row ``astride`` its line sees none while all is well."""
    count = len(pattern)
    if pattern == BROKEN:
        return "broken: dark, pale, dark. A fork, or a sensor or its threshold"
    if "1" not in pattern:
        return "all pale: the line is between the sensors" if astride else "all pale: the line is lost"
    if "0" not in pattern:
        return "over the line" if count == 1 else "all dark: a crossing or a stop mark"
    names = [name for name, place in zip(line_row.places(count), pattern, strict=True) if place == "1"]
    middle = middle_of(pattern)
    side = "in the middle" if abs(middle) < 1e-9 else f"to the {'left' if middle < 0 else 'right'}"
    over = names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"
    return f"{over} over: the line is {side}"


def usual_action(pattern: str, astride: bool = False) -> int:
    """What most would do in a state, as a place in ACTIONS: towards the line, harder the farther off it is. A
    row ``astride`` its line goes straight on while nobody sees it."""
    if pattern == BROKEN:
        return AS_BEFORE
    if "1" not in pattern:
        return STRAIGHT if astride else SEARCH
    middle = middle_of(pattern)
    strength = sum(abs(middle) >= limit - 1e-9 for limit in (LITTLE, PLAIN, HARD))
    return STRAIGHT if strength == 0 else strength + (0 if middle < 0 else 3)


def check_lamps(dark: Sequence[bool]) -> tuple[bool, bool, bool]:
    """Three check lamps of a row: anything dark left of the middle, in the middle, right of it.

    >>> check_lamps([True, False, False, True, False])
    (True, False, True)
    """
    count = len(dark)
    middle = {(count - 1) // 2, count // 2} if count > 2 else set()
    sides = (
        range((count - 1) // 2 if count > 2 else count // 2),
        middle,
        range(count // 2 + (count % 2 or count > 2), count),
    )
    return (any(dark[i] for i in sides[0]), any(dark[i] for i in sides[1]), any(dark[i] for i in sides[2]))


def reachable(pattern: str, pitch_mm: float, tape_mm: float) -> bool:
    """Whether one straight tape of that width can give a state: a run in the row is as long as the tape is
    wide, give or take one sensor; at an end it may be shorter."""
    if pattern == BROKEN:
        return False
    run = pattern.count("1")
    if run == 0:
        return True
    most = int(tape_mm / pitch_mm + 1e-9) + 1
    least = int(tape_mm / pitch_mm + 1e-9)
    at_end = pattern[0] == "1" or pattern[-1] == "1"
    return run <= most and (at_end or run >= max(least, 1))


def dark_of(evidence: Evidence, values: Values) -> Bools | None:
    """Which sensors were over the line at each row of a recording, shape (sensors, n), by the chosen
    thresholds, or half way between white and black where none is chosen; None without readings of every
    sensor."""
    names, chosen = names_of(values), thresholds_of(values)
    rows = []
    for name in names:
        if name not in evidence.channels:
            return None
        half_way = sum(values.get(f"{what}_{name}", values[what]).value for what in ("white", "black")) / 2
        high = evidence.channels[name] > (chosen[name][0] if name in chosen else half_way)
        rows.append(high if line_row.black_is_high(values, name) else ~high)
    present = np.isfinite(np.stack([evidence.channels[name] for name in names])).all(axis=0)
    return np.stack(rows)[:, present]


def seen_states(dark: Bools) -> dict[str, int]:
    """How many rows stood in each state."""
    count = dark.shape[0]
    codes, numbers = np.unique((1 << np.arange(count)) @ dark.astype(np.int64), return_counts=True)
    names = set(patterns(count))
    results: dict[str, int] = {}
    for code, number in zip(codes.tolist(), numbers.tolist(), strict=True):
        pattern = "".join("1" if code >> i & 1 else "0" for i in range(count))
        results[pattern if pattern in names else BROKEN] = (
            results.get(pattern if pattern in names else BROKEN, 0) + number
        )
    return results


class Steering(Decision):
    """What to do in every state of the row."""

    id = "steering"
    title = "States and actions"
    begin = "say what the vehicle does in every state of the row."
    inputs = ("tape", "pitch")
    rests_on = ("aside", *(f"threshold_s{n}" for n in range(1, 9)))

    def sets(self, values: Values) -> tuple[str, ...]:
        return tuple(f"act_{pattern}" for pattern in patterns(len(names_of(values))))

    def work(self, question: Question, values: Values) -> Decided:
        count = len(names_of(values))
        names = patterns(count)
        pitch, tape = values["pitch"].value, values["tape"].value
        astride = line_row.astride(count, pitch, tape, values["aside"].value)
        dark = dark_of(question.evidence[0], values) if question.evidence else None
        known = {} if dark is None else seen_states(dark)
        choices = {
            item: Choice(
                f"act_{item}",
                standing(f"act_{item}", question, values, float(usual_action(item, astride))),
                float(usual_action(item, astride)),
                "towards the line",
                options=ACTIONS,
            )
            for item in names
        }
        actions = {item: int(choice.value) for item, choice in choices.items()}
        states = tuple(
            RowState(
                item,
                words_of(item, astride),
                f"act_{item}",
                flags_of(item, actions, known.get(item, 0), pitch, tape, astride),
                known.get(item, 0),
                check_lamps(
                    [c == "1" for c in item] if item != BROKEN else [i % 2 == 0 for i in range(count)]
                ),
                reachable(item, pitch, tape),
            )
            for item in names
        )
        choices = {
            state.pattern: replace(
                choices[state.pattern], warning=next((flag.text for flag in state.flags if flag.wrong), "")
            )
            for state in states
        }
        wrong = [state for state in states if any(flag.wrong for flag in state.flags)]
        odd = [state for state in states if not state.reachable and state.seen]
        heading = (
            f"{len(wrong)} state{'s' if len(wrong) > 1 else ''} would steer away from the line"
            if wrong
            else f"{len(states)} states, each with what to do"
            if not odd
            else f"The row was in {len(odd)} state{'s' if len(odd) > 1 else ''} that one tape cannot give"
        )
        return Decided(
            heading,
            "go through the actions, then choose them." if not wrong else "mend what is flagged.",
            tuple(choices.values()),
            good=not wrong,
            notes=_notes(values, question, pitch, tape, astride),
            drawing=States(states),
            used=tuple(evidence.id for evidence in question.evidence),
        )


def flags_of(
    pattern: str, actions: dict[str, int], seen: int, pitch: float, tape: float, astride: bool = False
) -> tuple[Flag, ...]:
    """What is wrong or odd about a state and its action."""
    odd, wrong = [], []
    action = actions[pattern]
    if not reachable(pattern, pitch, tape):
        why = "a crossing gives it" if set(pattern) == {"1"} else "a fork gives it, or a sensor that fails"
        odd.append(f"unreachable with one tape of {tape:g} mm: {why}")
        if seen and set(pattern) != {"1"}:
            odd.append(f"seen {often(seen)} all the same: look at that sensor and its threshold")
    if pattern != BROKEN and "1" in pattern:
        middle = middle_of(pattern)
        if SIDE[action] * middle < 0:
            wrong.append("contradicts: it steers away from the line")
        mirror = pattern[::-1]
        if mirror != pattern and mirror in actions and SIDE[action] != -SIDE[actions[mirror]]:
            wrong.append(f"contradicts its mirror {mirror}: {ACTIONS[actions[mirror]]} there")
        if mirror == pattern and SIDE[action] and "0" in pattern:
            wrong.append("contradicts: the line is in the middle")
    if "1" not in pattern and action == STRAIGHT and not astride:
        wrong.append("contradicts: the line is lost, and straight on leads off")
    return (*(Flag(text, False) for text in odd), *(Flag(text, True) for text in wrong))


def _notes(values: Values, question: Question, pitch: float, tape: float, astride: bool) -> tuple[str, ...]:
    sentences = ["Line lost: remember the last side, search for a stated time, then stop."]
    if astride:
        sentences = [
            f"The row stands astride the tape of {tape:g} mm: nobody sees it while the vehicle is on its "
            "way, and the sensor that does says to which side to steer. A line that is lost looks the "
            "same: stop when no sensor has seen it for a stated time."
        ]
    elif tape < pitch:
        sentences.append(
            f"The tape ({tape:g} mm) is narrower than the pitch ({pitch:g} mm): between two sensors nobody "
            "sees it, and “all pale” does not mean that it is lost."
        )
    interval = question.evidence[0].interval_s if question.evidence else None
    if interval:
        sentences.append(
            f"Looked at every {fixed(1000 * interval)} ms, a cart may go {fixed(tape / 2000 / interval, 2)} "
            "m/s before it crosses half the tape between two looks."
        )
    if not thresholds_of(values):
        sentences.append("No threshold is chosen yet: states are told half way between white and black.")
    return tuple(sentences)


DECISIONS = (Steering(),)
