"""Which stand and which pull a line of the log is about: known to a bench worker, empty elsewhere."""

from __future__ import annotations

import logging


class LogContext(logging.Filter):
    """Adds `stand` and `pull` to every line; a bench worker sets them (it has one stand, and one pull at a time)."""

    stand = "-"
    pull = "-"

    def filter(self, record: logging.LogRecord) -> bool:
        record.stand, record.pull = LogContext.stand, LogContext.pull
        return True
