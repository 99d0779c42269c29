"""The loom: thousands of threads at once, and who stands behind some neighbouring ones."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.days import to_day
from goldthread.core.counted import Counted
from goldthread.core.evidence import Behind
from goldthread.core.history.fields import Field
from goldthread.core.history.history import History
from goldthread.core.standing.tally import with_orders
from goldthread.core.threads.loom import Warp, warp
from goldthread.errors import InvalidInput
from goldthread.stops.behind.evidence import Figure, Opened, Unit, opened
from goldthread.stops.reading import Read
from goldthread.stops.sentences.sentence import Words, number_words
from goldthread.stops.sentences.sequence import chosen_direction, customer_field, sequenced
from goldthread.stops.threads.question import LoomFigureName, LoomQuestion
from goldthread.stops.threads.words import thread_words
from goldthread.workspace import Workspace

Int64s = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class LoomAnswer:
    """Threads in a sequence: ``sequence`` are all customers who are looked at and have an order, int64; ``drawn`` those
    of them that are drawn."""

    read: Read
    question: LoomQuestion
    by: Field
    tone: Field | None
    sequence: Int64s
    drawn: Warp

    @property
    def words(self) -> Words:
        """The question in words."""
        return thread_words(self.read, self.question)


def ask_loom(workspace: Workspace, read: Read, question: LoomQuestion) -> LoomAnswer:
    """The threads of everybody who is looked at, in sequence. Raises `InvalidInput` for no field of customers."""
    by, tone = (
        customer_field(read, question.by, "by"),
        customer_field(read, question.tone, "tone") if question.tone else None,
    )
    direction = chosen_direction(by, question.direction)

    def ordered() -> Int64s:
        everybody = read.history.customers
        having = everybody[read.orders.counts.take(everybody) > 0]
        return sequenced(read, by, direction, having)

    sequence = workspace.answer(read.shelved, ("loom", *read.key, by.name, direction), ordered)
    return LoomAnswer(read, question, by, tone, sequence, warp(read.orders, sequence))


def _customers(answer: LoomAnswer, figure: LoomFigureName) -> Int64s:
    """The customers of some neighbouring threads, ascending. Raises `InvalidInput`."""
    count = int(answer.sequence.size)
    last = count - 1 if figure.last is None else figure.last
    if not figure.first <= last < max(count, 1):
        raise InvalidInput(
            f"There are no threads from {figure.first} to {last}.",
            remedy=f"Give places from 0 to {max(count - 1, 0)}.",
            field="last",
        )
    return np.sort(answer.sequence[figure.first : last + 1])


def loom_counted(answer: LoomAnswer, figure: LoomFigureName) -> Counted:
    """Some neighbouring threads with all their orders."""
    customers = _customers(answer, figure)

    def find(history: History) -> Behind:
        behind = with_orders(history, customers)
        return behind if history.shown is None else replace(behind, orders=behind.orders[history.shown[behind.orders]])

    return Counted(answer.read.history.here, find)


def loom_words(answer: LoomAnswer, figure: LoomFigureName) -> str:
    """Whose threads they are, as a sentence without its full stop."""
    count = int(answer.sequence.size)
    last = count - 1 if figure.last is None else figure.last
    return (
        f"Customers {number_words(figure.first + 1)} to {number_words(last + 1)} of {number_words(count)}"
        f" by {answer.by.title}"
    )


def open_loom(answer: LoomAnswer, figure: LoomFigureName, offset: int, limit: int) -> Opened:
    """Some neighbouring threads."""
    counted = loom_counted(answer, figure)
    shown = Figure(Unit.COUNT, float(counted.customers), "customers", f"{loom_words(answer, figure)}.")
    first, last = (to_day(date) for date in answer.read.date_span)
    return opened(shown, counted, (first, last), offset, limit)
