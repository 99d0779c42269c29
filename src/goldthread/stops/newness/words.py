"""The sentences of new and returning, every choice that they state, and the table as a sheet."""

from __future__ import annotations

import pyarrow as pa

from goldthread.actions.newness import NewnessAnswer, NewnessQuestion, NewnessView, split_names
from goldthread.actions.reading import Read
from goldthread.actions.sheets import Sheet, exact_money, one_under_the_other
from goldthread.actions.thread_wording import LAPSE_WORDS
from goldthread.actions.wording import Control, Option, Part, history_controls, plain, reading_line, words_control
from goldthread.core.cohorts import CellState
from goldthread.core.newness import Measure, NewnessTable, Span

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


def newness_sentence(question: NewnessQuestion) -> list[Part]:
    """The question as people read it aloud."""
    return [
        Part(_MEASURES[question.measure], "measure"),
        Part(" of each "),
        Part(question.period.value, "period"),
        Part(" came from new customers, and " if question.measure is not Measure.CUSTOMERS else " were new, and "),
        Part("how many" if question.measure is not Measure.REVENUE else "how much"),
        Part(" from people coming back?" if question.measure is not Measure.CUSTOMERS else " came back?"),
    ]


def newness_manner(read: Read, question: NewnessQuestion) -> list[Part]:
    """How orders are told apart and the answer is drawn, and who counts as won back."""
    split = f"Split by {read.fields.field(question.split).title}" if question.split else TOGETHER
    lapse = LAPSE_WORDS.get(read.choice.lapse, read.choice.lapse)
    return [
        Part(split, "split"),
        Part(", shown as "),
        Part(_VIEWS[question.view], "view"),
        Part("; won back: again after "),
        Part(lapse, "lapse"),
        Part(" or more without an order."),
    ]


def newness_controls(read: Read, question: NewnessQuestion) -> list[Control]:
    """The choices of the question and of the reading line."""
    titles = {name: read.fields.field(name).title for name in split_names(read)}
    splits = tuple(Option(name, f"Split by {title}") for name, title in titles.items())
    return [
        words_control("period", "Periods", question.period, {each: each.value for each in Span}),
        words_control("measure", "Counted are", question.measure, _MEASURES),
        words_control("view", "Shown as", question.view, _VIEWS),
        Control("split", "Orders", (question.split,), (Option("", TOGETHER), *splits)),
        Control(
            "lapse",
            "Won back is who ordered again after",
            (read.choice.lapse,),
            tuple(Option(value, words) for value, words in LAPSE_WORDS.items()),
        ),
        *history_controls(read),
    ]


def newness_sheet(answer: NewnessAnswer) -> Sheet:
    """One row a period, or one a period and group of the split."""
    read, question = answer.read, answer.question
    sentences = tuple(
        plain(each) for each in (newness_sentence(question), reading_line(read), newness_manner(read, question))
    )
    if answer.groups is None:
        return Sheet(sentences, _rows(answer.table))
    return Sheet(sentences, one_under_the_other((label, _rows(table)) for label, table in answer.groups))


def _rows(table: NewnessTable) -> pa.Table:
    states = [CellState(state).name.lower() for state in table.state.tolist()]
    columns: dict[str, object] = {
        "period": pa.array(table.labels, pa.large_string()),
        "state": pa.array(states, pa.large_string()),
    }
    for kind in ("new", "returning"):
        columns[f"{kind}_orders"] = getattr(table.orders, kind)
    for kind in ("new", "returning"):
        columns[f"{kind}_customers"] = getattr(table.customers, kind)
    for kind in ("new", "returning"):
        columns[f"{kind}_revenue"] = exact_money(getattr(table.revenue_minor, kind))
    columns |= {
        "won_back_orders": table.orders.won_back,
        "won_back_customers": table.customers.won_back,
        "won_back_revenue": exact_money(table.revenue_minor.won_back),
    }
    return pa.table(columns)
