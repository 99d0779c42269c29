"""The sentences that stand over the letter, and the choices that they state."""

from __future__ import annotations

from goldthread.core.calendar_words import date_words
from goldthread.core.money import money_text, whole_cents
from goldthread.stops.costs import SPEND, cac_words, margin_words
from goldthread.stops.overview.question import SummaryQuestion
from goldthread.stops.reading import Read
from goldthread.stops.sentence import (
    Control,
    Option,
    Part,
    Words,
    count_words,
    lapse_control,
    lapse_words,
    number_words,
)

_MARGINS = ("100", "75", "60", "50", "40", "30", "20")


def summary_words(read: Read, question: SummaryQuestion, orders: int, customers: int, revenue_minor: int) -> Words:
    """The question in words, with what there is."""
    sentence = [Part(f"How does {read.book.name} stand on "), Part(date_words(read.as_of_day), "as_of"), Part("?")]
    since = f", since {date_words(read.history.first_day)}" if orders else ""
    manner = [
        Part(f"{count_words(orders, 'order')} of {count_words(customers, 'customer')}, "),
        Part(f"{money_words(revenue_minor)} {read.book.currency}{since}. Lapsed after "),
        Part(lapse_words(read), "lapse"),
        Part(", gross margin "),
        Part(margin_words(question.margin), "margin"),
        Part(", CAC "),
        Part(cac_words(question.cac), "cac"),
        Part("."),
    ]
    controls = [
        lapse_control(read),
        Control("margin", "Gross margin", (question.margin,), tuple(Option(each, f"{each} %") for each in _MARGINS)),
        Control(
            "cac",
            "Customer acquisition cost (CAC)",
            (question.cac,),
            (Option(SPEND, cac_words(SPEND)), Option("0", cac_words("0"))),
        ),
    ]
    return Words(sentence, manner, controls)


def money_words(minor: float) -> str:
    """An amount as people say it: 3 435 508, or 71.25 where cents matter."""
    text = money_text(whole_cents(minor))
    units, _, cents = text.partition(".")
    sign, digits = ("−", units[1:]) if units.startswith("-") else ("", units)
    whole = f"{sign}{number_words(int(digits))}"
    return whole if len(digits) > 4 else f"{whole}.{cents}"
