"""What is said and counted of every request: nothing of anybody, only which question it was and what it took."""

from __future__ import annotations

import logging
import re
import time
import uuid

from flask import Flask, Response, g, request

from goldthread.logs import ASKED, KNOWN
from goldthread.metrics import BOOKS, CONNECTIONS, HELD_BYTES, REQUESTS
from goldthread.workspace import Workspace

HEADER = "X-Request-Id"
_GIVEN = re.compile(r"[A-Za-z0-9._-]{1,64}")
_log = logging.getLogger(ASKED)


def observe(app: Flask, workspace: Workspace) -> None:
    """Note each request of the API and each reply. The id that a proxy gives a request is kept."""
    trusts = workspace.settings.trusted_proxies > 0

    def begin() -> None:
        given = request.headers.get(HEADER, "") if trusts else ""
        g.request_id = given if _GIVEN.fullmatch(given) else uuid.uuid4().hex
        g.began = time.perf_counter()

    def end(response: Response) -> Response:
        if "began" not in g:
            return response
        seconds = time.perf_counter() - g.began
        route = str(request.url_rule) if request.url_rule else "none"
        response.headers[HEADER] = g.request_id
        REQUESTS.labels(request.method, route, str(response.status_code)).observe(seconds)
        BOOKS.set(workspace.books_in_memory)
        HELD_BYTES.set(workspace.account.held_bytes)
        CONNECTIONS.set(workspace.record.connections_in_use)
        if _log.isEnabledFor(logging.INFO):
            _say(response, route, seconds)
        return response

    app.before_request(begin)
    app.after_request(end)


def _say(response: Response, route: str, seconds: float) -> None:
    known = {
        "request_id": g.request_id,
        "method": request.method,
        "question": route,
        "book": (request.view_args or {}).get("book"),
        "status": response.status_code,
        "milliseconds": round(seconds * 1000, 1),
        "rows": g.get("rows"),
        "bytes": None if response.is_streamed else response.content_length,
    }
    _log.info("asked", extra={name: known[name] for name in KNOWN if known[name] is not None})
