"""Typed responses."""

from __future__ import annotations

import hashlib
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path

from flask import Response, request, send_file
from flask_openapi3 import FileStorage
from pydantic import BaseModel

from goldthread import __version__
from goldthread.actions.reading import Read
from goldthread.actions.sheets import CONTENT_TYPES, Form, Sheet, write_sheet
from goldthread.errors import InvalidInput


def reply(shape: BaseModel, status: int = 200) -> Response:
    """A shape as JSON."""
    return Response(shape.model_dump_json(), status=status, content_type="application/json")


def entity_tag(*parts: object) -> str:
    """The tag of an answer: revision and question, and the version that gave it."""
    return hashlib.sha256(repr((__version__, *parts)).encode()).hexdigest()[:32]


def unchanged(tag: str) -> Response | None:
    """The short reply when the client has this answer already."""
    if not request.if_none_match.contains(tag):
        return None
    response = Response(status=304)
    response.set_etag(tag)
    return response


def tagged(response: Response, tag: str) -> Response:
    """A response that may be kept, but is asked for again each time."""
    response.set_etag(tag)
    response.headers["Cache-Control"] = "private, no-cache"
    response.headers["Vary"] = "Accept"
    return response


def kept(read: Read, question: tuple[object, ...], make: Callable[[], Response]) -> Response:
    """The reply to a question, or word that the client has this very answer already.

    Events and spend change with the book's revision, so revision, reading and question tell answers apart.
    """
    tag = entity_tag(read.book.id, read.shelved.revision, *read.stamp, *question)
    known = unchanged(tag)
    return known if known is not None else tagged(make(), tag)


def wants_csv() -> bool:
    """Whether the client prefers a table to JSON."""
    best = request.accept_mimetypes.best_match(["application/json", "text/csv"])
    return best == "text/csv"


def sent_file(field: FileStorage | str) -> FileStorage:
    """The file of a form. Raises `InvalidInput` when a text was sent in its place."""
    if isinstance(field, str):
        raise InvalidInput("No file was sent.", remedy="Send it as a file, not as a text.", field="file")
    return field


def csv_reply(text: str | bytes | Iterator[bytes], name: str) -> Response:
    """A table as a file; UTF-8 as RFC 4180 and spreadsheets expect it."""
    content = text.encode("utf-8") if isinstance(text, str) else text
    response = Response(content, content_type="text/csv; charset=utf-8; header=present")
    response.headers.set("Content-Disposition", "attachment", filename=name)
    return response


def sheet_reply(sheet: Sheet, form: Form, name: str) -> Response:
    """A table as a file of a form."""
    with tempfile.TemporaryDirectory(prefix="goldthread-") as folder:
        path = Path(folder) / f"{name}.{form}"
        write_sheet(sheet, form, path)
        # the open file outlives its folder
        return send_file(path.open("rb"), CONTENT_TYPES[form], as_attachment=True, download_name=path.name)
