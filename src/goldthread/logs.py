"""What a server writes on standard error: a line for each thing that happens, for people or for programs."""

from __future__ import annotations

import logging
import sys

from goldthread.settings import Settings

_TEXT = "%(asctime)s %(levelname)s %(name)s: %(message)s"
_AS_JSON = "%(asctime)s %(levelname)s %(name)s %(process)d %(message)s"
_NAMES = {"asctime": "time", "levelname": "level", "name": "logger", "process": "pid"}
ASKED = "goldthread.asked"
"""The logger of requests."""
KNOWN = ("request_id", "method", "question", "book", "status", "milliseconds", "rows", "bytes")
"""What is known of a request, beside the message."""


def write_logs(settings: Settings) -> None:
    """Have this process write its log as the settings say."""
    handler = logging.StreamHandler(sys.stderr)
    handler.setFormatter(_formatter(settings))
    logging.basicConfig(level=logging.INFO, handlers=[handler], force=True)
    logging.getLogger(ASKED).setLevel(logging.INFO if settings.log_requests else logging.WARNING)


def _formatter(settings: Settings) -> logging.Formatter:
    if settings.log_format == "json":
        from pythonjsonlogger.json import JsonFormatter

        return JsonFormatter(_AS_JSON, rename_fields=_NAMES, json_ensure_ascii=False)
    return _Text(_TEXT)


class _Text(logging.Formatter):
    """A line of text, with what is known beside the message as words."""

    def format(self, record: logging.LogRecord) -> str:
        known = {name: getattr(record, name) for name in KNOWN if hasattr(record, name)}
        return super().format(record) + "".join(f" {name}={value}" for name, value in known.items())
