"""The sentences that govern a view: the same words on the page, in exports and in links.

A sentence is a list of parts; a part with a ``control`` is a word that can be changed, and `controls` lists what to.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from goldthread.actions.questions import (
    LATEST,
    TODAY,
    CohortFigure,
    CohortQuestion,
    FirstColumn,
    HistoryChoice,
    date_words,
)
from goldthread.core.cohorts import Average
from goldthread.core.history import History
from goldthread.core.periods import ELAPSED_DAYS, AgeKind, Period
from goldthread.core.records import OrderStatus


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


_FIGURES = {
    CohortFigure.RETENTION: "what share ordered",
    CohortFigure.CUSTOMERS: "how many customers ordered",
    CohortFigure.ORDERS: "how many orders came",
    CohortFigure.REVENUE: "how much revenue came",
}
_AVERAGES = {Average.WEIGHTED: "weighted by customers", Average.PLAIN: "plain means of the cohorts"}
_FIRST_COLUMN = {FirstColumn.SHOWN: "shown", FirstColumn.HIDDEN: "left out"}


def plain(parts: Sequence[Part]) -> str:
    """A sentence as one text."""
    return "".join(part.text for part in parts)


def reading_line(choice: HistoryChoice, history: History) -> list[Part]:
    """Which orders are read, as of when, and how many are left out."""
    parts = [
        Part("Reading "),
        Part(_sources(choice, history), "source"),
        Part(", "),
        Part(_statuses(choice), "status"),
        Part(", as of "),
        Part(date_words(history.rule.as_of_day), "as_of"),
    ]
    later = history.left_out_after_as_of_count
    if later:
        parts.append(Part(f"; {count_words(later, 'later order')} left out"))
    return [*parts, Part(".")]


def cohort_sentence(question: CohortQuestion) -> list[Part]:
    """The question itself."""
    return [
        Part("Of those who first ordered in each "),
        Part(question.period.value, "period"),
        Part(", "),
        Part(_FIGURES[question.figure], "figure"),
        Part(" "),
        Part(age_words(question.period, question.ages), "ages"),
        Part(" later?"),
    ]


def cohort_manner(question: CohortQuestion) -> list[Part]:
    """How the question is averaged and laid out."""
    first = Part(
        _FIRST_COLUMN[FirstColumn.SHOWN if question.first_column_shown else FirstColumn.HIDDEN], "first_column"
    )
    ending = [Part(f"the first {question.period.value} is "), first, Part(".")]
    if question.figure is CohortFigure.RETENTION:
        return [Part("Averages are "), Part(_AVERAGES[question.average], "average"), Part("; "), *ending]
    return [Part("Totals are counted over all cohorts; "), *ending]


def cohort_controls(question: CohortQuestion, choice: HistoryChoice, history: History) -> list[Control]:
    """Every choice that the sentences state."""
    first = FirstColumn.SHOWN if question.first_column_shown else FirstColumn.HIDDEN
    return [
        Control("period", "Cohorts by", (question.period.value,), tuple(Option(p, p) for p in Period)),
        Control("figure", "Figure", (question.figure.value,), tuple(Option(f, words) for f, words in _FIGURES.items())),
        Control(
            "ages",
            "Time since the first order",
            (question.ages.value,),
            tuple(Option(kind, age_words(question.period, kind)) for kind in AgeKind),
        ),
        Control(
            "average", "Averages", (question.average.value,), tuple(Option(a, words) for a, words in _AVERAGES.items())
        ),
        Control(
            "first_column",
            "First column",
            (first.value,),
            tuple(Option(c, words) for c, words in _FIRST_COLUMN.items()),
        ),
        *history_controls(choice, history),
    ]


def history_controls(choice: HistoryChoice, history: History) -> list[Control]:
    """The choices of the reading line."""
    sources = history.whole.attributes["source"].labels
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
    ]


def age_words(period: Period, ages: AgeKind) -> str:
    """What the columns count: that many calendar months, that many spans of 30 days."""
    return (
        f"that many calendar {period}s"
        if ages is AgeKind.CALENDAR
        else f"that many spans of {ELAPSED_DAYS[period]} days"
    )


def age_phrase(period: Period, ages: AgeKind, age: int) -> str:
    """An age in words: in the same month, 1 calendar month later, 3 spans of 30 days later."""
    if age == 0:
        return f"in the same {period}" if ages is AgeKind.CALENDAR else f"within {ELAPSED_DAYS[period]} days"
    plural = "" if age == 1 else "s"
    if ages is AgeKind.CALENDAR:
        return f"{age} calendar {period}{plural} later"
    return f"{age} span{plural} of {ELAPSED_DAYS[period]} days later"


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
