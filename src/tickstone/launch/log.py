"""The log: every unexpected error with its stack, in a file of the data folder that begins anew when it is
full."""

from __future__ import annotations

import logging
import sys
import threading
from collections.abc import Callable
from logging.handlers import RotatingFileHandler
from pathlib import Path

from tickstone.supervised import LOG

MOST_BYTES = 1_000_000
OLDER_KEPT = 4
NAME = "tickstone.log"


def keep_log(folder: Path) -> Callable[[], None]:
    """Log into a file of a folder from now on, what uvicorn says too; returns how to end that."""
    file = RotatingFileHandler(folder / NAME, maxBytes=MOST_BYTES, backupCount=OLDER_KEPT, encoding="utf-8")
    file.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(threadName)s: %(message)s"))
    loggers = [LOG, logging.getLogger("uvicorn.error")]
    before = threading.excepthook

    def crashed(what: threading.ExceptHookArgs) -> None:
        if what.exc_value is not None:
            name = what.thread.name if what.thread else "a thread"
            LOG.error("%s ended", name, exc_info=what.exc_value)
        before(what)

    LOG.setLevel(logging.INFO)
    for logger in loggers:
        logger.addHandler(file)
    threading.excepthook = crashed
    LOG.info("begun, Python %s", sys.version.split()[0])

    def end() -> None:
        LOG.info("ended")
        threading.excepthook = before
        for logger in loggers:
            logger.removeHandler(file)
        file.close()

    return end
