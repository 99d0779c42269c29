"""The sentences that govern a view: the same words on the page, in exports and in links.

A sentence is a list of parts; a part with a ``control`` is a word that can be changed, and `controls` lists what to.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import TypeVar

from goldthread.core.calendar_words import date_words
from goldthread.core.choices import Firsts, OrderUnit, Period, Span
from goldthread.core.history.history import History
from goldthread.core.records import OrderStatus
from goldthread.cql2.meaning import chooses_orders, in_words
from goldthread.cql2.reading import read_condition
from goldthread.stops.reading import Read
from goldthread.stops.sentences.lapse import lapse_words
from goldthread.stops.sentences.reading_line import (
    LAPSE_WORDS,
    LATEST,
    TODAY,
    ListAs,
    ReadingLine,
    listed,
    status_words,
)
from goldthread.stops.usual import usual_of, usual_words
from goldthread.store.lists import ListRow


@dataclass(frozen=True)
class Part:
    """Some words; ``control`` names the choice that they state, ``opens`` the figure that they are, ``term`` the
    section of docs/definitions.md that says what they mean."""

    text: str
    control: str | None = None
    opens: str | None = None
    term: int | None = None


def term(name: str, section: int) -> list[Part]:
    """What the trade calls what is shown; the quiet line begins with it."""
    return [Part(f"{name[0].upper()}{name[1:]}", term=section), Part(". ")]


@dataclass(frozen=True)
class Option:
    """One thing a control can be set to; ``term`` is what the trade calls it, where that is another word."""

    value: str
    label: str
    term: str = ""


@dataclass(frozen=True)
class Control:
    """A choice: its name, what is chosen, what can be. ``several`` may be chosen at once when it says so."""

    name: str
    title: str
    chosen: tuple[str, ...]
    options: tuple[Option, ...]
    several: bool = False


_FIRSTS = {Firsts.ALL: "all orders", Firsts.MATCHING: "matching orders"}
_UNITS = {OrderUnit.ORDER: "orders", OrderUnit.PURCHASE_DAY: "purchase days"}
_UNIT_TERMS = {
    OrderUnit.ORDER: "each order counts",
    OrderUnit.PURCHASE_DAY: "a customer's orders of one date count as one",
}
LISTED, EVERYBODY_ELSE = "on the list", "everybody else"
"""Two groups of customers, where a list is compared."""
_LIST_AS = {
    ListAs.ALONE: "only",
    ListAs.AGAINST: f"compared with {EVERYBODY_ELSE}",
    ListAs.WITHOUT: "without",
}


@dataclass(frozen=True)
class Words:
    """A question in words: the sentence itself, how it is answered, and every choice that both state."""

    sentence: list[Part]
    manner: list[Part]
    controls: list[Control]


def plain(parts: Sequence[Part]) -> str:
    """A sentence as one text."""
    return "".join(part.text for part in parts)


def reading_line(read: Read) -> list[Part]:
    """Which orders are read, as of when, under which condition, with which list, and how many orders are left out."""
    line, history = read.line, read.history
    parts = [
        Part("Reading "),
        Part(_UNITS[line.unit], "unit"),
        Part(" "),
        Part(_sources(line, history), "source"),
        Part(", "),
        Part(f"{status_words(line.status)}{usual_words(read.book, line, 'status')}", "status"),
        Part(", as of "),
        Part(date_words(history.rule.as_of_day), "as_of"),
        Part(", "),
        *_condition(read),
        *_list_in_use(read),
    ]
    later = history.left_out_after_as_of_count
    if later:
        parts.append(Part(f"; {count_words(later, 'later order')} left out"))
    return [*parts, Part(".")]


def sentences(read: Read, words: Words) -> tuple[str, ...]:
    """What stands over an answer wherever it goes."""
    return tuple(plain(parts) for parts in (words.sentence, reading_line(read), words.manner) if parts)


def _condition(read: Read) -> list[Part]:
    words = condition_words(read)
    if not words:
        return [Part("no filter", "where")]
    said = [Part("where "), Part(words, "where")]
    if chooses_orders(read_condition(read.line.where), read.fields.by_name):
        said += [Part(", first order among "), Part(_FIRSTS[read.line.firsts], "firsts")]
    return said


def condition_words(read: Read) -> str:
    """The condition in force as people say it; empty for none."""
    text = read.line.where
    return in_words(read_condition(text), read.fields.by_name) if text.strip() else ""


def _list_in_use(read: Read) -> list[Part]:
    if read.chosen_list is None:
        return [Part(", "), Part("no list", "list")] if read.lists else []
    name = Part(list_words(read.chosen_list), "list")
    used = Part(_LIST_AS[read.line.list_as], "list_as")
    named_first = read.line.list_as is ListAs.AGAINST
    return [Part("; "), *((name, Part(" "), used) if named_first else (used, Part(" "), name))]


def list_words(row: ListRow) -> str:
    """A customer list by its name, and how many it holds."""
    return f"{row.name} ({count_words(row.customer_count, 'customer')})"


def whoever_matches(read: Read) -> list[Part]:
    """What a condition on orders leaves as it is, where figures are per customer; nothing without one."""
    if read.history.shown is None:
        return []
    return [Part(" Customers without a matching order count as customers; orders and amounts are the matching ones.")]


def history_controls(read: Read) -> list[Control]:
    """The choices of the reading line."""
    line, sources = read.line, read.history.whole.attributes["source"].labels
    return [
        Control(
            "unit",
            "What counts as one",
            (line.unit.value,),
            tuple(Option(unit.value, _UNITS[unit], _UNIT_TERMS[unit]) for unit in OrderUnit),
        ),
        Control(
            "source",
            "Sources that are read",
            line.source or sources,
            tuple(Option(name, name) for name in sources),
            several=True,
        ),
        Control(
            "status",
            "Statuses that count",
            tuple(status.value for status in line.status),
            tuple(Option(status, status) for status in OrderStatus),
            several=True,
        ),
        Control(
            "as_of",
            "As of",
            (line.as_of,),
            (Option(LATEST, "the last order date"), Option(TODAY, "today")),
        ),
        Control("where", "Filter", (line.where,), ()),
        words_control("firsts", "First order among", line.firsts, _FIRSTS),
        Control(
            "list",
            "Customer list",
            ("" if read.chosen_list is None else read.chosen_list.name,),
            (*(Option(each.name, list_words(each)) for each in read.lists), Option("", "no list")),
        ),
        words_control("list_as", "The list is used", line.list_as, _LIST_AS),
    ]


def lapse_part(read: Read) -> Part:
    """After how long without an order a customer is called lapsed: 90 days, 6 calendar months, 1.5 usual gaps."""
    return Part(f"{lapse_words(read.line.lapse)}{usual_words(read.book, read.line, 'lapse')}", "lapse")


def lapse_control(read: Read, title: str = "Lapsed after") -> Control:
    """After how long without an order a customer is called lapsed."""
    return Control("lapse", title, (read.line.lapse,), with_usual(read, "lapse", LAPSE_WORDS, lapse_words))


def with_usual(read: Read, name: str, offered: Mapping[str, str], words: Callable[[str], str]) -> tuple[Option, ...]:
    """What a choice can be set to: the usual value first, where the book has one, and those that are offered."""
    usual = usual_of(read.book).get(name)
    first = () if usual is None else (Option(usual, words(usual), "usual"),)
    return (*first, *(Option(value, label) for value, label in offered.items() if value != usual))


Word = TypeVar("Word", bound=StrEnum)


def words_control(name: str, title: str, chosen: Word, words: Mapping[Word, str]) -> Control:
    """A choice among the members of an enumeration."""
    return Control(name, title, (chosen.value,), tuple(Option(each.value, label) for each, label in words.items()))


Length = TypeVar("Length", Period, Span)


def periods_offered(read: Read, lengths: type[Length]) -> list[Length]:
    """The lengths of a period, fiscal ones where the book says when its fiscal year begins."""
    has_fiscal = usual_of(read.book).get("fiscal_month", 1) != 1
    return [each for each in lengths if has_fiscal or not each.is_fiscal]


def period_control(read: Read, title: str, chosen: Length) -> Control:
    """The choice of a length of a period."""
    lengths: type[Length] = type(chosen)
    words = {each: each.noun for each in periods_offered(read, lengths)}
    return words_control("period", title, chosen.kind, words | {chosen.kind: chosen.noun})


def calendar_noun(period: Period) -> str:
    """A period as one of the calendar: calendar month, fiscal year."""
    return period.noun if period.is_fiscal else f"calendar {period.noun}"


def view_control(shown: str, views: Mapping[str, tuple[str, str]], title: str = "Ask") -> Control:
    """The questions of a stop, each as it is offered and as the trade calls it."""
    return Control(
        "view", title, (shown,), tuple(Option(name, label, called) for name, (label, called) in views.items())
    )


def number_words(count: int) -> str:
    """A count, thousands set apart: 2 377."""
    return f"{count:,}".replace(",", "\u202f")


def count_words(count: int, noun: str) -> str:
    """A count with its noun: 1 order, 2 377 customers."""
    return f"{number_words(count)} {noun}" + ("" if count == 1 else "s")


def percent_words(part: int, whole: int) -> str:
    """A share of some: 43 %."""
    return f"{100 * part / whole:.0f} %" if whole else "—"


def ordinal(number: int) -> str:
    """A rank in words: first, second, 4th."""
    return {1: "first", 2: "second", 3: "third"}.get(number) or numbered(number)


def numbered(number: int) -> str:
    """A rank as a number: 1st, 2nd, 4th."""
    ending = "th" if number % 100 in (11, 12, 13) else {1: "st", 2: "nd", 3: "rd"}.get(number % 10, "th")
    return f"{number}{ending}"


def _sources(line: ReadingLine, history: History) -> str:
    if history.rule.sources is None:
        return "of every source"
    return f"from {listed(sorted(line.source))}"
