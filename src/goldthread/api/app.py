"""The application: security, errors, what can be asked and done, and the built page."""

from __future__ import annotations

import os
import tempfile
from functools import cache, partial
from pathlib import Path
from typing import Any

from flask import Response, request, send_from_directory
from flask.json.provider import DefaultJSONProvider
from flask_openapi3 import Info, OpenAPI

from goldthread import __version__
from goldthread.actions.jobs import JobBoard
from goldthread.actor import Right
from goldthread.api import (
    attributes,
    books,
    briefs,
    changes,
    checks,
    conditions,
    customers,
    deliveries,
    health,
    identity,
    jobs,
    lists,
    mailing,
    notes,
    people,
    saved_views,
    schedules,
    shared_links,
    signing_in,
    stops,
    uploads,
    working,
)
from goldthread.api.access import asks, declare_rights, guard
from goldthread.api.answers import Answers
from goldthread.api.blueprints import described, operation_id
from goldthread.api.observing import observe
from goldthread.api.problems import invalid_request, tell_problems
from goldthread.api.security import secure
from goldthread.api.shapes.books import ProblemDetails
from goldthread.api.work import KINDS
from goldthread.askers import Turns, asked_by
from goldthread.errors import NotFound
from goldthread.settings import Settings
from goldthread.stops.registry import questions
from goldthread.stops.sheet import CONTENT_TYPES
from goldthread.workspace import Workspace, detached_workspace

_QUESTIONS = "/api/books/{book}/ask/"
_HASHED_FILES_SECONDS = 365 * 24 * 3600


def create_app(workspace: Workspace) -> OpenAPI:
    """The application of one workspace."""
    app = OpenAPI(
        "goldthread",
        info=Info(title="Gold Thread", version=__version__),
        doc_ui=False,
        static_folder=None,
        validation_error_model=ProblemDetails,
        validation_error_callback=invalid_request,
        operation_id_callback=operation_id,
    )
    secure(app, workspace.settings)
    tell_problems(app, workspace.settings)
    observe(app, workspace)
    app.before_request(_note_asker)
    guard(app, workspace)
    app.after_request(partial(changes.say_state, workspace))
    app.json = StrictJson(app)
    board, answers = JobBoard(workspace, KINDS), Answers(workspace, Turns(_at_once(workspace.settings)))
    for lasting in (books, uploads, deliveries, jobs, mailing, signing_in, schedules):
        app.register_api(lasting.blueprint(workspace, board))
    for asking in (stops, checks):
        app.register_api(asking.blueprint(workspace, board, answers))
    for question in (customers, conditions, shared_links, briefs):
        app.register_api(question.blueprint(workspace, answers))
    for action in (attributes, identity, lists, working, saved_views, notes, changes, people, health):
        app.register_api(action.blueprint(workspace))

    @app.route("/api/openapi.json")
    @asks(Right.ANYBODY)
    def openapi() -> dict[str, Any]:
        return describe_api()

    _serve_page(app, workspace)
    declare_rights(app)
    return app


def _at_once(settings: Settings) -> int:
    """How many questions a process works out side by side: its share of the processors."""
    return max(1, (os.cpu_count() or 1) // settings.processes)


class StrictJson(DefaultJSONProvider):
    """Reads what a client sends, as long as it can be kept: no deeper than anything is, no halves of characters."""

    ensure_ascii = False

    def loads(self, s: str | bytes, **kwargs: Any) -> Any:
        try:
            loaded = super().loads(s, **kwargs)
        except RecursionError:
            raise ValueError("It is nested too deeply.") from None
        # a text that was written half can be neither kept nor sent
        self.dumps(loaded).encode()
        return loaded


def _note_asker() -> None:
    asked_by(request.environ.get("waitress.client_disconnected", lambda: False))


@cache
def describe_api() -> dict[str, Any]:
    """The OpenAPI document, without a database; made once."""
    with tempfile.TemporaryDirectory(prefix="goldthread-api-") as folder, described():
        app = create_app(detached_workspace(Settings(var=Path(folder))))
    return _document(app)


def _document(app: OpenAPI) -> dict[str, Any]:
    """OpenAPI 3.1, with what the routes cannot say for themselves: errors, tables beside JSON."""
    document: dict[str, Any] = app.api_doc
    document["components"] = {name: part for name, part in document["components"].items() if part is not None}
    document["components"]["schemas"].setdefault("ProblemDetails", ProblemDetails.model_json_schema())
    failure = {"application/problem+json": {"schema": {"$ref": "#/components/schemas/ProblemDetails"}}}
    further = {
        f"{_QUESTIONS}{kind.name}/{called}": file.content_type.split(";")[0]
        for stop, kind in questions()
        for called, file in stop.answering(kind).files.items()
    }
    for path, methods in document["paths"].items():
        for operation in methods.values():
            operation["responses"].pop("422", None)
            operation["responses"]["default"] = {"description": "A problem (RFC 9457)", "content": failure}
            if path.endswith("/record"):
                operation["responses"]["200"]["content"] = {
                    kind: {"schema": {"type": "string"}} for kind in ("application/json", "text/html")
                }
            if path.endswith(("/rejected", "/log/file")):
                operation["responses"]["200"]["content"] = {"text/csv": {"schema": {"type": "string"}}}
            if path.startswith("/api/jobs/") and path.endswith("/file"):
                operation["responses"]["200"]["content"] = {"application/zip": {"schema": {"type": "string"}}}
            if path.endswith("/changes"):
                operation["responses"]["200"]["content"] = {"text/event-stream": {"schema": {"type": "string"}}}
            elif path.endswith("/file") and not path.endswith("/log/file"):
                operation["responses"]["200"]["content"] = {
                    kind.split(";")[0]: {"schema": {"type": "string"}} for kind in CONTENT_TYPES.values()
                }
            if path in further:
                operation["responses"]["200"]["content"] = {further[path]: {"schema": {"type": "string"}}}
            elif "get" in methods and path.startswith(_QUESTIONS) and not path.endswith(("/file", "/recount")):
                operation["responses"]["200"]["content"]["text/csv"] = {"schema": {"type": "string"}}
                operation["responses"]["304"] = {"description": "The client has this answer already"}
    return document


def _serve_page(app: OpenAPI, workspace: Workspace) -> None:
    """The built front end: files whose names carry their content are kept for a year, the page itself is not."""
    root = workspace.settings.web.absolute()

    @app.route("/assets/<path:name>")
    def assets(name: str) -> Response:
        return send_from_directory(root / "assets", name, max_age=_HASHED_FILES_SECONDS)

    @app.route("/", defaults={"place": ""})
    @app.route("/<path:place>")
    def page(place: str) -> Response:
        if place.startswith("api/"):
            raise NotFound(f"There is no {request.path}.", remedy="See /api/openapi.json for what there is.")
        if place and (root / place).is_file() and "/" not in place:
            return send_from_directory(root, place)
        if not (root / "index.html").exists():
            raise NotFound("The page was not built.", remedy="Run make start, which builds it.")
        shown = Response(_under((root / "index.html").read_text(encoding="utf-8"), workspace.settings.root))
        shown.cache_control.no_cache = True
        shown.add_etag()
        shown.make_conditional(request)
        return shown


def _under(page: str, path: str) -> str:
    """The page with a path before the addresses of its files, which it is also told."""
    return page.replace('"./', f'"{path}/').replace('name="root" content=""', f'name="root" content="{path}"')
