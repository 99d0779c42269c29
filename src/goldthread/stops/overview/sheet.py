"""What the Overview says as a table, as text and as a letter."""

from __future__ import annotations

import pyarrow as pa

from goldthread.core.book.periods import period_label, period_of_day
from goldthread.core.calendar_words import date_words
from goldthread.core.choices import Period
from goldthread.stops.letter_page import letter_page
from goldthread.stops.overview.answer import SummaryAnswer
from goldthread.stops.overview.letter import identity_words, looks, paragraphs, plain
from goldthread.stops.sentences.sentence import count_words, sentences
from goldthread.stops.sheet import Sheet
from goldthread.workspace import Workspace

HTML_TYPE = "text/html; charset=utf-8"


def summary_text(answer: SummaryAnswer) -> str:
    """The letter for a terminal."""
    over = sentences(answer.read, answer.words)
    lines = [*over, ""]
    for paragraph in paragraphs(answer):
        lines += [plain(paragraph.said), f"  {plain(paragraph.note)}", ""]
    if not answer.orders:
        lines += ["No order counts yet: deliver a file, or let another status count.", ""]
    found = looks(answer)
    if found:
        lines += ["Check this:", *(f"  {look.what}: {look.why}" for look in found), ""]
    lines += [*(f"{name}: {orders}, {latest}" for name, orders, latest in _sources(answer)), "", identity_words(answer)]
    return "\n".join([*lines, ""])


def summary_html(workspace: Workspace, answer: SummaryAnswer) -> bytes:
    """The letter as one HTML file without anything from elsewhere, for mail programs as they are."""
    return letter_page(summary_sheet(workspace, answer)).encode()


def orders_by_month(answer: SummaryAnswer) -> pa.Table:
    """Orders of the last months, that of the as-of date last."""
    orders = answer.figures.months
    last = period_of_day(answer.read.as_of_day, Period.MONTH)
    months = [period_label(last - back, Period.MONTH) for back in range(orders.size - 1, -1, -1)]
    over = ["complete"] * (orders.size - 1) + ["complete" if answer.figures.month_over else "partial"]
    return pa.table({"month": pa.array(months, pa.large_string()), "orders": orders, "state": over})


def _sources(answer: SummaryAnswer) -> list[tuple[str, str, str]]:
    return [
        (each.name, count_words(each.orders, "order"), f"latest on {date_words(each.latest_day)}")
        for each in answer.figures.sources
    ]


def summary_sheet(_workspace: Workspace, answer: SummaryAnswer) -> Sheet:
    """One row per thing that the letter says, with what it notes."""
    rows = [
        *((each.topic.value, plain(each.said), plain(each.note)) for each in paragraphs(answer)),
        *(("check this", look.what, look.why) for look in looks(answer)),
        *(("source", f"{name}: {orders}", latest) for name, orders, latest in _sources(answer)),
        ("identities", identity_words(answer), ""),
    ]
    table = pa.table(
        {
            name: pa.array([row[place] for row in rows], pa.large_string())
            for place, name in enumerate(("topic", "said", "note"))
        }
    )
    return Sheet(sentences(answer.read, answer.words), table, prose=True)
