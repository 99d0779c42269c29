"""A saved view, a list or the Overview as a letter: its sentence, its figures and a picture, in one message.

The message has a plain part and one of HTML with the picture inside, and the whole table attached where that is wanted.
"""

from __future__ import annotations

import datetime as dt
import hashlib
import tempfile
from collections.abc import Mapping
from email.message import EmailMessage
from pathlib import Path
from typing import Any
from urllib.parse import urlencode

from goldthread.core.book.days import to_day
from goldthread.core.calendar_words import date_words
from goldthread.errors import NotFound
from goldthread.stops.briefs import brief_message, show_all
from goldthread.stops.findings import table_digest
from goldthread.stops.letter_page import ROWS_MOST, letter_page, rest_words
from goldthread.stops.pictures import draw
from goldthread.stops.saved import question_of
from goldthread.stops.sheet import CONTENT_TYPES, Form, Sheet, write_sheet
from goldthread.stops.text import sheet_text
from goldthread.store.books import BookRow
from goldthread.store.briefs import find_brief
from goldthread.store.lists import list_called, list_lists
from goldthread.store.saved_views import list_saved
from goldthread.workspace import Workspace, asked_anew

OVERVIEW, VIEW, LIST, BRIEF = "overview", "view", "list", "brief"
_PICTURE = "picture@letter"


def what_of(workspace: Workspace, book: BookRow, said: str) -> dict[str, Any]:
    """What a letter is of, by name: overview, that of a saved view, list:NAME, or brief:NAME. Raises `NotFound` and
    `InvalidInput`."""
    kind, _, name = said.partition(":")
    if said.casefold() == OVERVIEW:
        what = {"of": OVERVIEW, "name": "Overview"}
    elif kind == LIST and name:
        what = {"of": LIST, "name": name}
    elif kind == BRIEF and name:
        return {"of": BRIEF, "name": find_brief(workspace.record.engine, book.id, name).name}
    else:
        what = {"of": VIEW, "name": said.removeprefix(f"{VIEW}:")}
    question_of(*_address(workspace, book, what))
    return what


def _address(workspace: Workspace, book: BookRow, what: Mapping[str, Any]) -> tuple[str, str]:
    """The stop and the query of what a letter is of. Raises `NotFound`."""
    engine = workspace.record.engine
    if what["of"] == OVERVIEW:
        return OVERVIEW, ""
    if what["of"] == LIST:
        row = list_called(list_lists(engine, book.id), what["name"])
        return "followup", urlencode({"view": "worked", "list": row.name})
    for saved in list_saved(engine, book.id):
        # the newest version comes first
        if saved.name == what["name"]:
            return saved.stop, saved.query
    raise NotFound(
        f"No view is saved as “{what['name']}”.",
        remedy="Save it again under this name, or remove the schedule.",
        field="letter",
    )


def compose(workspace: Workspace, book: BookRow, what: Mapping[str, Any], today: dt.date) -> tuple[EmailMessage, str]:
    """The letter as it is on a day, without from whom and to whom, and what distinguishes what it says from what others
    say. Raises `NotFound` and `InvalidInput` for what cannot be asked any more."""
    if what["of"] == BRIEF:
        return _brief(workspace, book, what["name"], today)
    stop, kind, question = question_of(*_address(workspace, book, what))
    answering = stop.answering(kind)

    def asked() -> tuple[Sheet, Any]:
        answer = answering.asked(workspace, book, question, today)
        return answering.sheet(workspace, answer), answer

    sheet, answer = asked_anew(asked)
    picture = None if answering.picture is None else draw(answering.picture, answer, sheet)
    message = EmailMessage()
    message["Subject"] = f"{book.name}: {what['name']}, {date_words(to_day(today))}"
    under = (f"{book.name}, {stop.title}.",)
    first = Sheet(sheet.sentences, sheet.table.slice(0, ROWS_MOST), sheet.shares)
    plain = [answering.text(answer)] if answering.text is not None else [sheet_text(first), *rest_words(sheet)]
    message.set_content("\n".join([*plain, *under, ""]))
    page = letter_page(sheet, f"cid:{_PICTURE}" if picture else "", under, answering.picture, answer)
    message.add_alternative(page, subtype="html")
    if picture is not None:
        html: Any = message.get_body(("html",))
        html.add_related(picture, "image", "png", cid=f"<{_PICTURE}>", disposition="inline", filename="picture.png")
    if what.get("attach"):
        _attach(message, sheet, Form(what["attach"]), answering.called(question))
    return message, table_digest(sheet)


def _brief(workspace: Workspace, book: BookRow, name: str, today: dt.date) -> tuple[EmailMessage, str]:
    row = find_brief(workspace.record.engine, book.id, name)
    shown = show_all(workspace, book, row.id, today)
    # it says something new when somebody wrote other words, and when a figure or a table is another
    figures = ["" if each.figure is None else each.figure.text for each in shown]
    said = [(each.row.id, each.row.version, each.notes, each.digest) for each in shown]
    return brief_message(book, row.name, shown, today), hashlib.sha256(repr((figures, said)).encode()).hexdigest()


def _attach(message: EmailMessage, sheet: Sheet, form: Form, called: str) -> None:
    with tempfile.TemporaryDirectory(prefix="letter-") as folder:
        path = Path(folder) / "table"
        write_sheet(sheet, form, path)
        main, _, sub = CONTENT_TYPES[form].partition(";")[0].partition("/")
        message.add_attachment(path.read_bytes(), main, sub, filename=f"{called}.{form}")
