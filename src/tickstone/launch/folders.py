"""Where this project's own files are, and where its data is."""

from __future__ import annotations

import os
from pathlib import Path

from tickstone.errors import SetUp
from tickstone.launch.machine import is_root, reachable_by_server

ROOT = Path(__file__).resolve().parents[3]
WEB = ROOT / "web"


def data_folder() -> Path:
    """TICK_STONE_DATA, else the user's data folder; for root, whose home bars the database server's user, a
    folder under /var/lib. Raises SetUp when the server's user could not reach it."""
    given = os.environ.get("TICK_STONE_DATA")
    if given:
        folder = Path(given).expanduser().absolute()
    elif is_root():
        folder = Path("/var/lib/tick-stone")
    else:
        folder = Path(os.environ.get("XDG_DATA_HOME", "~/.local/share")).expanduser() / "tick-stone"
    barred = reachable_by_server(folder)
    if barred is not None:
        raise SetUp(
            f"The database server's user cannot pass through {barred}. "
            "Set TICK_STONE_DATA to a folder that it can reach, such as /var/lib/tick-stone."
        )
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise SetUp(f"Cannot make the data folder {folder}: {error.strerror}.") from None
    return folder
