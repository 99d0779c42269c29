"""The sentences of the Threads stop and the choices that they state."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from goldthread.actions.reading import Read
from goldthread.actions.thread_questions import (
    BackdatedQuestion,
    CustomersQuestion,
    Direction,
    Extreme,
    FiguresQuestion,
    OrdersQuestion,
    PairsQuestion,
    ThreadView,
    usual_direction,
)
from goldthread.actions.wording import Control, Option, Part, history_controls, words_control
from goldthread.core.conditions import Level
from goldthread.core.fields import Field, Kind
from goldthread.core.groups import CUSTOMER

Question = CustomersQuestion | OrdersQuestion | FiguresQuestion | PairsQuestion | BackdatedQuestion

_VIEWS = {
    ThreadView.CUSTOMERS: "Customers",
    ThreadView.ORDERS: "One order of each customer",
    ThreadView.FIGURES: "Figures of orders",
    ThreadView.PAIRS: "First and last dates for pairs",
    ThreadView.BACKDATED: "Orders that were backdated",
}
_EXTREMES = {Extreme.BOTH: "earliest and latest", Extreme.EARLIEST: "earliest", Extreme.LATEST: "latest"}
_SEQUENCES = {
    Kind.TEXT: ("A to Z", "Z to A"),
    Kind.LABEL: ("A to Z", "Z to A"),
    Kind.COUNT: ("fewest first", "most first"),
    Kind.DAYS: ("shortest first", "longest first"),
    Kind.RATIO: ("smallest first", "largest first"),
    Kind.MONEY: ("smallest first", "largest first"),
    Kind.DATE: ("earliest first", "latest first"),
}
_RANKS = {1: "first", 2: "second", 3: "third"}
_WHICH_OFFERED = 12
LAPSE_WORDS = {
    "30d": "30 days",
    "60d": "60 days",
    "90d": "90 days",
    "180d": "180 days",
    "3m": "3 calendar months",
    "6m": "6 calendar months",
    "12m": "12 calendar months",
}


def thread_sentence(read: Read, question: Question) -> list[Part]:
    """The question as people read it aloud."""
    match question:
        case CustomersQuestion(by, direction, show):
            return [Part("Customers", "view"), *_listing(read, by, direction, show)]
        case OrdersQuestion(which, by, direction, show):
            order = [Part("The "), Part(which_words(which), "which"), Part(" "), Part("order", "view")]
            return [*order, Part(" of each customer,"), *_listing(read, by, direction, show)]
        case FiguresQuestion(group):
            title = read.fields.field(group).title if group else "nothing: all together"
            return [
                Part("How many orders", "view"),
                Part(", how much, the largest and the smallest, by "),
                Part(title, "group"),
                Part("?"),
            ]
        case PairsQuestion(rows, columns, extreme):
            return [
                Part("The "),
                Part(_EXTREMES[extreme], "extreme"),
                Part(" "),
                Part("order", "view"),
                Part(" of each "),
                Part(_axis(read, rows), "rows"),
                Part(" with each "),
                Part(_axis(read, columns), "columns"),
                Part("."),
            ]
        case BackdatedQuestion():
            return [
                Part("Customers whose orders were backdated", "view"),
                Part(": within one source, a later number stands on an earlier date."),
            ]


def thread_controls(read: Read, question: Question) -> list[Control]:
    """Every choice that the sentence and the reading line state."""
    view = words_control("view", "Show", _view(question), _VIEWS)
    return [view, *_own_controls(read, question), lapse_control(read), *history_controls(read)]


def lapse_control(read: Read) -> Control:
    """After how long a customer is called lapsed."""
    options = tuple(Option(value, label) for value, label in LAPSE_WORDS.items())
    return Control("lapse", "Lapsed after", (read.choice.lapse,), options)


def which_words(which: str) -> str:
    """An order of a customer in words: first, latest, 4th."""
    if not which.isdigit():
        return which
    number = int(which)
    ending = "th" if number % 100 in (11, 12, 13) else {1: "st", 2: "nd", 3: "rd"}.get(number % 10, "th")
    return _RANKS.get(number, f"{number}{ending}")


def _own_controls(read: Read, question: Question) -> list[Control]:
    match question:
        case CustomersQuestion(by, direction, show):
            return _list_controls(read, by, direction, show, lambda field: field.level is Level.CUSTOMER)
        case OrdersQuestion(which, by, direction, show):
            offered = ["first", "latest", *(str(rank) for rank in range(2, _WHICH_OFFERED))]
            named = tuple(Option(each, which_words(each)) for each in offered)
            return [
                Control("which", "Order", (which,), named),
                *_list_controls(read, by, direction, show, lambda _field: True),
            ]
        case FiguresQuestion(group):
            options = (*_label_options(read), Option("", "nothing: all together"))
            return [Control("group", "By", (group,), options)]
        case PairsQuestion(rows, columns, extreme):
            labels = _label_options(read)
            return [
                words_control("extreme", "Date", extreme, _EXTREMES),
                Control("rows", "Rows", (rows,), (Option(CUSTOMER, CUSTOMER), *labels)),
                Control("columns", "Columns", (columns,), labels),
            ]
        case BackdatedQuestion():
            return []


def _list_controls(
    read: Read, by: str, direction: Direction | None, show: Sequence[str], fits: Callable[[Field], bool]
) -> list[Control]:
    field = read.fields.field(by)
    options = tuple(Option(each.name, each.title) for each in read.fields.fields if fits(each))
    up, down = _SEQUENCES[field.kind]
    chosen = direction or usual_direction(field.kind)
    return [
        Control("by", "By", (by,), options),
        words_control("direction", "Sequence", chosen, {Direction.DOWN: down, Direction.UP: up}),
        Control("show", "Columns", tuple(show), options, several=True),
    ]


def _label_options(read: Read) -> tuple[Option, ...]:
    return tuple(Option(field.name, field.title) for field in read.fields.fields if field.kind is Kind.LABEL)


def _view(question: Question) -> ThreadView:
    match question:
        case CustomersQuestion():
            return ThreadView.CUSTOMERS
        case OrdersQuestion():
            return ThreadView.ORDERS
        case FiguresQuestion():
            return ThreadView.FIGURES
        case PairsQuestion():
            return ThreadView.PAIRS
        case BackdatedQuestion():
            return ThreadView.BACKDATED


def _listing(read: Read, by: str, direction: Direction | None, show: Sequence[str]) -> list[Part]:
    """By what a list goes, in which sequence, and what it shows."""
    field = read.fields.field(by)
    return [
        Part(" by "),
        Part(field.title, "by"),
        Part(", "),
        Part(_sequence(field, direction), "direction"),
        Part(", showing "),
        Part(_titles(read, show), "show"),
        Part("."),
    ]


def _sequence(field: Field, direction: Direction | None) -> str:
    up, down = _SEQUENCES[field.kind]
    return up if (direction or usual_direction(field.kind)) is Direction.UP else down


def _titles(read: Read, names: Sequence[str]) -> str:
    return ", ".join(read.fields.field(name).title for name in names) or "no more"


def _axis(read: Read, name: str) -> str:
    return CUSTOMER if name == CUSTOMER else read.fields.field(name).title
