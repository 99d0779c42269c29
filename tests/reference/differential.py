"""The program held against the plain figures: random books, readings and questions, compared row by row.

What differs is made smaller, record by record, and printed as files and a question. ``make differential`` goes on for
as long as it is told: ``python -m tests.reference.differential --minutes 60 --seed 1``.
"""

from __future__ import annotations

import argparse
import datetime as dt
import math
import random
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Iterator
from dataclasses import replace
from decimal import Decimal
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np

from goldthread.actions.books import BOOKS_MOST, find_book, list_books
from goldthread.actions.by_hand import match_customers
from goldthread.actions.working import Done, work_member
from goldthread.core.choices import MemberState
from goldthread.core.records import Verdict
from goldthread.core.worth import bands
from goldthread.errors import GoldThreadError
from goldthread.stops.reading import read_book
from goldthread.stops.registry import question_called
from goldthread.stops.sentences.reading_line import ReadingLine
from goldthread.store.books import BookRow
from goldthread.workspace import Workspace
from tests.reference.answered import THERE
from tests.reference.askings import TODAY, Asking, random_asking
from tests.reference.facts import HERE, Facts, Given
from tests.reference.figures import About, Folded, OneOf
from tests.reference.questions import QUESTIONS, beside_others
from tests.reference.recording import put_on_record
from tests.reference.records import Book, iso, random_book
from tests.reference.threads import read
from tests.support.asking import keep
from tests.support.sharing import shared_place, shared_workspace

_PARTS = ("orders", "customers", "payments", "spend")


class Recorded:
    """A book in the program, with its lists."""

    def __init__(self, workspace: Workspace, book: Book) -> None:
        self.workspace = workspace
        with tempfile.TemporaryDirectory() as folder:
            self.row: BookRow = put_on_record(workspace, book, Path(folder))
        self._look()
        found = read_book(workspace, self.row, ReadingLine(as_of=iso(book.listed_on)), TODAY)
        for name, members in book.lists.items():
            kept = keep(workspace, found, [self.keys.index(key) for key in members if key in self.keys], name)
            for mark in book.marks:
                if mark.list_name == name and mark.customer in members:
                    done = Done(MemberState.CONTACTED, dt.date.fromordinal(mark.day))
                    done = done if mark.contacted else Done(MemberState.LEFT_OUT)
                    work_member(workspace, self.row, kept.id, self.ids[mark.customer], done, "Mo")
        for pair in book.matches:
            match_customers(workspace, self.row, [self.ids[key] for key in pair], Verdict.ONE)
        if book.matches:
            self._look()
        self.book = book.merged()

    def _look(self) -> None:
        """The customers of the book, in its sequence, by their numbers."""
        found = self.workspace.orders(self.row.id).orders
        numbers = found.customers.texts["number"]
        self.keys = [numbers.at(place) for place in range(found.customer_count)]
        self.ids = dict(zip(self.keys, found.customer_id.tolist(), strict=True))

    def answer(self, asking: Asking) -> tuple[list[dict[str, Any]], Facts]:
        """The table of a question, as the program makes it, and what stands beside it."""
        stop, kind = question_called(asking.question)
        answering = stop.answering(kind)
        chosen = {"customer": self.ids[asking.asked["find"]]} if asking.question == "thread" else {}
        question = kind.fields(**asking.choices(), **chosen)
        answer = answering.asked(self.workspace, find_book(self.workspace, self.row.id), question, TODAY)
        rows: list[dict[str, Any]] = answering.sheet(self.workspace, answer).table.to_pylist()
        beside = THERE[asking.question](answer) if asking.has_facts else {}
        return rows, beside


def _draws(count: int) -> list[list[float]]:
    """How often each of so many customers comes in every draw of the program's bootstrap."""
    found: list[list[float]] = bands._weights(count, bands.SEED).tolist()
    return found


def difference(recorded: Recorded, asking: Asking) -> tuple[str, int]:
    """What differs, in words, empty for nothing; and how many figures were compared. A column that the plain figures
    do not have is not compared; one that the program lacks is a difference."""
    line = asking.line
    if asking.list_name:
        line = replace(line, members=frozenset(recorded.book.lists[asking.list_name]))
    reading = read(recorded.book, line)
    try:
        if asking.list_as == "against":
            others = read(recorded.book, replace(line, without=True))
            mine = beside_others(asking.question, reading, others, asking.asked)
        else:
            mine = QUESTIONS[asking.question](reading, asking.asked)
        beside = HERE[asking.question](reading, asking.asked, Given(recorded.keys, _draws)) if asking.has_facts else {}
    except Exception as error:
        raise RuntimeError(f"reference: {asking.words()}") from error
    try:
        theirs, beside_there = recorded.answer(asking)
    except GoldThreadError as refused:
        return ("" if _may_refuse(refused) else f"refused: {refused}"), 0
    except Exception as error:
        return f"{type(error).__name__}: {error}", 0
    return compared(mine, theirs) or _apart(beside, beside_there), sum(map(len, mine)) + len(beside)


def _apart(mine: Facts, theirs: Facts) -> str:
    """What stands beside a table and differs; empty where nothing does."""
    names = dict.fromkeys([*mine, *theirs])
    apart = {name: (mine.get(name), theirs.get(name)) for name in names if not _same(mine.get(name), theirs.get(name))}
    return f"beside: here, there: {dict(list(apart.items())[:4])}" if apart else ""


def _same(mine: Any, theirs: Any) -> bool:
    if isinstance(mine, tuple) and isinstance(theirs, tuple):
        return len(mine) == len(theirs) and all(map(_same, mine, theirs))
    return _equal(theirs, mine) if isinstance(theirs, About) else _equal(mine, theirs)


def _may_refuse(refused: GoldThreadError) -> bool:
    """A side or a field that a small book happens not to have."""
    return any(part in str(refused) for part in ("is called", "names no customers", "no order line"))


def compared(mine: list[dict[str, Any]], theirs: list[dict[str, Any]]) -> str:
    """The first rows that have no counterpart; empty where all have."""
    if len(mine) != len(theirs):
        return f"{len(mine)} rows here, {len(theirs)} there{_unmatched(mine, theirs)}"
    return _unmatched(mine, theirs)


def _unmatched(mine: list[dict[str, Any]], theirs: list[dict[str, Any]]) -> str:
    left = [*theirs]
    for row in mine:
        at = next((at for at, other in enumerate(left) if _alike(row, other)), None)
        if at is None:
            near = max(left, key=lambda other: sum(_equal(v, other.get(k, "?")) for k, v in row.items()), default={})
            apart = {k: (v, near.get(k, "?")) for k, v in row.items() if not _equal(v, near.get(k, "?"))}
            return f"; {_shown(row)}: here, there: {apart}"
        del left[at]
    return f"; only there: {left[0]}" if left else ""


def _shown(row: dict[str, Any]) -> dict[str, Any]:
    return dict(list(row.items())[:5])


def _alike(row: dict[str, Any], other: dict[str, Any]) -> bool:
    return all(_equal(value, other.get(name, "?")) for name, value in row.items())


def _equal(mine: Any, theirs: Any) -> bool:
    match mine:
        case OneOf(values):
            return theirs in values
        case Folded(value):
            return str(theirs).casefold() == value.casefold()
        case About(value, by):
            return theirs not in (None, "?") and abs(float(value) - float(theirs)) <= by + 1e-12 * abs(float(value))
    if isinstance(mine, str | None | dt.date) or isinstance(theirs, str | None | dt.date):
        return bool(mine == theirs)
    if isinstance(theirs, float | np.floating) or isinstance(mine, float):
        return math.isclose(float(mine), float(theirs), rel_tol=1e-9, abs_tol=1e-9)
    if isinstance(theirs, Decimal):
        return Fraction(theirs) == Fraction(mine)
    return bool(mine == theirs)


def smallest(workspace: Workspace, book: Book, asking: Asking, words: str) -> tuple[Book, Asking, str]:
    """The same difference with as few records as a greedy search leaves."""
    for part in _PARTS:
        step = max(1, len(getattr(book, part)) // 2)
        while step:
            place = 0
            while place < len(getattr(book, part)):
                kept = getattr(book, part)[:place] + getattr(book, part)[place + step :]
                fewer = replace(book, **{part: kept}).settled()
                found = _still(workspace, fewer, asking)
                # another fault than the one that is looked for is none
                if found and found.startswith("refused") == words.startswith("refused"):
                    book, words = fewer, found
                else:
                    place += step
            step //= 2
    return book, asking, words


def _still(workspace: Workspace, book: Book, asking: Asking) -> str:
    if not book.orders or (asking.list_name and asking.list_name not in book.lists):
        return ""
    try:
        return difference(Recorded(workspace, book), asking)[0]
    except (GoldThreadError, RuntimeError):
        return ""


def printed(book: Book, asking: Asking, words: str) -> str:
    """A difference as records and a command."""
    lines = [
        asking.words(),
        words,
        *(repr(each) for part in ("orders", "customers", "payments", "spend") for each in getattr(book, part)),
    ]
    return "\n".join([*lines, f"lists: {book.lists}" if asking.list_name else ""])


_ROOM_BOOKS = 200


def workspace_with_room() -> Workspace:
    """The shared record, or a fresh one once it is nearly full of books."""
    if len(list_books(shared_workspace())) > BOOKS_MOST - _ROOM_BOOKS:
        shared_workspace().record.engine.dispose()
        shared_place().close()
        shared_workspace.cache_clear()
        shared_place.cache_clear()
    return shared_workspace()


def differences(seed: int, books: int, each: int, minutes: float = 1e9) -> Iterator[tuple[Book, Asking, str, int]]:
    """Every question that was asked, with what differs and how many figures were compared."""
    until = time.monotonic() + 60 * minutes
    for number in range(seed, seed + books):
        book, draw = random_book(number), random.Random(number)
        recorded = Recorded(workspace_with_room(), book)
        for _ in range(each):
            if time.monotonic() > until:
                return
            asking = random_asking(draw, recorded.book)
            yield book, asking, *difference(recorded, asking)


def main() -> int:
    """A long run: prints every difference, made small, and how many figures agreed."""
    given = argparse.ArgumentParser(description=__doc__)
    given.add_argument("--minutes", type=float, default=60.0)
    given.add_argument("--seed", type=int, default=int(time.time()))
    given.add_argument("--books", type=int, default=1_000_000)
    given.add_argument("--each", type=int, default=300)
    given.add_argument("--shown", type=int, default=5, help="differences that are made small and printed")
    given.add_argument("--question", default="", help="of this question alone")
    options = given.parse_args()
    figures, wrong, asked = 0, Counter[str](), 0
    if options.question:
        kept = QUESTIONS[options.question]
        QUESTIONS.clear()
        QUESTIONS[options.question] = kept
    for book, asking, words, count in differences(options.seed, options.books, options.each, options.minutes):
        figures, asked = figures + count, asked + 1
        if words:
            wrong[asking.question] += 1
            if wrong.total() <= options.shown:
                sys.stdout.write(printed(*smallest(workspace_with_room(), book, asking, words)) + "\n\n")
                sys.stdout.flush()
    sys.stdout.write(f"{asked} questions, {figures} figures, {wrong.total()} differences {dict(wrong)}\n")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
