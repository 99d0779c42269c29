"""What a file leaves open about how it counts: asked in one sentence, with the answers that there are.

Each question is found over all rows, given which column carries which meaning. One with an answer of its own is said,
and can be answered otherwise; one without must be answered before the file is imported.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from goldthread.core.records import OF_ORDERS, FileKind
from goldthread.intake import words
from goldthread.intake.matching import FEW_MISTAKES, Sample
from goldthread.intake.meanings import Choice, Meaning
from goldthread.intake.names import senses_of, speaks_of_cents
from goldthread.intake.numbers import NumbersPer, number_key

_FEWEST_ORDERS, _FEW_ORDERS, _MANY_KINDS = 2, 5, 0.3


class Returns(StrEnum):
    """What becomes of a row that is a return, a refund or a credit note although its amount is above 0."""

    TAKE_OFF = "take_off"
    LEAVE_OUT = "leave_out"
    COUNT = "count"


class Cents(StrEnum):
    """Whether amounts count hundredths."""

    YES = "yes"
    NO = "no"


class Amounts(StrEnum):
    """Whether the amount on a line is the line's own, or that of the whole order on each of them."""

    EACH = "each"
    ONCE = "once"


class Wide(StrEnum):
    """Whether cells that stand side by side become rows of their own."""

    ROWS = "rows"
    COLUMNS = "columns"


AS_THEY_ARE, STRIPPED = "0", "1"
"""Customers' numbers as they are, or without zeros before them; any larger number is how many digits they are filled up
to."""

ANSWERS: Mapping[Choice, Mapping[str, str]] = {
    Choice.RETURNS: {
        Returns.TAKE_OFF: "taken off the revenue",
        Returns.LEAVE_OUT: "left out",
        Returns.COUNT: "counted as they are",
    },
    Choice.CENTS: {Cents.YES: "hundredths", Cents.NO: "whole units"},
    Choice.AMOUNTS: {Amounts.ONCE: "the order's, counted once", Amounts.EACH: "each line's own, added up"},
    Choice.NUMBERS: {
        NumbersPer.ALONE: "in the whole source",
        NumbersPer.YEAR: "within a year",
        NumbersPer.DAY: "within a day",
    },
    Choice.WIDE: {Wide.ROWS: "a row for each cell", Wide.COLUMNS: "left as columns"},
    Choice.PAD: {AS_THEY_ARE: "left as they are", STRIPPED: "without zeros before them"},
}
"""What can be answered, and how it is said on the page."""


@dataclass(frozen=True)
class Question:
    """Something about a file that its columns do not settle. ``text`` is a question; ``found`` the answer that the data
    give, empty where somebody must say it; ``further`` are answers of this file's own."""

    choice: Choice
    text: str
    found: str = ""
    further: Mapping[str, str] = field(default_factory=dict)

    @property
    def answers(self) -> Mapping[str, str]:
        return {**ANSWERS[self.choice], **self.further}


def questions_of(table: Sample, kind: FileKind, columns: Mapping[Meaning, str]) -> list[Question]:
    """What a file leaves open when its columns carry these meanings."""
    asked = [_cents(table, columns)]
    if kind in OF_ORDERS:
        asked += [_numbers(table, columns), _returns(table, columns)]
    if kind is FileKind.LINES:
        asked.append(_amounts(table, columns))
    return [question for question in asked if question is not None]


def _returns(table: Sample, columns: Mapping[Meaning, str]) -> Question | None:
    name, amount = columns.get(Meaning.RETURN), columns.get(Meaning.AMOUNT) or columns.get(Meaning.UNIT_PRICE)
    if amount is None or table.column(amount).amounts.negative:
        return None
    if name is None:
        return _returns_by_quantity(table, columns)
    kinds = table.column(name).statuses
    found = words.return_words(kinds.counts, name)
    if not found:
        return None
    said = ", ".join(f"“{kinds.words[word]}” in {_rows(kinds.counts[word])}" for word in found)
    return Question(Choice.RETURNS, f"“{name}” has {said}, and no amount is below 0: what becomes of these rows?")


def _rows(count: int) -> str:
    return "1 row" if count == 1 else f"{count} rows"


def _returns_by_quantity(table: Sample, columns: Mapping[Meaning, str]) -> Question | None:
    """Quantities below 0 whose amounts are not: a return whose amount lost its sign."""
    name = columns.get(Meaning.QUANTITY)
    if name is None or Meaning.AMOUNT not in columns or not table.column(name).amounts.negative:
        return None
    return Question(Choice.RETURNS, f"“{name}” is below 0 in some rows, and no amount is: what becomes of these rows?")


def _cents(table: Sample, columns: Mapping[Meaning, str]) -> Question | None:
    priced = [columns[each] for each in (Meaning.AMOUNT, Meaning.UNIT_PRICE, Meaning.DEBIT) if each in columns]
    for name in priced:
        amounts = table.column(name).amounts
        if speaks_of_cents(name) and amounts.is_whole:
            example = amounts.whole
            return Question(
                Choice.CENTS, f"“{name}” speaks of hundredths: is {example} meant as {int(example) / 100:.2f}?"
            )
    return None


def _numbers(table: Sample, columns: Mapping[Meaning, str]) -> Question | None:
    if Meaning.NUMBER_WITH in columns or Meaning.ORDER_NUMBER not in columns:
        return None
    key = number_key(table, columns)
    if key.is_open:
        return Question(
            Choice.NUMBERS,
            f"One order number stands for several customers or dates in {key.rows} of {table.rows} rows: which column "
            "is part of the order number, or within what is it unique?",
        )
    if key.per is NumbersPer.ALONE:
        return None
    text = f"Order numbers begin anew every {key.per}: within what are they unique?"
    return Question(Choice.NUMBERS, text, key.per)


def _amounts(table: Sample, columns: Mapping[Meaning, str]) -> Question | None:
    """The amount that is constant within orders and differs between them is the order's."""
    number, amount = columns.get(Meaning.ORDER_NUMBER), columns.get(Meaning.AMOUNT)
    if number is None or amount is None or "line" in senses_of(amount)[0]:
        return None
    key = number_key(table, columns)
    inside = table.compared.inside(key.places, table.place(amount))
    if inside.compared < _FEWEST_ORDERS or inside.differing > FEW_MISTAKES * inside.compared:
        return None
    if table.distinct(amount) < max(2, _MANY_KINDS * table.compared.distinct(*key.places)):
        return None
    found = Amounts.ONCE if inside.compared >= _FEW_ORDERS else ""
    text = f"“{amount}” is the same on all lines of {inside.compared} orders with several: whose amount is it?"
    return Question(Choice.AMOUNTS, text, found)
