"""One line a thing worth knowing, as text or as JSON, each with the number of the request that it belongs to."""

from __future__ import annotations

import json
import logging
import sys
from contextvars import ContextVar
from datetime import UTC, datetime

request_id: ContextVar[str] = ContextVar("request_id", default="")
"""The number of the request that is being answered; it stands in the answer's X-Request-ID too."""


class JsonLines(logging.Formatter):
    """Each record as one JSON object: time in UTC, level, logger, message, request, and a trace where there is one."""

    def format(self, record: logging.LogRecord) -> str:
        """The record's line."""
        line = {
            "time": datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds"),
            "level": record.levelname.lower(),
            "logger": record.name,
            "says": record.getMessage(),
        }
        # The number stands on the page of whoever met the trouble.
        if number := request_id.get():
            line["request"] = number
        if record.exc_info:
            line["trace"] = self.formatException(record.exc_info)
        return json.dumps(line, ensure_ascii=False)


class PlainLines(logging.Formatter):
    """The same for people: time, level, what, and the request's number."""

    def format(self, record: logging.LogRecord) -> str:
        """The record's line."""
        number = request_id.get()
        line = f"{self.formatTime(record, '%H:%M:%S')} {record.levelname.lower()} {record.name}: {record.getMessage()}"
        line += f" [{number}]" if number else ""
        return f"{line}\n{self.formatException(record.exc_info)}" if record.exc_info else line


def set_up(as_json: bool, level: int = logging.WARNING) -> None:
    """Send everything from a level on to standard error; with JSON lines, requests too."""
    handler = logging.StreamHandler(sys.stderr)
    handler.setFormatter(JsonLines() if as_json else PlainLines())
    root = logging.getLogger()
    root.handlers[:] = [handler]
    root.setLevel(level)
    logging.getLogger("python_multipart").setLevel(logging.ERROR)  # it tells of every bad byte that anybody sends
    logging.getLogger("lumenstat.requests").setLevel(logging.INFO if as_json else logging.WARNING)
