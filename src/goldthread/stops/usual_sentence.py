"""The usual settings of a book as a sentence, each of them a word that can be changed."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from typing import Any

from goldthread.core.choices import LapseBy
from goldthread.core.records import OrderStatus
from goldthread.stops.costs.controls import MARGINS
from goldthread.stops.costs.given import SPEND, Costed, cac_words, margin_words
from goldthread.stops.sentences.lapse import lapse_words
from goldthread.stops.sentences.reading_line import LAPSE_BY_WORDS, LAPSE_WORDS, status_words
from goldthread.stops.sentences.sentence import Control, Option, Part, Words


def usual_sentence(said: Mapping[str, Any]) -> Words:
    """What is usual in a book; where nothing is said, what every question begins with."""
    line = Costed(**said)
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
        Part("."),
    ]

    def control(name: str, title: str, offered: Iterable[str], words: Callable[[str], str]) -> Control:
        now = str(getattr(line, name))
        values = dict.fromkeys([*([now] if now else []), *offered])
        options = [Option(value, words(value)) for value in values]
        if name in said:
            options.append(Option("", "not set" if name == "margin" else "nothing usual"))
        return Control(name, title, (now,), tuple(options))

    controls = [
        control("margin", "Gross margin", MARGINS, margin_words),
        control("cac", "Customer acquisition cost (CAC)", (SPEND, "0"), cac_words),
        control("lapse", "Lapsed after", LAPSE_WORDS, lapse_words),
        control("lapse_by", "What counts", LapseBy, lambda by: LAPSE_BY_WORDS[LapseBy(by)]),
    ]
    statuses = tuple(Option(each.value, each.value) for each in OrderStatus)
    chosen = tuple(each.value for each in line.status)
    controls.append(Control("status", "Statuses that count", chosen, statuses, several=True))
    return Words(sentence, [], controls)
