"""The shapes in which programs print readings: label:value pairs, rows of cells, JSON objects, sentences.

A line is taken apart whole or not at all: a garbled one never shifts a value into another's place.
"""

from __future__ import annotations

import json
import math
import re
from dataclasses import dataclass
from typing import Any, NamedTuple

NUMBER = r"[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d{1,3})?"
UNITS = (
    "mm|cm|m|inches|inch|in|ft|us|µs|μs|ms|sec|s|degC|degF|°C|°F|C|F|K|mV|V|%|rpm|RPM|mg|g|deg|°/s|dps|°|Hz|counts|km/h|m/s|"
    "mph|steps|dB|lux"
)
_PAIR = re.compile(rf"([A-Za-z_][A-Za-z0-9_./\[\]-]*)[:=]({NUMBER}|nan|NaN|inf)({UNITS})?\Z")
_STATE = re.compile(r"[A-Za-z_][A-Za-z0-9_./\[\]-]*[:=][A-Za-z][A-Za-z_-]{0,30}\Z")  # a word, and no number
# our own format: most lines are just this
_OWN = re.compile(rf"(?:[A-Za-z_]\w*:{NUMBER}(?: |\Z))+\Z", re.ASCII)
_CELL = re.compile(rf"({NUMBER})\Z")
_MISSING = ("", "nan", "NaN", "NAN", "null", "None", "-", "ovf", "inf", "-inf")
_SAID = re.compile(
    r"\s*[,;|]?\s*([A-Za-z_][A-Za-z0-9_ ./()%°µ\[\]#-]{0,40}?)\s*(?:[:=]\s*|\bis\s+|\s)"
    rf"({NUMBER})\s?({UNITS})?(?=[\s,;|]|\.?\s*\Z)"
)
_REST = re.compile(r"[\s,;|.!]*\Z")
_HEADING = re.compile(r"[A-Za-z_][A-Za-z0-9_ ./()%°µ\[\]#-]{0,40}\Z")
_WORDS = re.compile(r"[\w\s.,'()/!*=#+-]*\Z")


class LabelledNumber(NamedTuple):
    """A number with its label and perhaps its unit; None where the program says that it has none."""

    label: str
    number: float | None
    unit: str = ""


@dataclass(frozen=True)
class Pieces:
    """A line taken apart. ``bare`` numbers are labelled by their place, "1" on."""

    pieces: tuple[LabelledNumber, ...]
    bare: bool = False


@dataclass(frozen=True)
class Heading:
    """A line that names the columns of those that follow."""

    names: tuple[str, ...]


@dataclass(frozen=True)
class Unread:
    """A line of no known shape, and why; ``words`` are plain text, such as a board's greeting."""

    why: str
    words: bool = False


def take_apart(line: str) -> Pieces | Heading | Unread:
    """The pieces of a line, whatever its shape.

    >>> take_apart("Distance: 23.4 cm").pieces
    (LabelledNumber(label='Distance', number=23.4, unit='cm'),)
    >>> take_apart("12, 940, 31.5").bare
    True
    """
    text = line.strip()
    if _OWN.match(text):
        halves = [pair.partition(":") for pair in text.split(" ")]
        return Pieces(tuple([LabelledNumber(label, float(number)) for label, _, number in halves]))
    if text.startswith("{"):
        return _object(text)
    pairs = _pairs(text)
    if pairs is not None:
        return pairs
    cells = _cells(text)
    if cells is not None:
        return cells
    return _sentence(text)


def _pairs(text: str) -> Pieces | None:
    tokens = (text.replace(",", " ").replace(";", " ") if "," in text or ";" in text else text).split()
    results = []
    for token in tokens:
        match = _PAIR.match(token)
        if match is None and _STATE.match(token):
            continue
        if match is None:
            return None
        number = float(match[2])
        results.append(LabelledNumber(match[1], number if math.isfinite(number) else None, match[3] or ""))
    return Pieces(tuple(results)) if results else None


def _separator(text: str) -> str | None:
    for item in ("\t", ";", ","):
        if item in text:
            return item
    return None


def _cells(text: str) -> Pieces | Heading | None:
    separator = _separator(text)
    cells = [cell.strip().strip('"') for cell in text.split(separator)]
    if separator and cells and cells[-1] == "":
        cells.pop()  # a program that prints a separator after each number
    results: list[LabelledNumber] = []
    for place, cell in enumerate(cells, 1):
        match = _CELL.match(cell)
        if match is None and cell not in _MISSING:
            break
        results.append(LabelledNumber(str(place), float(match[1]) if match else None))
    else:
        if any(piece.number is not None for piece in results):
            return Pieces(tuple(results), bare=True)
    if separator and len(cells) > 1 and all(_HEADING.match(cell) for cell in cells):
        return Heading(tuple(cells))
    return None


def _object(text: str) -> Pieces | Unread:
    try:
        document = json.loads(text)
    except (ValueError, RecursionError):
        return Unread("not a whole JSON object")
    results: list[LabelledNumber] = []
    if isinstance(document, dict):
        _flatten("", document, results)
    return Pieces(tuple(results)) if results else Unread("a JSON object without a number")


def _flatten(name: str, value: Any, results: list[LabelledNumber]) -> None:
    if isinstance(value, dict):
        for key, inner in value.items():
            _flatten(f"{name}.{key}" if name else str(key), inner, results)
    elif isinstance(value, list):
        for place, inner in enumerate(value, 1):
            _flatten(f"{name}{place}", inner, results)
    elif value is None:
        results.append(LabelledNumber(name, None))
    elif isinstance(value, bool | int | float):
        results.append(LabelledNumber(name, float(value)))


def _sentence(text: str) -> Pieces | Unread:
    results: list[LabelledNumber] = []
    index = 0
    while match := _SAID.match(text, index):
        label = re.sub(r"\s+", " ", match[1]).strip().removesuffix(" is")
        results.append(LabelledNumber(label, float(match[2]), match[3] or ""))
        index = match.end()
    if results and _REST.match(text, index):
        return Pieces(tuple(results))
    letters = sum(item.isalpha() or item.isspace() for item in text)
    if not results and _WORDS.match(text) and letters >= 0.6 * len(text):
        return Unread("words, no reading", words=True)
    rest = text[index:].strip()[:40]
    return Unread(f"not understood from {rest!r} on" if results else f"not a reading: {rest!r}")
