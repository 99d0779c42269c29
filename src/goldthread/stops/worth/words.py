"""The sentences of Worth, and the choices that they state."""

from __future__ import annotations

import numpy as np

from goldthread.core.book.periods import elapsed_days
from goldthread.core.choices import AgeKind, Period
from goldthread.core.cohorts.split import split_fields
from goldthread.core.history.fields import FieldValues
from goldthread.core.worth.arithmetic import Arithmetic, Changed
from goldthread.stops.costs.controls import cac_part, cost_controls, margin_control, margin_part, revenue_is_shown
from goldthread.stops.costs.given import NOT_SET
from goldthread.stops.reading import Read
from goldthread.stops.sentences.amounts import NONE, amount_words
from goldthread.stops.sentences.sentence import (
    Control,
    Option,
    Part,
    Words,
    calendar_noun,
    period_control,
    term,
    view_control,
    whoever_matches,
    words_control,
)
from goldthread.stops.sentences.sequence import column_words
from goldthread.stops.worth.groups import ValueGroups
from goldthread.stops.worth.question import (
    BOUGHT,
    COMPARE,
    DIFFERENCE,
    FORECAST,
    LEADS_TO,
    PAYBACK,
    SPEND_BY_MONTH,
    TOP_CUSTOMERS,
    WORTH,
    BoughtBy,
    BoughtQuestion,
    Brought,
    ByAge,
    CompareQuestion,
    PaybackQuestion,
    SpendQuestion,
    SpendShown,
    Top,
    TopCustomersQuestion,
    WorthMeasure,
    WorthQuestion,
    drawn,
)
from goldthread.stops.worth.sides import ChosenGroup, side_options

_VIEWS = {
    WORTH.name: ("A customer brings", "customer lifetime value (CLV)"),
    PAYBACK.name: ("When is winning a customer paid back", "CAC payback period"),
    FORECAST.name: ("What will the customers on record bring", "forecast"),
    DIFFERENCE.name: ("What made the difference", "difference of two ranges, decomposed"),
    SPEND_BY_MONTH.name: ("What was spent to win customers", "customer acquisition cost (CAC)"),
    COMPARE.name: ("Who brought more", "customer value compared"),
    TOP_CUSTOMERS.name: ("Who brings the revenue", "revenue by customer"),
    BOUGHT.name: ("What do customers buy", "revenue by product"),
    LEADS_TO.name: ("What does a first purchase lead to", "next purchase by first category"),
}
"""Each view as its sentence begins, and what the trade calls it."""
_SECTIONS = {FORECAST.name: 14, DIFFERENCE.name: 13}
"""The section of the definitions of what a view shows, where it is not that of Worth."""
TOGETHER = "all customers together"
_CHANGES = ("-10", "-5", "0", "5", "10", "20")
_PARTS = {
    "if_margin": ("the gross margin", "Gross margin, if"),
    "if_cac": ("CAC", "CAC, if"),
    "if_order_value": ("the average order value", "Average order value, if"),
    "if_retention": ("the retention rate", "Retention rate, if"),
}
_BROUGHT = {Brought.PROFIT: "Profit", Brought.REVENUE: "Revenue"}
_SHOWN = {SpendShown.ALL: "every month and channel", SpendShown.PROBLEMS: "what is to be checked"}
TOPS = {
    Top.ALL: "all customers",
    Top.TOP_1: "the top 1 %",
    Top.TOP_5: "the top 5 %",
    Top.TOP_10: "the top 10 %",
    Top.TOP_20: "the top 20 %",
    Top.TOP_50: "the top 50 %",
    Top.HALF: "the fewest who brought half",
}


def worth_words(read: Read, question: WorthQuestion, groups: ValueGroups, changed: Changed | None) -> Words:
    """The arithmetic read aloud, and every choice that it states."""
    found = groups.whole.arithmetic
    sentence = [
        begins(WORTH.name),
        Part(" "),
        Part(amount_words(found.average_order_value_minor), opens=WorthMeasure.AVERAGE_ORDER_VALUE),
        Part(" an order × "),
        Part(decimal_words(found.orders_per_customer), opens=WorthMeasure.ORDERS_PER_CUSTOMER),
        Part(" orders × "),
        Part(lifespan_words(found.lifespan_periods, question.period), opens=WorthMeasure.LIFESPAN),
        *_brought_words(read, question, found),
        Part(", and winning one cost "),
        Part(amount_words(found.cac_minor), opens=WorthMeasure.CAC),
        Part(" ("),
        cac_part(read, question),
        Part(")."),
    ]
    manner = [
        *terms(WORTH.name),
        Part("The projection takes every " if question.margin_set else "Cohorts by "),
        Part(question.period.noun, "period"),
        Part(" to keep the average retention rate; what is observed assumes nothing" if question.margin_set else ""),
        Part(". Ages in "),
        Part(_kind_words(question.period, question.ages), "ages"),
        Part(", "),
        Part(_split_words(question.split, read.fields), "split"),
        Part(". If "),
    ]
    for place, (name, (what, _)) in enumerate(_PARTS.items()):
        manner += [Part(f"{', ' if place else ''}{what} "), Part(_change_words(getattr(question, name)), name)]
    manner.append(Part(f": {if_words(changed, question.period)}" if changed else "."))
    manner += [*revenue_is_shown(question), *whoever_matches(read)]
    controls = [
        *cost_controls(read, question),
        *_by_age_controls(read, question),
        _split_control(read, question.split),
        *(
            Control(
                name, title, (getattr(question, name),), tuple(Option(each, _change_words(each)) for each in _CHANGES)
            )
            for name, (_, title) in _PARTS.items()
        ),
    ]
    return Words(sentence, manner, [views(WORTH.name), *controls])


def _brought_words(read: Read, question: WorthQuestion, found: Arithmetic) -> list[Part]:
    """What a customer brings: projected and observed profit, or revenue where the gross margin is not set."""
    by = _by_age(found, question.period)
    if not question.margin_set:
        age = found.payback.largest_age
        revenue = float("nan") if age is None else float(found.payback.revenue_minor[age])
        observed = Part(f"; {amount_words(revenue)} of revenue observed{by}")
        return [Part(", gross margin "), margin_part(read, question), observed]
    return [
        Part(" at a gross margin of "),
        margin_part(read, question),
        Part(": "),
        Part(amount_words(found.projected_clv_minor, whole=True), opens=WorthMeasure.PROJECTED_CLV),
        Part(" projected; "),
        Part(amount_words(found.observed_gross_minor), opens=WorthMeasure.OBSERVED_GROSS_PROFIT),
        Part(f" observed{by}"),
    ]


def if_words(changed: Changed, period: Period) -> str:
    """What moving some parts would do, always with the word if before it."""
    if np.isnan(changed.gross_margin):
        return f"{NOT_SET}."
    age = changed.break_even_age
    paid = "not paid back yet" if age is None else f"paid back by {period.noun} {age}"
    return f"{amount_words(changed.projected_clv_minor, whole=True)} projected, {paid}."


def payback_words(read: Read, question: PaybackQuestion) -> Words:
    """The question in words."""
    sentence = [
        begins(PAYBACK.name),
        Part(", at a gross margin of " if question.margin_set else ", gross margin "),
        margin_part(read, question),
        Part(" and a cost "),
        cac_part(read, question),
        Part(", "),
        Part(_split_words(question.split, read.fields), "split"),
        Part("?"),
    ]
    manner = [
        *terms(PAYBACK.name),
        Part(_BROUGHT[drawn(question)], "figure"),
        Part(" per customer up to each age: cohorts by "),
        Part(question.period.noun, "period"),
        Part(" of the first order, ages in "),
        Part(_kind_words(question.period, question.ages), "ages"),
        Part("; the average rests on the cohorts that are complete at the age, weighted by customers."),
        *revenue_is_shown(question),
        *whoever_matches(read),
    ]
    controls = [*cost_controls(read, question), *_by_age_controls(read, question), _split_control(read, question.split)]
    brought = words_control("figure", "Drawn", drawn(question), _BROUGHT)
    return Words(sentence, manner, [views(PAYBACK.name), brought, *controls])


def spend_words(question: SpendQuestion) -> Words:
    """The question in words."""
    sentence = [begins(SPEND_BY_MONTH.name), Part(", and how many were won, "), Part(_SHOWN[question.shown], "shown")]
    manner = [
        *terms(SPEND_BY_MONTH.name),
        Part("New customers by the channel of the first order, whoever is looked at; CAC is spend per new customer."),
        *column_words(question.sort),
    ]
    controls = [views(SPEND_BY_MONTH.name), words_control("shown", "Shown", question.shown, _SHOWN)]
    return Words([*sentence, Part("?")], manner, controls)


def compare_words(read: Read, question: CompareQuestion, sides: tuple[ChosenGroup, ChosenGroup]) -> Words:
    """The question in words."""
    one, other = sides
    sentence = [
        begins(COMPARE.name),
        Part(" at the same age, "),
        Part(one.words, "one"),
        Part(" or "),
        Part(other.words, "other"),
        Part("?"),
    ]
    manner = [
        *terms(COMPARE.name),
        *_compared_words(read, question),
        Part("; cohorts by "),
        Part(question.period.noun, "period"),
        Part(", ages in "),
        Part(_kind_words(question.period, question.ages), "ages"),
        Part("."),
        *whoever_matches(read),
    ]
    options = side_options(read)
    controls = [
        Control("one", "Compare", (question.one,), tuple(options)),
        Control("other", "With", (question.other,), (Option("", "everybody else"), *options)),
        margin_control(read, question),
        *_by_age_controls(read, question),
    ]
    return Words(sentence, manner, [views(COMPARE.name), *controls])


def _compared_words(read: Read, question: CompareQuestion) -> list[Part]:
    if question.margin_set:
        return [Part("Profit per customer before CAC, at a gross margin of "), margin_part(read, question)]
    return [Part("Revenue per customer, gross margin "), margin_part(read, question)]


def top_words(question: TopCustomersQuestion) -> Words:
    """The question in words."""
    sentence = [begins(TOP_CUSTOMERS.name), Part(": "), Part(TOPS[question.top], "top"), Part(", the largest first")]
    manner = terms(TOP_CUSTOMERS.name)
    manner.append(
        Part("Revenue of the counted orders; customers of the same revenue stand in the sequence of the book.")
    )
    manner += column_words(question.sort)
    return Words(
        [*sentence, Part(".")], manner, [views(TOP_CUSTOMERS.name), words_control("top", "Show", question.top, TOPS)]
    )


def bought_words(question: BoughtQuestion) -> Words:
    """The question in words."""
    sentence = [begins(BOUGHT.name), Part(", by "), Part(question.by.value, "by"), Part("?")]
    manner = [
        *terms(BOUGHT.name),
        Part("From the order lines themselves: an order with lines of several counts for each of them."),
        *column_words(question.sort),
    ]
    by = {each: each.value for each in BoughtBy}
    return Words(sentence, manner, [views(BOUGHT.name), words_control("by", "By", question.by, by)])


def leads_to_words() -> Words:
    """The question in words."""
    manner = [
        *terms(LEADS_TO.name),
        Part(
            "Of those whose first order was mainly of a category, the share with a line of each category in a later "
            "order, so far. Those who came late had less time."
        ),
    ]
    return Words([begins(LEADS_TO.name), Part("?")], manner, [views(LEADS_TO.name)])


def decimal_words(value: float) -> str:
    """A ratio with one decimal; a dash where there is none."""
    return NONE if np.isnan(value) else f"{value:.1f}"


def lifespan_words(periods: float, period: Period) -> str:
    """A lifespan: 3.8 months; unbounded where nobody ever stayed away."""
    if np.isinf(periods):
        return f"{period.noun}s without end"
    return f"{decimal_words(periods)} {period.noun}s"


def _by_age(found: Arithmetic, period: Period) -> str:
    age = found.payback.largest_age
    return "" if age is None else f" by {period.noun} {age}"


def begins(name: str) -> Part:
    """How the sentence of a view begins."""
    return Part(_VIEWS[name][0], "view")


def terms(name: str) -> list[Part]:
    """What the trade calls a view."""
    return term(_VIEWS[name][1], _SECTIONS.get(name, 9))


def views(name: str) -> Control:
    """The choice among the views."""
    return view_control(name, _VIEWS)


def _kind_words(period: Period, ages: AgeKind) -> str:
    return f"{calendar_noun(period)}s" if ages is AgeKind.CALENDAR else f"{elapsed_days(period)}-day windows"


def _split_words(name: str, fields: FieldValues) -> str:
    return f"split by {fields.field(name, 'split').title}" if name else TOGETHER


def _change_words(percent: str) -> str:
    if percent.strip() in ("0", "-0", "0.0", ""):
        return "stays"
    return f"falls by {percent.strip()[1:]} %" if percent.strip().startswith("-") else f"rises by {percent.strip()} %"


def _by_age_controls(read: Read, question: ByAge) -> list[Control]:
    kinds = tuple(Option(kind.value, _kind_words(question.period, kind)) for kind in AgeKind)
    return [
        period_control(read, "Cohorts by", question.period),
        Control("ages", "Time since the first order", (question.ages.value,), kinds),
    ]


def _split_control(read: Read, split: str) -> Control:
    fields = tuple(Option(each.name, f"split by {each.title}") for each in split_fields(read.fields))
    return Control("split", "Customers", (split,), (Option("", TOGETHER), *fields))
