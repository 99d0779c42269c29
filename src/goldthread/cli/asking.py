"""``goldthread ask``: the questions that the page asks, under the same names.

What answers a question is imported when one is asked, so that help and wrong calls come at once.
"""

from __future__ import annotations

import functools
import json
from collections.abc import Callable
from enum import Enum, StrEnum
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from goldthread.actions.cohort_questions import (
    SPEND,
    CohortQuestion,
    CohortView,
    Columns,
    FirstColumn,
    Layout,
)
from goldthread.actions.newness_questions import NewnessQuestion, NewnessView
from goldthread.actions.questions import HeldAs, HistoryChoice
from goldthread.actions.thread_questions import (
    SHOWN_OF_CUSTOMERS,
    SHOWN_OF_ORDERS,
    BackdatedQuestion,
    CustomersQuestion,
    Direction,
    Extreme,
    FiguresQuestion,
    OrdersQuestion,
    PairsQuestion,
)
from goldthread.cli.words import Words
from goldthread.core.choices import (
    CUSTOMER,
    AgeKind,
    Average,
    CohortFigure,
    Firsts,
    Measure,
    Period,
    Span,
)
from goldthread.core.records import OrderStatus
from goldthread.errors import NotFound

if TYPE_CHECKING:
    from goldthread.actions.reading import Read
    from goldthread.actions.sheets import Sheet
    from goldthread.actions.thread_wording import Question
    from goldthread.actions.workspace import Workspace

Command = Callable[..., None]
_OUT = click.option("--out", type=click.Path(dir_okay=False, path_type=Path), help="A file to write to.")
_OF_THE_CALL = frozenset({"book_name", "form", "out", "customer", "rank"})
"""What a call says beside the question itself."""


class SheetForm(StrEnum):
    """How the table of an answer is given."""

    TABLE = "table"
    CSV = "csv"
    JSON = "json"
    XLSX = "xlsx"
    PARQUET = "parquet"


def history_options(command: Command) -> Command:
    """The reading line's flags; the command is given a ``history``."""

    @functools.wraps(command)
    def told(
        as_of: str,
        status: tuple[OrderStatus, ...],
        source: tuple[str, ...],
        where: str,
        firsts: Firsts,
        held: int | None,
        held_as: HeldAs,
        lapse: str,
        **further: Any,
    ) -> None:
        statuses = tuple(s for s in OrderStatus if s in status) if status else HistoryChoice().status
        sources = tuple(sorted(source))
        command(history=HistoryChoice(as_of, statuses, sources, where, firsts, held, held_as, lapse), **further)

    options: tuple[Callable[[Any], Any], ...] = (
        click.option("--book", "book_name", required=True),
        click.option("--as-of", default=HistoryChoice().as_of, help="latest, today, or a date."),
        click.option("--status", multiple=True, type=Words(OrderStatus), help="A status that counts; repeatable."),
        click.option("--source", multiple=True, help="A source that is read; repeatable. All when not given."),
        click.option("--where", default="", help="A condition as CQL2 text."),
        click.option("--firsts", type=Words(Firsts), default=Firsts.ALL, help="Of which orders firsts are."),
        click.option("--held", type=click.IntRange(1, 2**31 - 1), default=None, help="The number of a hold."),
        click.option("--held-as", type=Words(HeldAs), default=HeldAs.ALONE),
        click.option("--lapse", default=HistoryChoice().lapse, help="When a customer is lapsed, such as 90d or 6m."),
    )
    for option in reversed(options):
        option(told)
    return told


def _sheet_options(command: Command) -> Command:
    """The reading line's flags and those of a table's form."""
    form = click.option("--format", "form", type=Words(SheetForm), default=SheetForm.TABLE)
    return history_options(form(_OUT(command)))


def _list_options(command: Command) -> Command:
    """The flags of a list, which is given whole but as JSON."""
    offset = click.option("--offset", type=click.IntRange(0, 2**31 - 1), default=0, help="Of JSON: the first row.")
    limit = click.option("--limit", type=click.IntRange(1, 500), default=60, help="Of JSON: how many rows.")
    return _sheet_options(offset(limit(command)))


@click.group("ask")
def ask_group() -> None:
    """Ask a question of a book."""


@ask_group.command("cohorts")
@_sheet_options
@click.option("--period", type=Words(Period), default=Period.MONTH)
@click.option("--ages", type=Words(AgeKind), default=AgeKind.CALENDAR)
@click.option("--figure", type=Words(CohortFigure), default=CohortFigure.RETENTION)
@click.option("--average", type=Words(Average), default=Average.WEIGHTED)
@click.option("--first-column", type=Words(FirstColumn), default=None)
@click.option("--columns", type=Words(Columns), default=Columns.AGES, help="Of the grid: ages, or calendar periods.")
@click.option("--view", type=Words(CohortView), default=CohortView.TABLE, help="How the page draws it.")
@click.option("--split", default="", help="The field by which customers are told apart.")
@click.option("--against", default="", help="The group that the others are compared with.")
@click.option("--margin", default="100", help="Gross margin in percent, for profit.")
@click.option("--cac", default=SPEND, help="What winning a customer cost, or spend for what is recorded.")
@click.option("--layout", type=Words(Layout), default=Layout.TIDY, help="Of CSV, XLSX and Parquet.")
def ask_cohorts(
    book_name: str, history: HistoryChoice, form: SheetForm, layout: Layout, out: Path | None, **choices: Any
) -> None:
    """Of those who first ordered in the same period, who came back, when, for how much?"""
    from goldthread.actions import books
    from goldthread.actions.cohorts import ask_cohorts as answer_cohorts
    from goldthread.actions.tables import cohort_sheet, cohorts_csv
    from goldthread.actions.workspace import asked_anew
    from goldthread.cli.table import cohort_text

    workspace = _own_workspace()
    found = books.find_book(workspace, book_name)
    if form is SheetForm.JSON:
        _give(_api_answer(workspace, f"/api/books/{found.id}/cohorts"), out)
        return
    question = CohortQuestion(history, **choices)
    answer = asked_anew(lambda: answer_cohorts(workspace, found, question, books.today_of(found)))
    match form:
        case SheetForm.CSV:
            _give(cohorts_csv(answer, layout), out)
        case SheetForm.TABLE:
            _give(cohort_text(answer).encode(), out)
        case _:
            _tell(cohort_sheet(answer, layout), form, out)


@ask_group.command("newness")
@_sheet_options
@click.option("--period", type=Words(Span), default=Span.MONTH)
@click.option("--measure", type=Words(Measure), default=Measure.ORDERS, help="What the page draws.")
@click.option("--view", type=Words(NewnessView), default=NewnessView.COLUMNS, help="How the page draws it.")
@click.option("--split", default="", help="The field by whose labels orders are told apart.")
def ask_newness(book_name: str, history: HistoryChoice, form: SheetForm, out: Path | None, **choices: Any) -> None:
    """How much of each period is new, how much is people coming back?"""
    from goldthread.actions.newness import ask_newness as answer_newness
    from goldthread.actions.newness_wording import newness_sheet

    def sheet(workspace: Workspace, read: Read) -> Sheet:
        return newness_sheet(answer_newness(workspace, read, NewnessQuestion(history, **choices)))

    _answer(book_name, history, sheet, "newness", form, out)


@ask_group.command("customers")
@_list_options
@click.option("--by", default="days_since", help="The field that the list goes by.")
@click.option("--direction", type=Words(Direction), default=None)
@click.option("--show", multiple=True, default=SHOWN_OF_CUSTOMERS, help="A further field; repeatable.")
def ask_customers(by: str, direction: Direction | None, show: tuple[str, ...], **call: Any) -> None:
    """All customers by a field."""
    _answer_threads(CustomersQuestion(by, direction, show), "threads/customers", **call)


def _one_order_of_each(name: str, words: str) -> None:
    """The command of a first, a latest or an n-th order."""

    def ask(by: str, direction: Direction | None, show: tuple[str, ...], rank: int = 0, **call: Any) -> None:
        which = str(rank) if rank else name
        question = OrdersQuestion(which, by, direction, show)
        _answer_threads(question, "threads/orders", more={"which": which}, **call)

    who = "every customer who has so many" if name == "nth" else "every customer"
    ask.__doc__ = f"The {words} of {who}, with all there is to know of it."
    options: list[Callable[[Any], Any]] = [
        click.option("--by", default="date", help="The field that the list goes by."),
        click.option("--direction", type=Words(Direction), default=None),
        click.option("--show", multiple=True, default=SHOWN_OF_ORDERS, help="Of JSON: a further field; repeatable."),
    ]
    if name == "nth":
        options.append(click.option("--rank", type=click.IntRange(1, 1_000_000), required=True))
    command: Any = _list_options(ask)
    for option in reversed(options):
        command = option(command)
    ask_group.command(name)(command)


for _name, _words in (("first", "first order"), ("latest", "latest order"), ("nth", "order of a rank")):
    _one_order_of_each(_name, _words)


@ask_group.command("thread")
@_sheet_options
@click.argument("customer")
def ask_thread(book_name: str, history: HistoryChoice, customer: str, form: SheetForm, out: Path | None) -> None:
    """Every order of one customer, found by any part of name, number, e-mail or town."""
    from goldthread.actions import books
    from goldthread.actions.finding import find_customers
    from goldthread.actions.reading import read_for_one
    from goldthread.actions.thread_sheets import one_thread_sheet
    from goldthread.actions.workspace import asked_anew

    workspace = _own_workspace()
    asked = books.find_book(workspace, book_name)

    def sheet() -> Sheet:
        read = read_for_one(workspace, asked, history, books.today_of(asked))
        found = find_customers(workspace, read, customer, 1)
        if not found:
            raise NotFound(
                f"No customer is found by {customer}.", remedy="Give another part of the name, or the number."
            )
        ids.append(found[0].customer_id)
        return one_thread_sheet(workspace, read, found[0].customer_id)

    ids: list[int] = []
    told = asked_anew(sheet)
    if form is SheetForm.JSON:
        _give(_api_answer(workspace, f"/api/books/{asked.id}/threads/customers/{ids[-1]}"), out)
    else:
        _tell(told, form, out)


@ask_group.command("orders")
@_sheet_options
def ask_orders(book_name: str, history: HistoryChoice, form: SheetForm, out: Path | None) -> None:
    """Every order with what its thread tells: rank, gap, firsts, orders and revenue to date and in all."""
    from goldthread.actions.thread_sheets import all_orders_sheet

    _answer(book_name, history, all_orders_sheet, None, form, out)


@ask_group.command("figures")
@_sheet_options
@click.option("--group", default="", help="The field whose labels are the groups; none for all together.")
def ask_figures(group: str, **call: Any) -> None:
    """Count, sum, average, smallest and largest of orders."""
    _answer_threads(FiguresQuestion(group), "threads/figures", **call)


@ask_group.command("pairs")
@_list_options
@click.option("--rows", default=CUSTOMER, help="customer, or a field with labels.")
@click.option("--columns", default="rep", help="A field with labels.")
@click.option("--extreme", type=Words(Extreme), default=Extreme.BOTH, help="Which date of each pair.")
def ask_pairs(rows: str, columns: str, extreme: Extreme, **call: Any) -> None:
    """The earliest and the latest order for each pair of attributes."""
    _answer_threads(PairsQuestion(rows, columns, extreme), "threads/pairs", **call)


@ask_group.command("backdated")
@_list_options
def ask_backdated(**call: Any) -> None:
    """The orders that stand before one with a smaller number of the same customer and source."""
    _answer_threads(BackdatedQuestion(), "threads/backdated", **call)


def _answer_threads(
    question: Question,
    path: str,
    *,
    book_name: str,
    history: HistoryChoice,
    form: SheetForm,
    out: Path | None,
    more: dict[str, str] | None = None,
    **_window: int,
) -> None:
    from goldthread.actions.thread_sheets import thread_sheet

    def sheet(workspace: Workspace, read: Read) -> Sheet:
        return thread_sheet(workspace, read, question)

    _answer(book_name, history, sheet, path, form, out, more)


def _answer(
    book_name: str,
    history: HistoryChoice,
    make: Callable[[Workspace, Read], Sheet],
    path: str | None,
    form: SheetForm,
    out: Path | None,
    more: dict[str, str] | None = None,
) -> None:
    """Tell an answer: as JSON what the API answers at a path of the book, else a table."""
    from goldthread.actions import books
    from goldthread.actions.reading import read_book
    from goldthread.actions.workspace import asked_anew

    workspace = _own_workspace()
    found = books.find_book(workspace, book_name)
    if form is SheetForm.JSON and path is not None:
        _give(_api_answer(workspace, f"/api/books/{found.id}/{path}", more), out)
        return
    _tell(asked_anew(lambda: make(workspace, read_book(workspace, found, history, books.today_of(found)))), form, out)


def _own_workspace() -> Workspace:
    from goldthread.cli.own import own_workspace

    return own_workspace()


def _api_answer(workspace: Workspace, path: str, more: dict[str, str] | None = None) -> bytes:
    """What the API answers to the question of this call: its flags are the query's names. Raises `GoldThreadError`."""
    from goldthread.api.app import asked_of_itself

    asked = {name: value for name, value in click.get_current_context().params.items() if name not in _OF_THE_CALL}
    query = {name: _query_value(value) for name, value in asked.items() if value not in (None, "", ())}
    return asked_of_itself(workspace, path, query | (more or {})) + b"\n"


def _query_value(value: Any) -> Any:
    if isinstance(value, tuple):
        return [_query_value(each) for each in value]
    return value.value if isinstance(value, Enum) else str(value)


def _tell(sheet: Sheet, form: SheetForm, out: Path | None) -> None:
    import tempfile

    from goldthread.actions.sheets import Form, write_sheet
    from goldthread.cli.table import sheet_rows, sheet_text

    if form is SheetForm.TABLE:
        _give(sheet_text(sheet).encode(), out)
    elif form is SheetForm.JSON:
        _give((json.dumps(sheet_rows(sheet), ensure_ascii=False, indent=1) + "\n").encode(), out)
    else:
        with tempfile.TemporaryDirectory(prefix="answer-") as folder:
            path = Path(folder) / "answer"
            write_sheet(sheet, Form(form.value), path)
            _give(path.read_bytes(), out)


def _give(content: bytes, out: Path | None) -> None:
    if out is None:
        click.echo(content, nl=False)
    else:
        out.write_bytes(content)
