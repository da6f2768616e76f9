"""Numbers and words as cells of a table of text."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import polars as pl

from tickstone.formats.readings import Array

DIGITS = 9
FORMULA = ("=", "+", "-", "@", "\t", "\r")  # what a spreadsheet begins a formula with
_NUMBER = r"^[+-]?[0-9.,]+(?:[eE][+-]?[0-9]+)?$"


def nine_digits(values: Array) -> pl.Series:
    """Numbers with nine significant digits; nothing where there is none (NaN)."""
    size = np.abs(np.where(np.isfinite(values) & (values != 0), values, 1.0))
    digits = DIGITS - 1 - np.floor(np.log10(size))
    scale = 10.0 ** np.abs(digits)
    few = np.where(digits >= 0, np.rint(values * scale) / scale, np.rint(values / scale) * scale)
    return plain(np.where(np.abs(digits) < 290, few, values))


def plain(values: Array) -> pl.Series:
    """Numbers as they are, whole ones without a decimal point; nothing where there is none (NaN)."""
    written = pl.Series(values, dtype=pl.Float64, nan_to_null=True).cast(pl.String).str.strip_suffix(".0")
    return written.fill_null("")


def guarded(frame: pl.DataFrame, words: Sequence[str]) -> pl.DataFrame:
    """A table in whose columns of words no cell begins a formula: an apostrophe stands before those that
    would."""
    if not words:
        return frame
    begins = "^[" + "".join(f"\\x{ord(item):02x}" for item in FORMULA) + "]"
    return frame.with_columns(
        pl.when(pl.col(name).str.contains(begins) & ~pl.col(name).str.contains(_NUMBER))
        .then(pl.lit("'") + pl.col(name))
        .otherwise(pl.col(name))
        .alias(name)
        for name in words
    )


def guarded_name(name: str) -> str:
    """A column's name that begins no formula."""
    return f"'{name}" if name.startswith(FORMULA) else name
