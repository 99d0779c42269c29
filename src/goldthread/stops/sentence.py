"""The sentences that govern a view: the same words on the page, in exports and in links.

A sentence is a list of parts; a part with a ``control`` is a word that can be changed, and `controls` lists what to.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import TypeVar

from goldthread.actions.questions import (
    LATEST,
    TODAY,
    HeldAs,
    HistoryChoice,
    date_words,
)
from goldthread.actions.reading import Read
from goldthread.core.history import Firsts, History
from goldthread.core.records import OrderStatus
from goldthread.cql2.meaning import chooses_orders, in_words
from goldthread.cql2.reading import read_condition
from goldthread.store.holds import HoldRow


@dataclass(frozen=True)
class Part:
    """Some words; ``control`` names the choice that they state."""

    text: str
    control: str | None = None


@dataclass(frozen=True)
class Option:
    """One thing a control can be set to."""

    value: str
    label: str


@dataclass(frozen=True)
class Control:
    """A choice: its name, what is chosen, what can be. ``several`` may be chosen at once when it says so."""

    name: str
    title: str
    chosen: tuple[str, ...]
    options: tuple[Option, ...]
    several: bool = False


LET_GO = "let-go"
"""In place of a hold: the one in hand is to be forgotten."""
_FIRSTS = {Firsts.ALL: "all orders", Firsts.MATCHING: "matching orders only"}
_HELD_AS = {
    HeldAs.ALONE: "alone",
    HeldAs.AGAINST: "against the rest",
    HeldAs.OTHERS: "as left out: everybody else",
}


def plain(parts: Sequence[Part]) -> str:
    """A sentence as one text."""
    return "".join(part.text for part in parts)


def reading_line(read: Read) -> list[Part]:
    """Which orders are read, as of when, under which condition, who is in hand, and how many orders are left out."""
    choice, history = read.choice, read.history
    parts = [
        Part("Reading "),
        Part(_sources(choice, history), "source"),
        Part(", "),
        Part(_statuses(choice), "status"),
        Part(", as of "),
        Part(date_words(history.rule.as_of_day), "as_of"),
        Part(", "),
        *_condition(read),
        *_in_hand(read),
    ]
    later = history.left_out_after_as_of_count
    if later:
        parts.append(Part(f"; {count_words(later, 'later order')} left out"))
    return [*parts, Part(".")]


def _condition(read: Read) -> list[Part]:
    words = condition_words(read)
    if not words:
        return [Part("without condition", "where")]
    said = [Part("where "), Part(words, "where")]
    if chooses_orders(read_condition(read.choice.where), read.fields.by_name):
        said += [Part(", firsts from "), Part(_FIRSTS[read.choice.firsts], "firsts")]
    return said


def _hold_words(hold: HoldRow) -> str:
    return f"{count_words(hold.customer_count, 'customer')}: {hold.words}"


def condition_words(read: Read) -> str:
    """The condition in force as people say it; empty for none."""
    text = read.choice.where
    return in_words(read_condition(text), read.fields.by_name) if text.strip() else ""


def _in_hand(read: Read) -> list[Part]:
    if read.hold is None:
        return [Part(", "), Part("nobody in hand", "held")] if read.holds else []
    held = Part(f"{count_words(read.hold.customer_count, 'customer')} in hand ({read.hold.words})", "held")
    return [Part("; "), held, Part(" shown "), Part(_HELD_AS[read.choice.held_as], "held_as")]


def history_controls(read: Read) -> list[Control]:
    """The choices of the reading line."""
    choice, sources = read.choice, read.history.whole.attributes["source"].labels
    return [
        Control(
            "source",
            "Sources that are read",
            choice.source or sources,
            tuple(Option(name, name) for name in sources),
            several=True,
        ),
        Control(
            "status",
            "Statuses that count",
            tuple(status.value for status in choice.status),
            tuple(Option(status, status) for status in OrderStatus),
            several=True,
        ),
        Control(
            "as_of",
            "As of",
            (choice.as_of,),
            (Option(LATEST, "the last order date"), Option(TODAY, "today")),
        ),
        Control("where", "Condition", (choice.where,), ()),
        words_control("firsts", "Firsts from", choice.firsts, _FIRSTS),
        Control(
            "held",
            "In hand",
            (str(choice.held or ""),),
            (
                *(Option(str(hold.id), _hold_words(hold)) for hold in read.holds),
                Option("", "nobody"),
                *([Option(LET_GO, "nobody, and forget these")] if read.hold else []),
            ),
        ),
        words_control("held_as", "Customers in hand are shown", choice.held_as, _HELD_AS),
    ]


Word = TypeVar("Word", bound=StrEnum)


def words_control(name: str, title: str, chosen: Word, words: Mapping[Word, str]) -> Control:
    """A choice among the members of an enumeration."""
    return Control(name, title, (chosen.value,), tuple(Option(each.value, label) for each, label in words.items()))


def count_words(count: int, noun: str) -> str:
    """A count with its noun, thousands set apart: 1 order, 2 377 customers."""
    return f"{count:,}".replace(",", "\u202f") + f" {noun}" + ("" if count == 1 else "s")


def _sources(choice: HistoryChoice, history: History) -> str:
    if history.rule.sources is None:
        return "orders of every source"
    return f"orders from {_listed(sorted(choice.source))}"


def _statuses(choice: HistoryChoice) -> str:
    out = [status.value for status in OrderStatus if status not in choice.status]
    if not out:
        return "whatever their status"
    if len(choice.status) == 1:
        return f"{choice.status[0].value} ones only"
    return f"{_listed(out)} left out"


def _listed(words: Sequence[str]) -> str:
    return " and ".join(filter(None, [", ".join(words[:-1]), words[-1]]))
