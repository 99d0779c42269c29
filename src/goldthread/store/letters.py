"""Letters that were sent, on record as they were."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

from sqlalchemy import Engine, delete, func, insert, select, update

from goldthread.errors import NotFound
from goldthread.store.schedules import ScheduleRow
from goldthread.store.schema.rounds import Letter

LETTERS_KEPT = 500
"""Of one book."""


@dataclass(frozen=True)
class LetterRow:
    """A letter as it was sent (UTC)."""

    id: int
    schedule: int | None
    subject: str
    addresses: dict[str, str]
    made_at: dt.datetime


_LETTER = select(Letter.id, Letter.schedule_id, Letter.subject, Letter.addresses, Letter.made_at)


def add_letter(
    engine: Engine, row: ScheduleRow, run: int, at: dt.datetime, subject: str, addresses: list[str], content: bytes
) -> int:
    """Put down a letter that is to be sent, or that the same run has begun to send; its number."""
    values = {"book_id": row.book, "schedule_id": row.id, "run_id": run, "made_at": at, "subject": subject}
    with engine.begin() as connection:
        same = select(Letter.id).where(Letter.schedule_id == row.id, Letter.run_id == run)
        known = connection.execute(same).scalar()
        if known is not None:
            return int(known)
        to = dict.fromkeys(addresses, "")
        made = connection.execute(insert(Letter).values(**values, addresses=to, content=content)).inserted_primary_key
        mine = select(Letter.id).where(Letter.book_id == row.book).order_by(Letter.id.desc())
        old = connection.execute(mine.offset(LETTERS_KEPT).limit(LETTERS_KEPT)).scalars().all()
        if old:
            connection.execute(delete(Letter).where(Letter.id.in_(old)))
        return int(made[0]) if made else 0


def note_sent(engine: Engine, letter: int, address: str, became: str) -> None:
    """Put down what became of a letter to one address."""
    with engine.begin() as connection:
        which = Letter.id == letter
        addresses = dict(connection.execute(select(Letter.addresses).where(which).with_for_update()).scalar_one())
        connection.execute(update(Letter).where(which).values(addresses=addresses | {address: became}))


def list_letters(engine: Engine, book_id: int, offset: int, limit: int) -> tuple[int, list[LetterRow]]:
    """How many letters of a book are kept, and some of them, the newest first."""
    mine = Letter.book_id == book_id
    with engine.connect() as connection:
        count = connection.execute(select(func.count()).select_from(Letter).where(mine)).scalar_one()
        rows = connection.execute(_LETTER.where(mine).order_by(Letter.id.desc()).offset(offset).limit(limit))
        return int(count), [LetterRow(*row) for row in rows]


def find_letter(engine: Engine, book_id: int, letter: int) -> tuple[LetterRow, bytes]:
    """A letter, and the message as it was sent. Raises `NotFound`."""
    with engine.connect() as connection:
        wanted = _LETTER.add_columns(Letter.content).where(Letter.book_id == book_id, Letter.id == letter)
        found = connection.execute(wanted).first()
    if found is None:
        raise NotFound("That letter is not kept any more.", remedy="The newest ones are; look at the list.")
    *row, content = found
    return LetterRow(*row), bytes(content)
