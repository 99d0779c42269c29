"""The sentences of Threads, and the choices that they state."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from goldthread.core.choices import CUSTOMER, Kind
from goldthread.core.history.conditions import Level
from goldthread.core.history.fields import Field, is_grouping
from goldthread.stops.reading import Read
from goldthread.stops.sentences.sentence import (
    Control,
    Option,
    Part,
    Words,
    condition_words,
    count_words,
    lapse_control,
    ordinal,
    term,
    view_control,
    words_control,
)
from goldthread.stops.sentences.sequence import column_words, direction_words, sequence_controls
from goldthread.stops.threads.question import (
    BACKDATED,
    CUSTOMERS,
    FIGURES,
    LOOM,
    NTH,
    ORDERS,
    PAIRS,
    STOP,
    Align,
    BackdatedQuestion,
    CustomersQuestion,
    Extreme,
    FiguresQuestion,
    ListedQuestion,
    ListQuestion,
    LoomQuestion,
    NthQuestion,
    OrdersQuestion,
    PairsQuestion,
)

Question = (
    CustomersQuestion
    | LoomQuestion
    | NthQuestion
    | OrdersQuestion
    | FiguresQuestion
    | PairsQuestion
    | BackdatedQuestion
)

_VIEWS = {
    CUSTOMERS.name: ("Customers", "customer list"),
    LOOM.name: ("Thousands of threads at once", "customer timelines"),
    NTH.name: ("One order of each customer", "first, latest or nth order"),
    ORDERS.name: ("Every order", "order list"),
    FIGURES.name: ("Figures of orders", "order statistics"),
    PAIRS.name: ("First and last dates for pairs", "first and last order dates"),
    BACKDATED.name: ("Orders that were backdated", "backdated orders"),
}
"""Each view in the menu, and what the trade calls it."""
_ALIGNS = {Align.CALENDAR: "by the calendar", Align.FIRST: "by their first orders"}
_EXTREMES = {Extreme.BOTH: "earliest and latest", Extreme.EARLIEST: "earliest", Extreme.LATEST: "latest"}
_RANKS_OFFERED = 12


def thread_words(read: Read, question: Question) -> Words:
    """The question as people read it aloud, and every choice that it states."""
    sentence, controls = _said(read, question)
    name = _view(question)
    controls = [view_control(name, _VIEWS, "Show"), *controls, lapse_control(read)]
    by = column_words(question.sort) if isinstance(question, PairsQuestion) else []
    return Words(sentence, [*term(_VIEWS[name][1], 3), *by], controls)


def list_words(read: Read, question: ListedQuestion, count: int, backdated: int) -> str:
    """What a row of a list is, and how many there are: for one order of each, the customers who have that order."""
    customers = count_words(count, "customer")
    match question:
        case NthQuestion():
            if read.history.shown is not None:
                return f"{customers}, one a row: those whose {rank_words(question.rank)} order meets the condition."
            has = "has" if count == 1 else "have"
            if question.nth > 1:
                return f"{customers} {has} at least {question.nth} orders: one a row."
            return f"{customers} {has} an order: one a row."
        case OrdersQuestion():
            return f"{count_words(count, 'order')}, one a row."
        case BackdatedQuestion():
            return f"{customers} with {count_words(backdated, 'backdated order')}, ringed on the threads."
    return f"{customers}, one a row."


def member_words(read: Read, question: ListedQuestion) -> str:
    """Who the customers of a list are."""
    where = condition_words(read)
    match question:
        case NthQuestion(rank=rank):
            who = f"Customers with a {rank_words(rank)} order"
        case BackdatedQuestion():
            who = "Customers with backdated orders"
        case OrdersQuestion():
            who = "Customers with an order"
        case _:
            who = "Customers" if where else "All customers"
    return f"{who} where {where}" if where else who


def rank_words(rank: str) -> str:
    """An order of a customer in words: first, latest, 4th."""
    if not rank.isdigit():
        return rank
    return ordinal(int(rank))


def _said(read: Read, question: Question) -> tuple[list[Part], list[Control]]:
    """The sentence of a question, and the choices that are its own."""
    match question:
        case CustomersQuestion():
            sentence = [Part("Customers", "view"), *_listing(read, question)]
            return sentence, _list_controls(read, question, lambda field: field.level is Level.CUSTOMER)
        case LoomQuestion():
            return _said_of_loom(read, question)
        case NthQuestion():
            order = [Part("The "), Part(rank_words(question.rank), "rank"), Part(" "), Part("order", "view")]
            offered = ["first", "latest", *(str(rank) for rank in range(2, _RANKS_OFFERED))]
            ranks = Control(
                "rank", "Order", (question.rank,), tuple(Option(each, rank_words(each)) for each in offered)
            )
            return (
                [*order, Part(" of each customer,"), *_listing(read, question)],
                [ranks, *_list_controls(read, question, lambda _field: True)],
            )
        case OrdersQuestion():
            return [Part("Every order", "view"), Part(" with everything its thread shows.")], []
        case FiguresQuestion():
            title = read.fields.field(question.group).title if question.group else "nothing: all together"
            groups = (*_label_options(read), Option("", "nothing: all together"))
            return [
                Part("How many orders", "view"),
                Part(", how much, the largest and the smallest, by "),
                Part(title, "group"),
                Part("?"),
            ], [Control("group", "By", (question.group,), groups)]
        case PairsQuestion():
            return _said_of_pairs(read, question)
        case BackdatedQuestion():
            return [
                Part("Customers whose orders were backdated", "view"),
                Part(": within one source, a later number stands on an earlier date."),
            ], []


def _said_of_loom(read: Read, question: LoomQuestion) -> tuple[list[Part], list[Control]]:
    by = read.fields.field(question.by)
    tone = f"coloured by {read.fields.field(question.tone).title}" if question.tone else "in one colour"
    sentence = [
        Part("Customer timelines", "view"),
        Part(", by "),
        Part(by.title, "by"),
        Part(", "),
        Part(direction_words(by, question.direction), "direction"),
        Part(", "),
        Part(tone, "tone"),
        Part(", aligned "),
        Part(_ALIGNS[question.align], "align"),
        Part("."),
    ]
    fields = [each for each in read.fields.fields if each.level is Level.CUSTOMER]
    toning = (Option(each.name, f"coloured by {each.title}") for each in fields if each.kind is not Kind.TEXT)
    controls = [
        *sequence_controls(read, by, question.direction, lambda field: field.level is Level.CUSTOMER),
        Control("tone", "Colour", (question.tone,), (Option("", "in one colour"), *toning)),
        words_control("align", "Aligned", question.align, _ALIGNS),
    ]
    return sentence, controls


def _said_of_pairs(read: Read, question: PairsQuestion) -> tuple[list[Part], list[Control]]:
    labels = _label_options(read)
    return [
        Part("The "),
        Part(_EXTREMES[question.extreme], "extreme"),
        Part(" "),
        Part("order", "view"),
        Part(" of each "),
        Part(_axis(read, question.rows), "rows"),
        Part(" with each "),
        Part(_axis(read, question.columns), "columns"),
        Part("."),
    ], [
        words_control("extreme", "Date", question.extreme, _EXTREMES),
        Control("rows", "Rows", (question.rows,), (Option(CUSTOMER, CUSTOMER), *labels)),
        Control("columns", "Columns", (question.columns,), labels),
    ]


def _list_controls(read: Read, question: ListQuestion, fits: Callable[[Field], bool]) -> list[Control]:
    field = read.fields.field(question.by)
    options = tuple(Option(each.name, each.title) for each in read.fields.fields if fits(each))
    return [
        *sequence_controls(read, field, question.direction, fits),
        Control("show", "Columns", question.show, options, several=True),
    ]


def _label_options(read: Read) -> tuple[Option, ...]:
    return tuple(Option(field.name, field.title) for field in read.fields.fields if is_grouping(field))


def _view(question: Question) -> str:
    return next(kind.name for kind in STOP.questions if isinstance(question, kind.fields))


def _listing(read: Read, question: ListQuestion) -> list[Part]:
    """By what a list goes, in which sequence, and what it shows."""
    field = read.fields.field(question.by)
    return [
        Part(" by "),
        Part(field.title, "by"),
        Part(", "),
        Part(direction_words(field, question.direction), "direction"),
        Part(", showing "),
        Part(_titles(read, question.show), "show"),
        Part("."),
    ]


def _titles(read: Read, names: Sequence[str]) -> str:
    return ", ".join(read.fields.field(name).title for name in names) or "no more"


def _axis(read: Read, name: str) -> str:
    return CUSTOMER if name == CUSTOMER else read.fields.field(name).title
