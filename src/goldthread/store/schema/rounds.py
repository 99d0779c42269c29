"""The tables of what a book does by itself: schedules, their runs, files that wait for an answer, letters that were
sent."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import JSON, BigInteger, Boolean, ForeignKey, Index, Integer, SmallInteger, String, text
from sqlalchemy.dialects.mysql import DATETIME, LONGBLOB
from sqlalchemy.orm import Mapped, mapped_column

from goldthread.core.choices import RunState, ScheduleKind
from goldthread.store.schema.models import EXACT, Authored, Base, enum_of

_MOMENT = DATETIME(fsp=6)
CRON_LENGTH, SAID_LENGTH, WHY_LENGTH, PATH_LENGTH = 120, 1000, 2000, 1000


class Schedule(Authored, Base):
    """What is done again and again. It acts for ``user_id``, where whoever made it has an account.

    ``about``: what is to be done, by its kind. ``due_at``: when it runs next, which is sooner than ``planned_at`` where
    it is tried again after it failed; ``tries`` how often that was. ``why``: what paused it, blank for a person.
    ``kept``: what one run leaves for the next.
    """

    __tablename__ = "schedules"
    __table_args__ = (Index("ix_schedules_due", "paused", "due_at"),)

    id: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=True)
    book_id: Mapped[int] = mapped_column(ForeignKey("books.id"))
    user_id: Mapped[int | None] = mapped_column(ForeignKey("users.id"))
    kind: Mapped[ScheduleKind] = mapped_column(enum_of(ScheduleKind, "schedule_kind"))
    about: Mapped[dict[str, Any]] = mapped_column(JSON)
    cron: Mapped[str] = mapped_column(String(CRON_LENGTH, collation=EXACT))
    planned_at: Mapped[dt.datetime] = mapped_column(_MOMENT)
    due_at: Mapped[dt.datetime] = mapped_column(_MOMENT)
    tries: Mapped[int] = mapped_column(SmallInteger, server_default=text("0"))
    paused: Mapped[bool] = mapped_column(Boolean, server_default=text("0"))
    why: Mapped[str] = mapped_column(String(WHY_LENGTH), server_default="")
    kept: Mapped[dict[str, Any]] = mapped_column(JSON)
    made_at: Mapped[dt.datetime] = mapped_column(_MOMENT)


class ScheduleRun(Base):
    """One run of a schedule, done as the piece of work ``job_id``. ``asked_by``: who asked for it, NULL where the clock
    did. ``skipped``: how many runs before it were missed, which it stands for."""

    __tablename__ = "schedule_runs"
    __table_args__ = (Index("ix_schedule_runs_newest", "schedule_id", "id"),)

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=True)
    schedule_id: Mapped[int] = mapped_column(ForeignKey("schedules.id"))
    job_id: Mapped[str] = mapped_column(String(32, collation=EXACT))
    due_at: Mapped[dt.datetime] = mapped_column(_MOMENT)
    begun_at: Mapped[dt.datetime] = mapped_column(_MOMENT)
    ended_at: Mapped[dt.datetime | None] = mapped_column(_MOMENT)
    state: Mapped[RunState] = mapped_column(enum_of(RunState, "run_state"))
    asked_by: Mapped[str | None] = mapped_column(String(120))
    skipped: Mapped[int] = mapped_column(Integer)
    said: Mapped[str] = mapped_column(String(SAID_LENGTH))


class WaitingFile(Base):
    """A file that came by itself and waits for somebody's answer. ``path`` is where it lies, ``why`` what is asked,
    ``since`` the value that its query begins from once it is imported."""

    __tablename__ = "waiting_files"
    __table_args__ = (Index("ix_waiting_files_book", "book_id"),)

    id: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=True)
    book_id: Mapped[int] = mapped_column(ForeignKey("books.id"))
    schedule_id: Mapped[int | None] = mapped_column(ForeignKey("schedules.id", ondelete="SET NULL"))
    source: Mapped[str] = mapped_column(String(120))
    name: Mapped[str] = mapped_column(String(255))
    path: Mapped[str] = mapped_column(String(PATH_LENGTH, collation=EXACT))
    why: Mapped[str] = mapped_column(String(WHY_LENGTH))
    since: Mapped[dict[str, str] | None] = mapped_column(JSON(none_as_null=True))
    arrived_at: Mapped[dt.datetime] = mapped_column(_MOMENT)


class Letter(Base):
    """A letter as it was sent. ``content`` is the message without an address, ``addresses`` what became of each."""

    __tablename__ = "letters"
    __table_args__ = (Index("ix_letters_book", "book_id", "id"),)

    id: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=True)
    book_id: Mapped[int] = mapped_column(ForeignKey("books.id"))
    schedule_id: Mapped[int | None] = mapped_column(ForeignKey("schedules.id", ondelete="SET NULL"))
    run_id: Mapped[int | None] = mapped_column(BigInteger)
    subject: Mapped[str] = mapped_column(String(200))
    addresses: Mapped[dict[str, str]] = mapped_column(JSON)
    content: Mapped[bytes] = mapped_column(LONGBLOB)
    made_at: Mapped[dt.datetime] = mapped_column(_MOMENT)
