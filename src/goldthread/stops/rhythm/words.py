"""The sentences of Rhythm, and the choices that they state."""

from __future__ import annotations

from goldthread.core.book.days import to_date
from goldthread.core.calendar_words import date_words
from goldthread.core.choices import CUSTOMER, Kind, Period
from goldthread.core.history.conditions import Level
from goldthread.core.history.fields import is_grouping
from goldthread.cql2.meaning import in_words
from goldthread.cql2.reading import read_condition
from goldthread.stops.reading import Read
from goldthread.stops.rhythm.question import (
    COUNTS,
    DUE,
    GAPS,
    NEXT_ORDER,
    ORDER,
    PERIODS,
    STEP,
    STOP,
    TOGETHER,
    CountsQuestion,
    DueQuestion,
    GapsQuestion,
    NextOrderQuestion,
)
from goldthread.stops.rhythm.window import window
from goldthread.stops.sentences.conditions import label_condition, labels_of
from goldthread.stops.sentences.reading_line import InColumns, Shown
from goldthread.stops.sentences.sentence import (
    Control,
    Option,
    Part,
    Words,
    count_words,
    ordinal,
    periods_offered,
    term,
    view_control,
    words_control,
)
from goldthread.stops.sentences.sequence import column_words

Question = CountsQuestion | GapsQuestion | NextOrderQuestion | DueQuestion

_VIEWS = {
    COUNTS.name: ("How many orders", "order frequency"),
    GAPS.name: ("How many days pass", "days between orders"),
    NEXT_ORDER.name: ("How long until the next order", "time to next order (Kaplan-Meier)"),
    DUE.name: ("Who is due", "expected next orders"),
}
"""Each view as its sentence begins, and what the trade calls it."""
BY = {
    STEP: "step by step",
    TOGETHER: "all together",
    CUSTOMER: "customer by customer",
    ORDER: "order by order",
    **{period: f"by the {Period(period).noun} in which they ended" for period in PERIODS},
}
"""By what gaps are shown, beside fields."""
_ZERO = {Shown.HIDDEN: "not shown", Shown.SHOWN: "shown"}
_GROUPS_OFFERED = (3, 5, 8, 10, 15, 20, 30)
_STEPS_OFFERED = 10
_LABELS_OFFERED = 20
_DAYS_OFFERED = tuple(Option(str(day), f"day {day}") for day in (7, 14, 30, 60, 90, 180, 365))
_ANY = "of any kind"
_WITHIN = {"7d": "week", "14d": "2 weeks", "28d": "4 weeks", "56d": "8 weeks", "91d": "13 weeks"}
EVERYBODY = "everybody together"


def rhythm_words(read: Read, question: Question) -> Words:
    """The question as people read it aloud, and every choice that it states."""
    match question:
        case CountsQuestion():
            words = _counts(read, question)
        case GapsQuestion():
            words = _gaps(read, question)
        case NextOrderQuestion():
            words = _next_order(read, question)
        case DueQuestion():
            words = _due(question)
    name = _view(question)
    by = column_words(question.sort) if isinstance(question, InColumns) else []
    manner = [*term(_VIEWS[name][1], 7), *words.manner, *by]
    return Words(words.sentence, manner, [view_control(name, _VIEWS), *words.controls])


def _view(question: Question) -> str:
    return next(kind.name for kind in STOP.questions if isinstance(question, kind.fields))


def _first(question: Question) -> Part:
    return Part(_VIEWS[_view(question)][0], "view")


def _counts(read: Read, question: CountsQuestion) -> Words:
    first, last = (date_words(day) for day in window(read, question))
    sentence = [_first(question), Part(" did customers place from "), Part(first, "from"), Part(" to ")]
    sentence += [Part(last, "to"), Part("?")]
    manner = [
        Part("The last group holds "),
        Part(f"{question.groups} or more", "groups"),
        Part("; customers without an order in the window are "),
        Part(_ZERO[question.zero], "zero"),
        Part("."),
    ]
    if not read.history.shows_all:
        manner.append(Part(" Repeat-purchase rates count all orders, matching or not."))
    begins = to_date(read.history.first_day).isoformat()
    controls = [
        Control("from", "From", (question.from_date or begins,), (Option("", "the first order date"),)),
        Control(
            "to", "To", (question.to_date or to_date(read.as_of_day).isoformat(),), (Option("", "the as-of date"),)
        ),
        Control(
            "groups",
            "Last group",
            (str(question.groups),),
            tuple(Option(str(each), f"{each} or more") for each in _GROUPS_OFFERED),
        ),
        words_control("zero", "Customers without an order in the window", question.zero, _ZERO),
    ]
    return Words(sentence, manner, controls)


def _gaps(read: Read, question: GapsQuestion) -> Words:
    said = BY.get(question.by) or f"by {read.fields.field(question.by).title}"
    sentence = [_first(question), Part(" between an order and the next, "), Part(said, "by"), Part("?")]
    fields = (Option(each.name, f"by {each.title}") for each in read.fields.fields if is_grouping(each))
    left_out = set(Period) - {*periods_offered(read, Period), question.by}
    options = (*(Option(value, label) for value, label in BY.items() if value not in left_out), *fields)
    manner = [Part("A gap belongs to the order that ended it; the first order of a customer ends none.")]
    return Words(sentence, manner, [Control("by", "Gaps", (question.by,), options)])


def _next_order(read: Read, question: NextOrderQuestion) -> Words:
    split = f"split by {read.fields.field(question.split).title}" if question.split else EVERYBODY
    sentence = [
        _first(question),
        Part(" "),
        Part(of_kind(read, question.then) or _ANY, "then"),
        Part(" after the "),
        Part(ordinal(question.step), "step"),
        Part(" "),
        Part(of_kind(read, question.after) or _ANY, "after"),
        Part(", "),
        Part(split, "split"),
        Part("?"),
    ]
    steps = tuple(Option(str(step), ordinal(step)) for step in range(1, _STEPS_OFFERED + 1))
    fields = tuple(Option(each.name, f"split by {each.title}") for each in read.fields.fields if is_grouping(each))
    kinds = tuple(Option(*each) for each in {"": _ANY, **_kinds_offered(read)}.items())
    controls = [
        Control("step", "After the order", (str(question.step),), steps),
        Control("then", "The next order", (question.then,), kinds),
        Control("after", "The order before it", (question.after,), kinds),
        Control("within", "Counted up to day", (str(question.within),), _DAYS_OFFERED),
        Control("split", "Customers", (question.split,), (Option("", EVERYBODY), *fields)),
    ]
    manner = [
        Part("Counted up to "),
        Part(f"day {question.within}", "within"),
        Part(". Whoever has not ordered again yet counts as waiting, up to the as-of date; never as a no."),
    ]
    return Words(sentence, manner, controls)


def of_kind(read: Read, condition: str) -> str:
    """Which orders a condition on them means, as what follows an order in a sentence; empty for any."""
    if not condition.strip():
        return ""
    offered = _kinds_offered(read).get(condition)
    return offered or f"where {in_words(read_condition(condition), read.fields.by_name)}"


def _kinds_offered(read: Read) -> dict[str, str]:
    """Conditions on orders by one label, of the fields that have few labels, and what each means."""
    return {
        label_condition(read, field.name, label): f"with {field.title} {label}"
        for field in read.fields.fields
        if field.level is Level.ORDER and field.kind is Kind.LABEL and field.name != "status"
        for labels in [labels_of(read, field)]
        if len(labels) <= _LABELS_OFFERED
        for label in labels
    }


def _due(question: DueQuestion) -> Words:
    days = question.within.removesuffix("d")
    within = _WITHIN.get(question.within) or (count_words(int(days), "day") if days.isdigit() else question.within)
    sentence = [
        _first(question),
        Part(" in the next "),
        Part(within, "within"),
        Part(", with overdue ones "),
        Part(_ZERO[question.overdue], "overdue"),
        Part("?"),
    ]
    manner = [Part("The next order is expected one usual gap after the latest one.")]
    controls = [
        Control(
            "within",
            "How far ahead",
            (question.within,),
            tuple(Option(value, label) for value, label in _WITHIN.items()),
        ),
        words_control("overdue", "Overdue ones", question.overdue, _ZERO),
    ]
    return Words(sentence, manner, controls)
