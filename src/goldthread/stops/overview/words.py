"""The sentences that stand over the letter, and the choices that they state."""

from __future__ import annotations

from goldthread.core.calendar_words import date_words
from goldthread.stops.costs.controls import cac_part, cost_controls, margin_part
from goldthread.stops.overview.question import SummaryQuestion
from goldthread.stops.reading import Read
from goldthread.stops.sentences.amounts import amount_words
from goldthread.stops.sentences.sentence import (
    Part,
    Words,
    count_words,
    lapse_control,
    lapse_part,
    term,
)


def summary_words(read: Read, question: SummaryQuestion, orders: int, customers: int, revenue_minor: int) -> Words:
    """The question in words, with what there is."""
    sentence = [Part(f"How does {read.book.name} stand on "), Part(date_words(read.as_of_day), "as_of"), Part("?")]
    since = f", since {date_words(read.history.first_day)}" if orders else ""
    manner = [
        *term("Business summary", 10),
        Part(f"{count_words(orders, 'order')} of {count_words(customers, 'customer')}, "),
        Part(f"{amount_words(revenue_minor, whole=True)} {read.book.currency}{since}. Lapsed after "),
        lapse_part(read),
        Part(", gross margin "),
        margin_part(read, question),
        Part(", CAC "),
        cac_part(read, question),
        Part("."),
    ]
    return Words(sentence, manner, [lapse_control(read), *cost_controls(read, question)])
