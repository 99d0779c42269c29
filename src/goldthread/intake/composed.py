"""What several columns make together: a date of its parts, an order number with its shop, an amount of two sides."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from decimal import Decimal

from goldthread.core.records import Problem
from goldthread.intake.dates import month_number
from goldthread.intake.formats import is_negative, plain_amount
from goldthread.intake.layout import file_value
from goldthread.intake.meanings import Choice, Meaning, dated_by
from goldthread.intake.numbers import NumbersPer
from goldthread.intake.questions import Amounts, Cents, Returns
from goldthread.intake.words import return_words

Texts = Sequence[str]
_HUNDRED = Decimal(100)


def date_columns(columns: Mapping[Meaning, str]) -> tuple[Meaning, ...]:
    """The meanings whose texts make a date: one column, or year, month and day; with a time where it stands apart."""
    return (*dated_by(columns), *([Meaning.TIME] if Meaning.TIME in columns else []))


def dates_of(parts: Sequence[Texts], has_time: bool) -> Texts:
    """Dates of their parts, as texts: year, month and day, in this sequence, or a date; then a time."""
    days, times = (parts[:-1], parts[-1]) if has_time else (parts, None)
    dates = days[0] if len(days) == 1 else [_together(*each) for each in zip(*days, strict=True)]
    if times is None:
        return dates
    return [f"{date.strip()} {time.strip()}".strip() for date, time in zip(dates, times, strict=True)]


def _together(year: str, month: str, day: str) -> str:
    number = month_number(month)
    parts = (year.strip(), str(number) if number else month.strip(), day.strip())
    return "-".join(parts) if any(parts) else ""


def numbers_of(numbers: Texts, beside: Texts | None, dates: Texts, per: str) -> Texts:
    """Order numbers with what makes them unique before them: a shop, the year or the day; blank ones stay blank."""
    if per == NumbersPer.YEAR:
        beside = [date[:4] for date in dates]
    elif per == NumbersPer.DAY:
        beside = [date[:10] for date in dates]
    if beside is None:
        return numbers
    pairs = zip(numbers, beside, strict=True)
    return [f"{other.strip()} {number.strip()}".strip() if number.strip() else "" for number, other in pairs]


def difference(debits: Texts, credits: Texts) -> Texts:
    """What is debited less what is credited, of plain decimals; empty where both are."""
    return [
        debit if not credit else f"{Decimal(debit or '0') - Decimal(credit):f}"
        for debit, credit in zip(debits, credits, strict=True)
    ]


def in_units(amounts: Texts, choices: Mapping[Choice, str]) -> Texts:
    """Plain decimals in units of the currency: hundredths where somebody said so."""
    if choices.get(Choice.CENTS) != Cents.YES:
        return amounts
    known: dict[str, str] = {"": ""}
    return [known.get(each) or known.setdefault(each, _hundredth(each)) for each in amounts]


def _hundredth(amount: str) -> str:
    return f"{(Decimal(amount) / _HUNDRED).normalize() + 0:f}"


def negated(amounts: Texts, returns: Sequence[bool], choices: Mapping[Choice, str]) -> Texts:
    """Amounts, those of returns below 0 where somebody said that they are taken off."""
    if choices.get(Choice.RETURNS) != Returns.TAKE_OFF:
        return amounts
    return [
        f"-{amount}" if is_return and amount.strip("0.") and not amount.startswith("-") else amount
        for amount, is_return in zip(amounts, returns, strict=True)
    ]


def left_out(
    numbers: Sequence[int], cells: Sequence[Sequence[str]], returns: Sequence[bool], choices: Mapping[Choice, str]
) -> list[Problem]:
    """The rows that are returns, where somebody said that they are left out."""
    if choices.get(Choice.RETURNS) != Returns.LEAVE_OUT:
        return []
    return [
        Problem(number, "", file_value(row), "The row is a return, and was left out.", "You said so.", rejected=False)
        for number, row, is_return in zip(numbers, cells, returns, strict=True)
        if is_return
    ]


def returns_of(kinds: Texts, name: str) -> list[bool]:
    """Which rows are returns by the words of a column and its name."""
    found = set(return_words(set(kinds), name))
    return [kind in found for kind in kinds]


def returns_by_quantity(quantities: Texts) -> list[bool]:
    """Which rows are returns because their quantity is below 0."""
    return [is_negative(plain_amount(quantity)) for quantity in quantities]


class OncePerOrder:
    """The order's amount stands on each of its lines: the first line that is accepted keeps it, the others have
    none."""

    def __init__(self, choices: Mapping[Choice, str]) -> None:
        self._is_once = choices.get(Choice.AMOUNTS) == Amounts.ONCE
        self._seen: set[int] = set()

    def of(self, numbers: Texts, amounts: Texts) -> Texts:
        """Amounts of accepted rows."""
        if not self._is_once:
            return amounts
        return [amount if self._is_new(number) else "0" for number, amount in zip(numbers, amounts, strict=True)]

    def _is_new(self, number: str) -> bool:
        # a hash takes a third of the room of the number
        key = hash(number)
        known = key in self._seen
        self._seen.add(key)
        return not known
