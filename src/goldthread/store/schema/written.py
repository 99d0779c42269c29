"""The tables of what people write beside what is imported: notes, briefs with their findings, usual settings."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import (
    JSON,
    Boolean,
    ForeignKey,
    Index,
    Integer,
    SmallInteger,
    String,
    Text,
    UniqueConstraint,
    text,
)
from sqlalchemy.dialects.mysql import DATETIME
from sqlalchemy.orm import Mapped, mapped_column

from goldthread.core.choices import NoteOn
from goldthread.store.schema.models import AS_PEOPLE_READ, EXACT, Authored, Base, enum_of

_MOMENT = DATETIME(fsp=6)
NOTE_LENGTH, LABEL_LENGTH = 4000, 20
BRIEF_NAME_LENGTH, HEADING_LENGTH, WORDS_LENGTH = 120, 200, 8000


class Note(Authored, Base):
    """What somebody wrote about a thing: one of ``customer_key_id``, ``delivery_id`` and ``list_id``; a cohort or a
    period by its ``label``, a cell of a cohort by its ``age`` too.

    ``customer_key_id``: a key of the customer, who may be matched with others later. A note is its author's alone until
    it is ``shared``. ``version`` grows whenever it is edited.
    """

    __tablename__ = "notes"
    __table_args__ = (Index("ix_notes_book", "book_id", "about", "label"),)

    id: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=True)
    book_id: Mapped[int] = mapped_column(ForeignKey("books.id"))
    about: Mapped[NoteOn] = mapped_column(enum_of(NoteOn, "note_on"))
    customer_key_id: Mapped[int | None] = mapped_column(ForeignKey("customer_keys.id"))
    delivery_id: Mapped[int | None] = mapped_column(ForeignKey("deliveries.id"))
    list_id: Mapped[int | None] = mapped_column(ForeignKey("customer_lists.id", ondelete="CASCADE"))
    label: Mapped[str] = mapped_column(String(LABEL_LENGTH, collation=EXACT), server_default="")
    age: Mapped[int | None] = mapped_column(SmallInteger)
    version: Mapped[int] = mapped_column(Integer, server_default=text("1"))
    text: Mapped[str] = mapped_column(String(NOTE_LENGTH))
    shared: Mapped[bool] = mapped_column(Boolean)
    made_at: Mapped[dt.datetime] = mapped_column(_MOMENT)
    edited_at: Mapped[dt.datetime | None] = mapped_column(_MOMENT)


class Brief(Authored, Base):
    """A page to show to others: findings one below the other. It is its author's alone until it is ``shared``.
    ``version`` grows whenever it is renamed or put in another order."""

    __tablename__ = "briefs"
    __table_args__ = (UniqueConstraint("book_id", "name"),)

    id: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=True)
    book_id: Mapped[int] = mapped_column(ForeignKey("books.id"))
    name: Mapped[str] = mapped_column(String(BRIEF_NAME_LENGTH, collation=AS_PEOPLE_READ))
    shared: Mapped[bool] = mapped_column(Boolean)
    version: Mapped[int] = mapped_column(Integer, server_default=text("1"))
    made_at: Mapped[dt.datetime] = mapped_column(_MOMENT)


class Finding(Authored, Base):
    """Words of a brief, and what is pinned beside them, if anything: ``pinned`` is a view's stop and query, and which
    of its figures. ``live``: it is shown as it is now, else as it was. ``kept``: what it said when it was pinned.
    ``version`` grows whenever its words are edited, last by ``edited_by``."""

    __tablename__ = "findings"
    __table_args__ = (Index("ix_findings_brief", "brief_id", "place"),)

    id: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=True)
    brief_id: Mapped[int] = mapped_column(ForeignKey("briefs.id", ondelete="CASCADE"))
    place: Mapped[int] = mapped_column(SmallInteger)
    heading: Mapped[str] = mapped_column(String(HEADING_LENGTH))
    words: Mapped[str] = mapped_column(Text)
    pinned: Mapped[dict[str, str] | None] = mapped_column(JSON(none_as_null=True))
    live: Mapped[bool] = mapped_column(Boolean)
    kept: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    version: Mapped[int] = mapped_column(Integer, server_default=text("1"))
    made_at: Mapped[dt.datetime] = mapped_column(_MOMENT)
    edited_by: Mapped[str] = mapped_column(String(120, collation=AS_PEOPLE_READ), server_default="")
    edited_at: Mapped[dt.datetime | None] = mapped_column(_MOMENT)


class UsualChange(Authored, Base):
    """The usual settings of a book from a moment on, all of them, by name."""

    __tablename__ = "usual_changes"
    __table_args__ = (Index("ix_usual_changes_book", "book_id", "id"),)

    id: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=True)
    book_id: Mapped[int] = mapped_column(ForeignKey("books.id"))
    said: Mapped[dict[str, Any]] = mapped_column(JSON)
    made_at: Mapped[dt.datetime] = mapped_column(_MOMENT)
