"""Threads: customers and their orders in lists, figures of orders, pairs, what was backdated; and files of them all."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint

from goldthread.actions import threads
from goldthread.actions.jobs import JobBoard
from goldthread.actions.reading import Read
from goldthread.actions.sheets import Form
from goldthread.actions.thread_questions import FiguresQuestion, ThreadView
from goldthread.actions.thread_sheets import all_orders_sheet, thread_sheet
from goldthread.actions.thread_wording import Question, which_words
from goldthread.actions.wording import count_words
from goldthread.actions.workspace import Workspace, asked_anew
from goldthread.api.answers import Answers
from goldthread.api.asked import read_asked
from goldthread.api.blueprints import part
from goldthread.api.group_shapes import FiguresShape, GroupShape, PairsShape, groups_of
from goldthread.api.intake_shapes import JobShape
from goldthread.api.replies import reply, sheet_reply
from goldthread.api.sentence_shapes import HistoryQuery
from goldthread.api.shapes import BookPath
from goldthread.api.thread_shapes import (
    BackdatedFile,
    BackdatedWindow,
    CustomersFile,
    CustomersWindow,
    EveryOrderFile,
    FiguresFile,
    FiguresQuery,
    ListShape,
    OrdersFile,
    OrdersWindow,
    PairsFile,
    PairsWindow,
)
from goldthread.core.history import History
from goldthread.core.limits import GROUPS_SHOWN_MOST, hold_groups


def blueprint(workspace: Workspace, jobs: JobBoard, answers: Answers) -> APIBlueprint:
    """The threads' part of the API."""
    api = part("threads", "/api/books/<int:book>/threads")

    @api.get("/customers", responses={200: ListShape})
    def list_customers(path: BookPath, query: CustomersWindow) -> Response:
        """The customers that are looked at, in sequence, with their threads."""

        def told() -> Response:
            found = read_asked(workspace, path.book, query)
            listing = threads.list_customers(workspace, found, query.question())
            rows = threads.listed(workspace, listing, query.offset, query.limit)
            words = f"{count_words(int(listing.rows.size), 'customer')}, one a row."
            return reply(ListShape.of(listing, query.question(), words, rows, query.offset))

        return answers.reply(path.book, told)

    @api.get("/orders", responses={200: ListShape})
    def list_orders(path: BookPath, query: OrdersWindow) -> Response:
        """One order of each customer who has it, with all of its details."""

        def told() -> Response:
            found = read_asked(workspace, path.book, query)
            listing = threads.list_orders(workspace, found, query.question())
            rows = threads.listed(workspace, listing, query.offset, query.limit)
            return reply(
                ListShape.of(listing, query.question(), _order_words(found, query, listing), rows, query.offset)
            )

        return answers.reply(path.book, told)

    @api.get("/backdated", responses={200: ListShape})
    def list_backdated(path: BookPath, query: BackdatedWindow) -> Response:
        """The customers for whom number order and date order disagree; the backdated orders are those inside."""

        def told() -> Response:
            found = read_asked(workspace, path.book, query)
            listing, positions = threads.list_backdated(workspace, found, query.question())
            rows = threads.listed(workspace, listing, query.offset, query.limit, positions)
            words = (
                f"{count_words(int(listing.rows.size), 'customer')} with "
                f"{count_words(int(positions.size), 'backdated order')}, ringed on the threads."
            )
            return reply(ListShape.of(listing, query.question(), words, rows, query.offset))

        return answers.reply(path.book, told)

    @api.get("/figures", responses={200: FiguresShape})
    def order_figures(path: BookPath, query: FiguresQuery) -> Response:
        """Count, sum, average, smallest and largest of the shown orders, by a label or all together."""

        def told() -> Response:
            found, question = read_asked(workspace, path.book, query), query.question()

            def of(history: History, asked: FiguresQuestion) -> list[GroupShape]:
                groups, orders = threads.figures_with_orders(workspace, found, history, asked, GROUPS_SHOWN_MOST)
                return groups_of(history.book, asked, groups, orders)

            total = of(found.history, FiguresQuestion()) if question.group else []
            rest = [] if found.rest is None else of(found.rest, question)
            return reply(FiguresShape.of(found, question, of(found.history, question), total, rest))

        return answers.reply(path.book, told)

    @api.get("/pairs", responses={200: PairsShape})
    def date_pairs(path: BookPath, query: PairsWindow) -> Response:
        """Earliest and latest order for each pair of labels, or of customers and labels."""

        def told() -> Response:
            found = read_asked(workspace, path.book, query)
            grid = threads.date_pairs(workspace, found, query.question())
            hold_groups(len(grid.column_labels), GROUPS_SHOWN_MOST, "columns")
            return reply(PairsShape.of(found, query.question(), grid, query.offset, query.limit))

        return answers.reply(path.book, told)

    @api.get("/every-order/file", responses={200: None, 202: JobShape})
    def take_every_order(path: BookPath, query: EveryOrderFile) -> Response:
        """Every shown order with what its thread tells: rank, gap, firsts, orders and revenue to date and in all."""
        sheet = asked_anew(lambda: all_orders_sheet(workspace, read_asked(workspace, path.book, query)))
        return sheet_reply(sheet, query.form, "orders-with-their-threads", jobs)

    def take(path: BookPath, query: HistoryQuery, form: Form, question: Question, name: str) -> Response:
        sheet = asked_anew(lambda: thread_sheet(workspace, read_asked(workspace, path.book, query), question))
        return sheet_reply(sheet, form, name, jobs)

    @api.get("/customers/file", responses={200: None, 202: JobShape})
    def take_customers(path: BookPath, query: CustomersFile) -> Response:
        """The whole list of customers as CSV, XLSX or Parquet."""
        return take(path, query, query.form, query.question(), ThreadView.CUSTOMERS)

    @api.get("/orders/file", responses={200: None, 202: JobShape})
    def take_orders(path: BookPath, query: OrdersFile) -> Response:
        """One order of each customer as a file, with every field there is."""
        return take(path, query, query.form, query.question(), f"{query.which}-orders")

    @api.get("/figures/file", responses={200: None, 202: JobShape})
    def take_figures(path: BookPath, query: FiguresFile) -> Response:
        """The figures as a file."""
        return take(path, query, query.form, query.question(), ThreadView.FIGURES)

    @api.get("/pairs/file", responses={200: None, 202: JobShape})
    def take_pairs(path: BookPath, query: PairsFile) -> Response:
        """The pairs that have an order, one a row."""
        return take(path, query, query.form, query.question(), ThreadView.PAIRS)

    @api.get("/backdated/file", responses={200: None, 202: JobShape})
    def take_backdated(path: BookPath, query: BackdatedFile) -> Response:
        """The backdated orders as a file."""
        return take(path, query, query.form, query.question(), ThreadView.BACKDATED)

    return api


def _order_words(read: Read, query: OrdersWindow, listing: threads.Listing) -> str:
    """The number of rows equals the customers who have that order, and the page says so."""
    count, question = int(listing.rows.size), query.question()
    customers = count_words(count, "customer")
    has = "has" if count == 1 else "have"
    if read.history.shown is not None:
        return f"{customers}, one a row: those whose {which_words(query.which)} order meets the condition."
    if question.nth > 1:
        return f"{customers} {has} at least {question.nth} orders: one a row."
    return f"{customers} {has} an order: one a row."
