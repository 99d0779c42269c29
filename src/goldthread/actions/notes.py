"""Notes: what people write about a customer, a delivery, a list, a cohort, a cell of it, or a period."""

from __future__ import annotations

import re

from goldthread.actions.log import Deed, put_down
from goldthread.actions.working import customer_names
from goldthread.core.calendar_words import period_words
from goldthread.core.choices import NoteOn
from goldthread.errors import InvalidInput
from goldthread.store import notes
from goldthread.store.books import BookRow
from goldthread.store.notes import NoteRow, Thing
from goldthread.store.schema.written import NOTE_LENGTH
from goldthread.workspace import Workspace

_PERIOD = re.compile(
    r"(FY)?\d{4}(-Q[1-4])?|\d{4}-(0[1-9]|1[0-2])(-(0[1-9]|[12]\d|3[01])/P7D)?|\d{4}-W(0[1-9]|[1-4]\d|5[0-3])"
)
_AGE_BELOW = 2_000
_NUMBER_DIGITS = 18


def thing_of(about: NoteOn, key: str) -> Thing:
    """What a note is about, from its kind and key: the number of a customer, a delivery or a list; a cohort or a period
    such as 2026-03; a cell such as 2026-03/1. Raises `InvalidInput`."""
    if about in (NoteOn.CUSTOMER, NoteOn.DELIVERY, NoteOn.LIST):
        if re.fullmatch(rf"[0-9]{{1,{_NUMBER_DIGITS}}}", key):
            return Thing(about, int(key))
        raise InvalidInput(f"{key or 'Nothing'} is not a number of a {about}.", remedy="Such as 12.", field="key")
    is_cell = about is NoteOn.CELL
    label, slash, age = key.rpartition("/") if is_cell else (key, "", "")
    if not _PERIOD.fullmatch(label) or bool(slash) != is_cell:
        example = "2026-03/1: a cohort and an age" if is_cell else "2026-03, 2026-Q1, 2026-W05 or 2026"
        raise InvalidInput(f"{key or 'Nothing'} is not a {about}.", remedy=f"Such as {example}.", field="key")
    if not is_cell:
        return Thing(about, label=label)
    if not re.fullmatch(r"[0-9]{1,4}", age) or int(age) >= _AGE_BELOW:
        raise InvalidInput(f"{age or 'Nothing'} is not an age.", remedy="Such as 1 in 2026-03/1.", field="key")
    return Thing(about, label=label, age=int(age))


def list_notes(
    workspace: Workspace, book: BookRow, thing: Thing | None, finding: str, offset: int, limit: int
) -> tuple[int, list[NoteRow]]:
    """How many notes there are, and some of them, the newest first: those on a thing where one is given, those with
    words in them where any are."""
    return notes.list_notes(workspace.record.engine, book.id, thing, finding, offset, limit)


def noted_things(workspace: Workspace, book: BookRow) -> list[tuple[Thing, int]]:
    """What there are notes on, and how many on each."""
    return notes.noted_things(workspace.record.engine, book.id)


def things_words(workspace: Workspace, book: BookRow, rows: list[NoteRow]) -> list[str]:
    """What each note is about, as people say it."""
    customers = [row.thing.number or 0 for row in rows if row.thing.about is NoteOn.CUSTOMER]
    names = customer_names(workspace, book, customers) if customers else {}
    return [_words(row, names) for row in rows]


def _words(row: NoteRow, names: dict[int, str]) -> str:
    thing = row.thing
    match thing.about:
        case NoteOn.CUSTOMER:
            return names.get(thing.number or 0) or "a customer without a name"
        case NoteOn.DELIVERY | NoteOn.LIST:
            return f"the {thing.about} {row.called}"
        case NoteOn.CELL:
            return f"the cohort {period_words(thing.label)} at age {thing.age}"
        case NoteOn.COHORT:
            return f"the cohort {period_words(thing.label)}"
        case NoteOn.PERIOD:
            return period_words(thing.label)


def add_note(workspace: Workspace, book: BookRow, thing: Thing, text: str) -> NoteRow:
    """Write a note. Raises `InvalidInput`, `NotFound` and `TooLarge`."""
    engine = workspace.record.engine
    row = notes.find_note(engine, book.id, notes.add_note(engine, book.id, thing, _checked(text)))
    put_down(workspace, Deed.NOTE_WRITTEN, book.id, _plainly(thing), note=row.id)
    return row


def edit_note(workspace: Workspace, book: BookRow, note: int, text: str, seen: int | None = None) -> NoteRow:
    """Write a note anew; its author's to do. Raises `InvalidInput`, `NotFound`, `NotAllowed`, and `Conflict` when
    another version was written since the one that was ``seen``."""
    engine = workspace.record.engine
    notes.edit_note(engine, book.id, note, _checked(text), seen)
    row = notes.find_note(engine, book.id, note)
    put_down(workspace, Deed.NOTE_WRITTEN, book.id, _plainly(row.thing), note=note, version=row.version)
    return row


def remove_note(workspace: Workspace, book: BookRow, note: int) -> None:
    """Take a note back; its author's to do. Raises `NotFound` and `NotAllowed`."""
    engine = workspace.record.engine
    row = notes.find_note(engine, book.id, note)
    notes.remove_note(engine, book.id, note)
    put_down(workspace, Deed.NOTE_REMOVED, book.id, _plainly(row.thing), note=note)


def _plainly(thing: Thing) -> str:
    """What a note is about, as it may stand in the log: no customer is named there."""
    return f"{thing.about} {thing.key}"


def _checked(text: str) -> str:
    plain = text.strip()
    if not plain:
        raise InvalidInput("The note is empty.", remedy="Write what is to be remembered.", field="text")
    if len(plain) > NOTE_LENGTH:
        raise InvalidInput(
            f"The note has {len(plain)} characters; {NOTE_LENGTH} can be kept.", remedy="Say it shorter.", field="text"
        )
    return plain
