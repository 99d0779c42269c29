"""The choices of margin and CAC, as every sentence that states them says and offers them."""

from __future__ import annotations

from goldthread.stops.costs.given import NOT_SET, SPEND, Costed, Margined, cac_words, margin_words
from goldthread.stops.reading import Read
from goldthread.stops.sentences.sentence import Control, Part, with_usual
from goldthread.stops.usual import usual_of, usual_words

MARGINS = ("100", "75", "60", "50", "40", "30", "20")


def margin_part(read: Read, question: Margined) -> Part:
    """The gross margin: 42 %; not set."""
    return Part(f"{margin_words(question.margin)}{usual_words(read.book, question, 'margin')}", "margin")


def cac_part(read: Read, question: Costed) -> Part:
    """What winning a customer cost."""
    return Part(f"{cac_words(question.cac)}{usual_words(read.book, question, 'cac')}", "cac")


def revenue_is_shown(question: Margined) -> list[Part]:
    """That revenue stands where profit was asked for, as a sentence; nothing where the margin is known."""
    if question.margin_set:
        return []
    before, after = NOT_SET.split("not set")
    return [Part(f" {before.capitalize()}"), Part("not set", "margin"), Part(f"{after}.")]


def margin_control(read: Read, question: Margined) -> Control:
    """The gross margin; another one can be typed."""
    offered = {each: margin_words(each) for each in (*MARGINS, *([] if "margin" in usual_of(read.book) else [""]))}
    return Control("margin", "Gross margin", (question.margin,), with_usual(read, "margin", offered, margin_words))


def cost_controls(read: Read, question: Costed) -> list[Control]:
    """The gross margin, and what winning a customer cost."""
    offered = {each: cac_words(each) for each in (SPEND, "0")}
    options = with_usual(read, "cac", offered, cac_words)
    return [
        margin_control(read, question),
        Control("cac", "Customer acquisition cost (CAC)", (question.cac,), options),
    ]
