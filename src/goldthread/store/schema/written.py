"""The tables of what people write beside what is imported: notes."""

from __future__ import annotations

import datetime as dt

from sqlalchemy import Boolean, ForeignKey, Index, Integer, SmallInteger, String, text
from sqlalchemy.dialects.mysql import DATETIME
from sqlalchemy.orm import Mapped, mapped_column

from goldthread.core.choices import NoteOn
from goldthread.store.schema.models import EXACT, Authored, Base, enum_of

_MOMENT = DATETIME(fsp=6)
NOTE_LENGTH, LABEL_LENGTH = 4000, 20


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
