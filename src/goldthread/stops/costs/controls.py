"""The choices of margin and CAC, as every sentence that states them offers them."""

from __future__ import annotations

from goldthread.stops.costs.given import SPEND, Costed, Margined, cac_words
from goldthread.stops.sentences.sentence import Control, Option

_MARGINS = ("100", "75", "60", "50", "40", "30", "20")


def margin_control(question: Margined) -> Control:
    """The gross margin; another one can be typed."""
    return Control("margin", "Gross margin", (question.margin,), tuple(Option(each, f"{each} %") for each in _MARGINS))


def cost_controls(question: Costed) -> list[Control]:
    """The gross margin, and what winning a customer cost."""
    options = (Option(SPEND, cac_words(SPEND)), Option("0", cac_words("0")))
    return [
        margin_control(question),
        Control("cac", "Customer acquisition cost (CAC)", (question.cac,), options),
    ]
