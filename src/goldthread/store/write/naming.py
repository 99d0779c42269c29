"""What own attributes of orders are called, and which are offered."""

from __future__ import annotations

from sqlalchemy import Engine, select, update

from goldthread.errors import Conflict, NotFound
from goldthread.store.revisions import keep_others_out, step_to
from goldthread.store.schema.models import Book, OwnAttribute
from goldthread.store.server.engine import transaction


def change_attribute(engine: Engine, book_id: int, name: str, title: str | None, *, hidden: bool | None) -> None:
    """Give an attribute another title, hide it or offer it again. Raises `NotFound` and `Conflict`."""
    with transaction(engine) as connection:
        keep_others_out(connection, book_id, by_hand=True)
        revision = connection.execute(select(Book.revision).where(Book.id == book_id)).scalar_one()
        known = connection.execute(select(OwnAttribute).where(OwnAttribute.book_id == book_id)).all()
        found = next((row for row in known if row.name == name), None)
        if found is None:
            raise NotFound(
                f"Orders have no attribute {name}.",
                remedy=f"They have: {', '.join(row.name for row in known) or 'none'}.",
                field="name",
            )
        if title is not None and any(row.title == title and row.slot != found.slot for row in known):
            raise Conflict(f"Another attribute is called {title}.", remedy="Choose another name.", field="title")
        before = {"title": found.title, "hidden": found.hidden}
        wanted = before | ({} if title is None else {"title": title}) | ({} if hidden is None else {"hidden": hidden})
        if wanted == before:
            return
        connection.execute(
            update(OwnAttribute)
            .where(OwnAttribute.book_id == book_id, OwnAttribute.slot == found.slot)
            .values(**wanted)
        )
        step_to(connection, book_id, revision + 1, b"")
        connection.commit()
