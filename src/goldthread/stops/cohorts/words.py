"""The sentences of the cohort table, and every choice that they state."""

from __future__ import annotations

from goldthread.core.book.periods import elapsed_days
from goldthread.core.calendar_words import period_words
from goldthread.core.choices import AgeKind, Average, CohortFigure, Period
from goldthread.core.cohorts.figures import COUNTS
from goldthread.core.cohorts.split import CustomerGroups, split_fields
from goldthread.core.history.fields import FieldValues
from goldthread.stops.cohorts.question import (
    ALL,
    CellChoice,
    CohortQuestion,
    CohortView,
    Columns,
)
from goldthread.stops.costs.controls import cac_part, cost_controls, margin_part, revenue_is_shown
from goldthread.stops.reading import Read
from goldthread.stops.sentences.reading_line import Shown
from goldthread.stops.sentences.sentence import (
    Control,
    Option,
    Part,
    Words,
    calendar_noun,
    count_words,
    numbered,
    period_control,
    term,
    whoever_matches,
    words_control,
)

FIGURES = {
    CohortFigure.RETENTION: "what share ordered",
    CohortFigure.CHURN: "what share did not order",
    CohortFigure.STILL_BUYING: "what share was still ordering",
    CohortFigure.CAME_BACK: "what share had come back",
    CohortFigure.CUSTOMERS: "how many customers ordered",
    CohortFigure.ORDERS: "how many orders came",
    CohortFigure.REVENUE: "how much revenue came",
    CohortFigure.AVERAGE_ORDER_VALUE: "what was the average order worth",
    CohortFigure.REVENUE_PER_CUSTOMER: "how much revenue had each brought",
    CohortFigure.PROFIT_PER_CUSTOMER: "how much profit had each brought",
    CohortFigure.REVENUE_RETENTION: "what share of the first revenue came again",
}
TERMS = {
    CohortFigure.RETENTION: "retention rate",
    CohortFigure.CHURN: "churn rate",
    CohortFigure.STILL_BUYING: "still ordering",
    CohortFigure.CUSTOMERS: "customers who ordered",
    CohortFigure.ORDERS: "number of orders",
    CohortFigure.REVENUE: "cohort revenue",
    CohortFigure.CAME_BACK: "cumulative return rate",
    CohortFigure.AVERAGE_ORDER_VALUE: "average order value (AOV)",
    CohortFigure.REVENUE_PER_CUSTOMER: "cumulative revenue per customer, observed CLV",
    CohortFigure.PROFIT_PER_CUSTOMER: "cumulative profit per customer",
    CohortFigure.REVENUE_RETENTION: "revenue retention",
}
"""What the trade calls the figures whose sentence says it otherwise."""
_AVERAGES = {Average.WEIGHTED: "average weighted by customers", Average.PLAIN: "unweighted average"}
_FIRST_COLUMN = {Shown.SHOWN: "shown", Shown.HIDDEN: "left out"}
_VIEWS = {CohortView.TABLE: "a table", CohortView.BARS: "stacked bars over the calendar", CohortView.LINES: "lines"}
TOGETHER = "All customers together"


def cohort_words(question: CohortQuestion, read: Read, groups: CustomerGroups | None) -> Words:
    """The question, how it is answered, and every choice."""
    return Words(
        _sentence(question),
        [*_manner(question, read), *whoever_matches(read)],
        _controls(question, read, groups),
    )


def _sentence(question: CohortQuestion) -> list[Part]:
    return [
        Part("Of those who first ordered in each "),
        Part(question.period.noun, "period"),
        Part(", "),
        Part(FIGURES[question.figure_shown], "figure"),
        Part(" "),
        Part(age_words(question.period, question.ages), "ages"),
        Part("?"),
    ]


def _manner(question: CohortQuestion, read: Read) -> list[Part]:
    """How customers are split, and how the answer is averaged and laid out."""
    parts = [
        *term(TERMS[question.figure_shown], 5),
        Part(_split_words(question, read.fields), "split"),
        Part(", as "),
        Part(_VIEWS[question.view_shown], "view"),
    ]
    table = question.view_shown is not CohortView.BARS
    if table and question.ages is AgeKind.CALENDAR and not question.split:
        parts += [Part(" by "), Part(_column_words(question, question.columns), "columns")]
    if question.figure_shown is CohortFigure.PROFIT_PER_CUSTOMER:
        parts += [Part("; gross margin "), margin_part(read, question), Part(", CAC "), cac_part(read, question)]
    unset = revenue_is_shown(question) if question.figure_shown is not question.figure else []
    if not table:
        return [*parts, Part("."), *unset]
    if question.figure_shown not in COUNTS:
        parts += [Part("; "), Part(_AVERAGES[question.average], "average")]
    return [
        *parts,
        Part(f"; the first {question.period.noun} "),
        Part(_FIRST_COLUMN[_first_column(question)], "first_column"),
        Part("."),
        *unset,
    ]


def _controls(question: CohortQuestion, read: Read, groups: CustomerGroups | None) -> list[Control]:
    """Every choice that the sentences state, and the group that others are compared with."""
    kinds = tuple(Option(kind, age_words(question.period, kind)) for kind in AgeKind)
    splits = tuple(Option(field.name, f"Split by {field.title}") for field in split_fields(read.fields))
    layouts = tuple(Option(each, _column_words(question, each)) for each in Columns)
    labels = () if groups is None else tuple(Option(label, label) for label in groups.labels)
    return [
        period_control(read, "Cohorts by", question.period),
        Control(
            "figure",
            "Figure",
            (question.figure_shown.value,),
            tuple(Option(figure, words, TERMS[figure]) for figure, words in FIGURES.items()),
        ),
        Control("ages", "Time since the first order", (question.ages.value,), kinds),
        words_control("average", "Averages", question.average, _AVERAGES),
        words_control("first_column", "First column", _first_column(question), _FIRST_COLUMN),
        Control("columns", "Columns are", (question.columns.value,), layouts),
        words_control("view", "Shown as", question.view_shown, _VIEWS),
        Control("split", "Customers", (question.split,), (Option("", TOGETHER), *splits)),
        Control("against", "Compared with", (question.against,), labels),
        *cost_controls(read, question),
    ]


def age_words(period: Period, ages: AgeKind) -> str:
    """What the columns count: that many calendar months later, in each later 30-day window."""
    return (
        f"that many {calendar_noun(period)}s later"
        if ages is AgeKind.CALENDAR
        else f"in each later {elapsed_days(period)}-day window"
    )


def age_phrase(period: Period, ages: AgeKind, age: int) -> str:
    """An age in words: in the same month, 1 calendar month later, in the 3rd later 30-day window."""
    if age == 0:
        return f"in the same {period.noun}" if ages is AgeKind.CALENDAR else f"within {elapsed_days(period)} days"
    if ages is AgeKind.CALENDAR:
        return f"{count_words(age, calendar_noun(period))} later"
    return f"in the {numbered(age)} later {elapsed_days(period)}-day window"


def cell_words(question: CohortQuestion, cell: CellChoice, group: str = "") -> str:
    """Who and what a figure counts, as a sentence without its full stop."""
    period = question.period
    who = "All customers" if cell.cohort == ALL else f"Customers who first ordered in {period_words(cell.cohort)}"
    if cell.group:
        who += f" ({group}: {cell.group})"
    joined = " and" if cell.cohort != ALL or cell.group else " who"
    if cell.period:
        return f"{who} who ordered in {period_words(cell.period)}, whenever they first did"
    if cell.age is None:
        return f"{who}{joined} came back in any {period.noun} after the first"
    when = age_phrase(period, question.ages, cell.age)
    match question.figure_shown:
        case CohortFigure.CHURN:
            return f"{who}{joined} did not order {when}"
        case CohortFigure.STILL_BUYING:
            return f"{who}{joined} ordered {when} or at any later time"
        case CohortFigure.CAME_BACK:
            return f"{who}{joined} came back in a {period.noun} after the first, up to {when.removeprefix('in ')}"
        case CohortFigure.REVENUE_PER_CUSTOMER | CohortFigure.PROFIT_PER_CUSTOMER:
            return f"{who}, and all they ordered up to {when.removeprefix('in ')}"
    return f"{who}, and what they ordered {when}" if cell.age == 0 else f"{who}{joined} ordered {when}"


def _first_column(question: CohortQuestion) -> Shown:
    return Shown.SHOWN if question.first_column_shown else Shown.HIDDEN


def _column_words(question: CohortQuestion, columns: Columns) -> str:
    return "age" if columns is Columns.AGES else calendar_noun(question.period)


def _split_words(question: CohortQuestion, fields: FieldValues) -> str:
    return f"Split by {fields.field(question.split).title}" if question.split else TOGETHER
