"""What somebody may ask for who is a customer: what is on record of them, and that it goes."""

from __future__ import annotations

import datetime as dt
from typing import Any

from jinja2 import Environment

from goldthread.actions.log import Deed, put_down
from goldthread.actions.refreshing import forget_erased
from goldthread.installation import backups_there
from goldthread.store import snapshot
from goldthread.store.books import BookRow
from goldthread.store.read.person import all_of_person
from goldthread.store.write import erasing
from goldthread.store.write.erasing import Erasure
from goldthread.workspace import Workspace

_PAGE = Environment(autoescape=True, trim_blocks=True, lstrip_blocks=True).from_string(
    """<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>{{ title }}</title></head>
<body>
<h1>{{ title }}</h1>
<p>Taken from {{ book }} on {{ taken_at }}. Times are UTC.</p>
{% for name, rows in parts.items() if rows %}
<h2>{{ name.replace("_", " ")|capitalize }}</h2>
<table border="1" cellpadding="4" cellspacing="0">
<tr>{% for column in rows[0] %}<th align="left">{{ column.replace("_", " ") }}</th>{% endfor %}</tr>
{% for row in rows %}
<tr>{% for value in row.values() %}<td>{{ "" if value is none else value }}</td>{% endfor %}</tr>
{% endfor %}
</table>
{% endfor %}
</body></html>
"""
)


def export_person(workspace: Workspace, book: BookRow, customer_id: int) -> dict[str, Any]:
    """All that is on record of one customer, as JSON can hold it. Raises `NotFound`."""
    parts = all_of_person(workspace.record.engine, book.id, customer_id)
    put_down(workspace, Deed.PERSON_EXPORTED, book.id)
    taken_at = dt.datetime.now(dt.UTC).isoformat(timespec="seconds")
    return {"book": book.name, "taken_at": taken_at, **parts}


def person_page(exported: dict[str, Any]) -> str:
    """The same as a page to read (HTML)."""
    parts = {name: rows for name, rows in exported.items() if isinstance(rows, list)}
    title = f"On record of {parts['customer'][0]['name']}" if parts["customer"] else "On record"
    return _PAGE.render(title=title, book=exported["book"], taken_at=exported["taken_at"], parts=parts)


def backups_with(workspace: Workspace) -> list[str]:
    """The backups that hold whoever is erased now, as far as they are in the folder of the settings; newest first."""
    return backups_there(workspace.settings)


def erase_person(workspace: Workspace, book: BookRow, customer_id: int) -> Erasure:
    """Erase a customer: name, contacts and attributes go from all that is on record, orders stay under a number, and a
    later file does not bring them back. Raises `NotFound`, `Conflict` and `Busy`."""
    settings = workspace.settings
    erased = erasing.erase(workspace.record.engine, book.id, customer_id, settings.erasing_key)
    forget_erased(workspace, book)
    snapshot.remove_all(settings.snapshots, book.id)
    if workspace.cluster is not None:
        workspace.cluster.remove(book.id)
    put_down(workspace, Deed.PERSON_ERASED, book.id)
    return erased
