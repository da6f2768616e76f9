"""Room on the disk that the data lies on."""

from __future__ import annotations

import shutil
from dataclasses import dataclass
from pathlib import Path

ENOUGH, LOW, VERY_LOW, FULL = "enough", "low", "very-low", "full"
# from how many free bytes down: low lasts for an evening or more, with very low one should stop and make room
BOUNDS = ((20_000_000, FULL), (500_000_000, VERY_LOW), (2_000_000_000, LOW))


@dataclass(frozen=True)
class Space:
    """How many bytes are free, and whether that is enough, low, very-low or full."""

    free: int
    state: str

    @property
    def full(self) -> bool:
        """Whether nothing more can be kept."""
        return self.state == FULL


def state_of(free: int) -> str:
    """What so many free bytes are.

    >>> [state_of(free) for free in (5_000_000_000, 1_900_000_000, 400_000_000, 1_000_000)]
    ['enough', 'low', 'very-low', 'full']
    """
    return next((state for bound, state in BOUNDS if free < bound), ENOUGH)


def space_of(folder: Path) -> Space:
    """The room on the disk of a folder, which need not be there yet."""
    there = next(path for path in (folder, *folder.parents) if path.exists())
    free = shutil.disk_usage(there).free
    return Space(free, state_of(free))
