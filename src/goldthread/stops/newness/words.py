"""The sentences of new and returning, and every choice that they state."""

from __future__ import annotations

from goldthread.core.choices import Measure
from goldthread.core.cohorts.split import BANDED
from goldthread.core.history.fields import is_grouping
from goldthread.stops.newness.question import NewnessQuestion, NewnessView
from goldthread.stops.reading import Read
from goldthread.stops.sentences.sentence import (
    Control,
    Option,
    Part,
    Words,
    lapse_control,
    lapse_part,
    period_control,
    term,
    words_control,
)

_MEASURES = {
    Measure.ORDERS: "How many orders",
    Measure.CUSTOMERS: "How many customers",
    Measure.REVENUE: "How much revenue",
}
_VIEWS = {
    NewnessView.COLUMNS: "stacked columns",
    NewnessView.SHARES: "shares of each period",
    NewnessView.TABLE: "a table",
}
TOGETHER = "All orders together"


def newness_words(read: Read, question: NewnessQuestion) -> Words:
    """The question, how it is answered, and every choice."""
    return Words(_sentence(question), _manner(read, question), _controls(read, question))


def split_names(read: Read) -> list[str]:
    """The fields by which new and returning can be split: labels of orders or of customers, first amounts in bands."""
    return [each.name for each in read.fields.fields if is_grouping(each) or each.name == BANDED]


def _sentence(question: NewnessQuestion) -> list[Part]:
    return [
        Part(_MEASURES[question.measure], "measure"),
        Part(" of each "),
        Part(question.period.noun, "period"),
        Part(" came from new customers, and " if question.measure is not Measure.CUSTOMERS else " were new, and "),
        Part("how many" if question.measure is not Measure.REVENUE else "how much"),
        Part(" from people coming back?" if question.measure is not Measure.CUSTOMERS else " came back?"),
    ]


def _manner(read: Read, question: NewnessQuestion) -> list[Part]:
    """How orders are split and the answer is drawn, and who counts as won back."""
    split = f"Split by {read.fields.field(question.split).title}" if question.split else TOGETHER
    is_span = read.history.rule.lapse.is_span
    return [
        *term(f"new and returning {question.measure.value}", 6),
        Part(split, "split"),
        Part(", shown as "),
        Part(_VIEWS[question.view], "view"),
        Part(f"; won back: again after {'' if is_span else 'more than '}"),
        lapse_part(read),
        Part(" or more without an order." if is_span else " without an order, as they were expected then."),
    ]


def _controls(read: Read, question: NewnessQuestion) -> list[Control]:
    """The choices of the question and of the reading line."""
    titles = {name: read.fields.field(name).title for name in split_names(read)}
    splits = tuple(Option(name, f"Split by {title}") for name, title in titles.items())
    return [
        period_control(read, "Periods", question.period),
        words_control("measure", "Counted are", question.measure, _MEASURES),
        words_control("view", "Shown as", question.view, _VIEWS),
        Control("split", "Orders", (question.split,), (Option("", TOGETHER), *splits)),
        lapse_control(read, "Won back is who ordered again after"),
    ]
