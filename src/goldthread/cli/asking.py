"""``goldthread ask``: the questions that the page asks, under the same names."""

from __future__ import annotations

import functools
import json
import tempfile
from collections.abc import Callable
from enum import StrEnum
from pathlib import Path
from typing import Any

import click

from goldthread.actions import books
from goldthread.actions.cohort_questions import SPEND, CohortQuestion, Columns, FirstColumn
from goldthread.actions.cohorts import ask_cohorts as answer_cohorts
from goldthread.actions.finding import find_customers
from goldthread.actions.newness import NewnessQuestion, ask_newness
from goldthread.actions.newness_wording import newness_sheet
from goldthread.actions.questions import HeldAs, HistoryChoice
from goldthread.actions.reading import Read, read_book, read_for_one
from goldthread.actions.sheets import Form, Sheet, write_sheet
from goldthread.actions.tables import Layout, cohort_sheet, cohorts_csv
from goldthread.actions.thread_questions import (
    SHOWN_OF_CUSTOMERS,
    BackdatedQuestion,
    CustomersQuestion,
    Direction,
    FiguresQuestion,
    OrdersQuestion,
    PairsQuestion,
)
from goldthread.actions.thread_sheets import all_orders_sheet, one_thread_sheet, thread_sheet
from goldthread.actions.thread_wording import Question
from goldthread.actions.workspace import Workspace
from goldthread.api.cohort_shapes import CohortsShape
from goldthread.cli.table import cohort_text, sheet_rows, sheet_text
from goldthread.cli.words import Words, own_workspace
from goldthread.core.cohort_figures import Average, CohortFigure
from goldthread.core.groups import CUSTOMER
from goldthread.core.history import Firsts
from goldthread.core.newness import Span
from goldthread.core.periods import AgeKind, Period
from goldthread.core.records import OrderStatus
from goldthread.errors import NotFound

_OUT = click.option("--out", type=click.Path(dir_okay=False, path_type=Path), help="A file to write to.")


class SheetForm(StrEnum):
    """How the table of an answer is given."""

    TABLE = "table"
    CSV = "csv"
    JSON = "json"
    XLSX = "xlsx"
    PARQUET = "parquet"


def history_options(command: Callable[..., None]) -> Callable[..., None]:
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
        click.option("--held", type=int, default=None, help="The number of a hold."),
        click.option("--held-as", type=Words(HeldAs), default=HeldAs.ALONE),
        click.option("--lapse", default=HistoryChoice().lapse, help="When a customer is lapsed, such as 90d or 6m."),
    )
    for option in reversed(options):
        option(told)
    return told


@click.group("ask")
def ask_group() -> None:
    """Ask a question of a book."""


@ask_group.command("cohorts")
@history_options
@click.option("--period", type=Words(Period), default=Period.MONTH)
@click.option("--ages", type=Words(AgeKind), default=AgeKind.CALENDAR)
@click.option("--figure", type=Words(CohortFigure), default=CohortFigure.RETENTION)
@click.option("--average", type=Words(Average), default=Average.WEIGHTED)
@click.option("--first-column", type=Words(FirstColumn), default=None)
@click.option("--columns", type=Words(Columns), default=Columns.AGES, help="Of the grid: ages, or calendar periods.")
@click.option("--split", default="", help="The field by which customers are told apart.")
@click.option("--against", default="", help="The group that the others are compared with.")
@click.option("--margin", default="100", help="Gross margin in percent, for profit.")
@click.option("--cac", default=SPEND, help="What winning a customer cost, or spend for what is recorded.")
@click.option("--format", "form", type=Words(SheetForm), default=SheetForm.TABLE)
@click.option("--layout", type=Words(Layout), default=Layout.TIDY, help="Of CSV, XLSX and Parquet.")
@_OUT
def ask_cohorts(
    book_name: str,
    history: HistoryChoice,
    period: Period,
    ages: AgeKind,
    figure: CohortFigure,
    average: Average,
    first_column: FirstColumn | None,
    columns: Columns,
    split: str,
    against: str,
    margin: str,
    cac: str,
    form: SheetForm,
    layout: Layout,
    out: Path | None,
) -> None:
    """Of those who first ordered in the same period, who came back, when, for how much?"""
    workspace = own_workspace()
    found = books.find_book(workspace, book_name)
    question = CohortQuestion(
        history,
        period,
        ages,
        figure,
        average,
        first_column,
        columns,
        split=split,
        against=against,
        margin=margin,
        cac=cac,
    )
    answer = answer_cohorts(workspace, found, question, books.today_of(found))
    match form:
        case SheetForm.CSV:
            _give(cohorts_csv(answer, layout), out)
        case SheetForm.JSON:
            text = json.dumps(CohortsShape.of(answer).model_dump(mode="json"), ensure_ascii=False, indent=1)
            _give(f"{text}\n".encode(), out)
        case SheetForm.TABLE:
            _give(cohort_text(answer).encode(), out)
        case _:
            _tell(cohort_sheet(answer, layout), form, out)


def _sheet_options(command: Callable[..., None]) -> Callable[..., None]:
    """The reading line's flags and those of a table's form."""
    form = click.option("--format", "form", type=Words(SheetForm), default=SheetForm.TABLE)
    return history_options(form(_OUT(command)))


def _read(book_name: str, history: HistoryChoice) -> tuple[Workspace, Read]:
    workspace = own_workspace()
    found = books.find_book(workspace, book_name)
    return workspace, read_book(workspace, found, history, books.today_of(found))


def _answer(book_name: str, history: HistoryChoice, question: Question, form: SheetForm, out: Path | None) -> None:
    workspace, read = _read(book_name, history)
    _tell(thread_sheet(workspace, read, question), form, out)


def _tell(sheet: Sheet, form: SheetForm, out: Path | None) -> None:
    if form is SheetForm.TABLE:
        _give(sheet_text(sheet).encode(), out)
    elif form is SheetForm.JSON:
        _give((json.dumps(sheet_rows(sheet), ensure_ascii=False, indent=1) + "\n").encode(), out)
    else:
        with tempfile.TemporaryDirectory(prefix="goldthread-") as folder:
            path = Path(folder) / "answer"
            write_sheet(sheet, Form(form.value), path)
            _give(path.read_bytes(), out)


def _give(content: bytes, out: Path | None) -> None:
    if out is None:
        click.echo(content, nl=False)
    else:
        out.write_bytes(content)


@ask_group.command("customers")
@_sheet_options
@click.option("--by", default="days_since", help="The field that the list goes by.")
@click.option("--direction", type=Words(Direction), default=None)
@click.option("--show", multiple=True, default=SHOWN_OF_CUSTOMERS, help="A further field; repeatable.")
def ask_customers(
    book_name: str,
    history: HistoryChoice,
    by: str,
    direction: Direction | None,
    show: tuple[str, ...],
    form: SheetForm,
    out: Path | None,
) -> None:
    """All customers by a field."""
    _answer(book_name, history, CustomersQuestion(by, direction, show), form, out)


@ask_group.command("first")
@_sheet_options
def ask_first(book_name: str, history: HistoryChoice, form: SheetForm, out: Path | None) -> None:
    """The first order of every customer, with all there is to know of it."""
    _answer(book_name, history, OrdersQuestion("first"), form, out)


@ask_group.command("latest")
@_sheet_options
def ask_latest(book_name: str, history: HistoryChoice, form: SheetForm, out: Path | None) -> None:
    """The latest order of every customer, with all there is to know of it."""
    _answer(book_name, history, OrdersQuestion("latest"), form, out)


@ask_group.command("nth")
@_sheet_options
@click.option("--rank", type=click.IntRange(1), required=True)
def ask_nth(book_name: str, history: HistoryChoice, rank: int, form: SheetForm, out: Path | None) -> None:
    """The order of a rank of every customer who has so many."""
    _answer(book_name, history, OrdersQuestion(str(rank)), form, out)


@ask_group.command("thread")
@_sheet_options
@click.argument("customer")
def ask_thread(book_name: str, history: HistoryChoice, customer: str, form: SheetForm, out: Path | None) -> None:
    """Every order of one customer, found by any part of name, number, e-mail or town."""
    workspace = own_workspace()
    asked = books.find_book(workspace, book_name)
    read = read_for_one(workspace, asked, history, books.today_of(asked))
    found = find_customers(workspace, read, customer, 1)
    if not found:
        raise NotFound(f"No customer is found by {customer}.", remedy="Give another part of the name, or the number.")
    _tell(one_thread_sheet(workspace, read, found[0].customer_id), form, out)


@ask_group.command("orders")
@_sheet_options
def ask_orders(book_name: str, history: HistoryChoice, form: SheetForm, out: Path | None) -> None:
    """Every order with what its thread tells: rank, gap, firsts, orders and revenue to date and in all."""
    workspace, read = _read(book_name, history)
    _tell(all_orders_sheet(workspace, read), form, out)


@ask_group.command("figures")
@_sheet_options
@click.option("--group", default="", help="The field whose labels are the groups; none for all together.")
def ask_figures(book_name: str, history: HistoryChoice, group: str, form: SheetForm, out: Path | None) -> None:
    """Count, sum, average, smallest and largest of orders."""
    _answer(book_name, history, FiguresQuestion(group), form, out)


@ask_group.command("pairs")
@_sheet_options
@click.option("--rows", default=CUSTOMER, help="customer, or a field with labels.")
@click.option("--columns", default="rep", help="A field with labels.")
def ask_pairs(
    book_name: str, history: HistoryChoice, rows: str, columns: str, form: SheetForm, out: Path | None
) -> None:
    """The earliest and the latest order for each pair of attributes."""
    _answer(book_name, history, PairsQuestion(rows, columns), form, out)


@ask_group.command("backdated")
@_sheet_options
def ask_backdated(book_name: str, history: HistoryChoice, form: SheetForm, out: Path | None) -> None:
    """The orders that stand before one with a smaller number of the same customer and source."""
    _answer(book_name, history, BackdatedQuestion(), form, out)


@ask_group.command("newness")
@_sheet_options
@click.option("--span", type=Words(Span), default=Span.MONTH, help="day, week, month, quarter or year.")
@click.option("--split", default="", help="The field by whose labels orders are told apart.")
def ask_newness_command(
    book_name: str, history: HistoryChoice, span: Span, split: str, form: SheetForm, out: Path | None
) -> None:
    """How much of each period is new, how much is people coming back?"""
    workspace, read = _read(book_name, history)
    answer = ask_newness(workspace, read, NewnessQuestion(history, span, split=split))
    _tell(newness_sheet(answer), form, out)
