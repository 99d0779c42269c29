"""The usual settings of a book as a sentence, each of them a word that can be changed."""

from __future__ import annotations

from calendar import month_name
from collections.abc import Callable, Collection, Mapping
from typing import Any

from goldthread.core.choices import FirstDay, LapseBy
from goldthread.core.records import OrderStatus
from goldthread.stops.costs.controls import MARGINS
from goldthread.stops.costs.given import SPEND, UsualSettings, cac_words, margin_words
from goldthread.stops.sentences.lapse import lapse_words
from goldthread.stops.sentences.reading_line import LAPSE_BY_WORDS, LAPSE_WORDS, status_words
from goldthread.stops.sentences.sentence import Control, Option, Part, Words, count_words

_SMALL = ("10", "20", "30", "50", "100")
_MONTHS = tuple(str(month) for month in range(1, 13))


def usual_sentence(said: Mapping[str, Any]) -> Words:
    """What is usual in a book; where nothing is said, what every question begins with."""
    line = UsualSettings(**said)
    sentence = [
        Part("The gross margin is "),
        Part(margin_words(line.margin), "margin"),
        Part(". The cost of winning a customer (CAC): "),
        Part(cac_words(line.cac), "cac"),
        Part(". A customer is lapsed after "),
        Part(lapse_words(line.lapse), "lapse"),
        Part(" without an order; "),
        Part(LAPSE_BY_WORDS[line.lapse_by], "lapse_by"),
        Part(". Orders that count: "),
        Part(status_words(line.status), "status"),
        Part(". A group is small below "),
        Part(count_words(line.small, "customer"), "small"),
        Part(". The fiscal year begins in "),
        Part(month_name[line.fiscal_month], "fiscal_month"),
        Part(", weeks on "),
        Part(line.week_begins.capitalize(), "week_begins"),
        Part("."),
    ]

    def control(name: str, title: str, offered: Collection[str], words: Callable[[str], str]) -> Control:
        now = str(getattr(line, name))
        values = [*([now] if now and now not in offered else []), *offered]
        options = [Option(value, words(value)) for value in values]
        if name in said:
            options.append(Option("", "not set" if name == "margin" else "nothing usual"))
        return Control(name, title, (now,), tuple(options))

    controls = [
        control("margin", "Gross margin", MARGINS, margin_words),
        control("cac", "Customer acquisition cost (CAC)", (SPEND, "0"), cac_words),
        control("lapse", "Lapsed after", LAPSE_WORDS, lapse_words),
        control("lapse_by", "What counts", tuple(LapseBy), lambda by: LAPSE_BY_WORDS[LapseBy(by)]),
        control("small", "Small below", _SMALL, lambda below: count_words(int(below), "customer")),
        control("fiscal_month", "First month of the fiscal year", _MONTHS, lambda month: month_name[int(month)]),
        control("week_begins", "Weeks begin on", tuple(FirstDay), str.capitalize),
    ]
    statuses = tuple(Option(each.value, each.value) for each in OrderStatus)
    chosen = tuple(each.value for each in line.status)
    controls.append(Control("status", "Statuses that count", chosen, statuses, several=True))
    return Words(sentence, [], controls)
