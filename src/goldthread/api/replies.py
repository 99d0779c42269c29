"""Typed responses, none of them larger than a reply may be."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterator
from http import HTTPStatus
from pathlib import Path

from flask import Response, g, has_request_context, request, send_file
from flask_openapi3 import FileStorage
from pydantic import BaseModel

from goldthread.actions.jobs import Made
from goldthread.api.shapes.intake import JobShape
from goldthread.errors import InvalidInput
from goldthread.shape import encoded
from goldthread.stops.sheet import CONTENT_TYPES, Form, Sheet, limit_size, takes_a_while, write_sheet
from goldthread.store.jobs import JobRow


def reply(shape: BaseModel, status: int = 200) -> Response:
    """A shape as JSON. Raises `TooLarge`."""
    rows = getattr(shape, "rows", None)
    if isinstance(rows, list):
        note_rows(len(rows))
    return Response(encoded(shape), status=status, content_type="application/json")


def note_rows(count: int) -> None:
    """Note how many rows the reply to this request has."""
    if has_request_context():
        g.rows = count


def wants_csv() -> bool:
    """Whether the client prefers a table to JSON."""
    return _wanted() == _CSV


def wants_arrow() -> bool:
    """Whether the client prefers an Arrow stream."""
    return _wanted() == CONTENT_TYPES[Form.ARROW]


def _wanted() -> str | None:
    return request.accept_mimetypes.best_match(["application/json", _CSV, CONTENT_TYPES[Form.ARROW]])


def seen_version() -> int | None:
    """The version that a change is made of, as ``If-Match`` names it; None where the client does not care.

    Raises `InvalidInput` for a header that no version of ours could be.
    """
    tags = request.if_match
    if not tags or tags.star_tag:
        return None
    version = next(iter(tags.as_set()), "").removeprefix("W/").strip('"')
    if not version.isascii() or not version.isdigit() or len(version) > len(str(2**63)):
        raise InvalidInput("If-Match is not a version.", remedy='Send the version as it was given, such as "3".')
    return int(version)


def sent_file(field: FileStorage | str) -> FileStorage:
    """The file of a form. Raises `InvalidInput` when a text was sent in its place."""
    if isinstance(field, str):
        raise InvalidInput("No file was sent.", remedy="Send it as a file, not as a text.", field="file")
    return field


CSV_TYPE = "text/csv; charset=utf-8; header=present"
_CSV = "text/csv"


def csv_reply(text: str | bytes | Iterator[bytes], name: str) -> Response:
    """A table as a file; UTF-8 as RFC 4180 and spreadsheets expect it."""
    content = text.encode("utf-8") if isinstance(text, str) else text
    return file_reply(content, CSV_TYPE, name)


def file_reply(content: bytes | Iterator[bytes], content_type: str, name: str) -> Response:
    """Some bytes as a file."""
    response = Response(content, content_type=content_type)
    response.headers.set("Content-Disposition", "attachment", filename=name)
    return response


def sheet_reply(sheet: Sheet, form: Form, name: str, begin: Callable[[], JobRow]) -> Response:
    """A table as a file of a form; where writing it takes a while, the work that does is begun, which gives the
    file."""
    limit_size(sheet, form)
    if takes_a_while(sheet, form):
        return reply(JobShape.of(begin()), HTTPStatus.ACCEPTED)
    with tempfile.TemporaryDirectory(prefix="sheet-") as folder:
        path = Path(folder) / f"{name}.{form}"
        write_sheet(sheet, form, path)
        # the open file outlives its folder
        return send_file(path.open("rb"), CONTENT_TYPES[form], as_attachment=True, download_name=path.name)


def made_reply(made: Made) -> Response:
    """A file that a piece of work made."""
    return send_file(made.path.open("rb"), made.content_type, as_attachment=True, download_name=made.name)
