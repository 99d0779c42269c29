"""Customers in hand: hold those of a list or a figure, with the same query that shows them; let them go."""

from __future__ import annotations

import datetime as dt

import numpy as np
from flask import Response
from flask_openapi3 import APIBlueprint
from numpy.typing import NDArray

from goldthread.actions import books, holding, threads
from goldthread.actions.cohort_behind import customers_behind
from goldthread.actions.cohort_questions import CellChoice
from goldthread.actions.cohorts import ask_cohorts
from goldthread.actions.customer import place_of
from goldthread.actions.holding import HoldRow
from goldthread.actions.newness import NewnessChoice, ask_newness, choice_words, stretch_of
from goldthread.actions.reading import Read, read_for_one
from goldthread.actions.thread_wording import which_words
from goldthread.actions.wording import condition_words
from goldthread.actions.workspace import Workspace
from goldthread.api.asked import read_asked
from goldthread.api.blueprints import part
from goldthread.api.cohort_shapes import CellQuery
from goldthread.api.customer_shapes import CustomerPath
from goldthread.api.newness_shapes import StretchQuery
from goldthread.api.replies import reply
from goldthread.api.sentence_shapes import HistoryQuery
from goldthread.api.shapes import BookPath, Id, Shape
from goldthread.api.thread_shapes import BackdatedQuery, CustomersQuery, OrdersQuery


class HoldShape(Shape):
    """Customers in hand; ``words`` say who they were when they were held (UTC)."""

    id: int
    words: str
    customers: int
    held_at: dt.datetime

    @classmethod
    def of(cls, row: HoldRow) -> HoldShape:
        return cls(
            id=row.id,
            words=row.words,
            customers=row.customer_count,
            held_at=row.held_at.replace(tzinfo=dt.UTC),
        )


class HoldsShape(Shape):
    holds: list[HoldShape]


class HoldPath(BookPath):
    hold: Id


def blueprint(workspace: Workspace) -> APIBlueprint:
    """The holds' part of the API."""
    api = part("holds", "/api/books/<int:book>")

    def held(found: Read, customers: NDArray[np.int64], words: str) -> Response:
        return reply(HoldShape.of(holding.hold(workspace, found, customers, words)), 201)

    @api.get("/holds", responses={200: HoldsShape})
    def list_holds(path: BookPath) -> Response:
        """Every hold of a book, newest first."""
        book = books.find_book(workspace, path.book)
        return reply(HoldsShape(holds=[HoldShape.of(row) for row in holding.list_holds(workspace, book)]))

    @api.delete("/holds/<int:hold>", responses={200: HoldsShape})
    def let_go(path: HoldPath) -> Response:
        """Let customers go; gives the holds that are left."""
        book = books.find_book(workspace, path.book)
        holding.let_go(workspace, book, path.hold)
        return reply(HoldsShape(holds=[HoldShape.of(row) for row in holding.list_holds(workspace, book)]))

    @api.post("/threads/customers/hold", responses={201: HoldShape})
    def hold_customers(path: BookPath, query: CustomersQuery) -> Response:
        """Hold the customers of a list."""
        found = read_asked(workspace, path.book, query)
        listing = threads.list_customers(workspace, found, query.question())
        return held(found, listing.rows, condition_words(found) or "everybody")

    @api.post("/threads/orders/hold", responses={201: HoldShape})
    def hold_owners(path: BookPath, query: OrdersQuery) -> Response:
        """Hold the customers who have a first, latest or n-th order."""
        found = read_asked(workspace, path.book, query)
        listing = threads.list_orders(workspace, found, query.question())
        words = f"with a {which_words(query.which)} order"
        more = condition_words(found)
        return held(found, listing.customers(listing.rows), f"{words}, {more}" if more else words)

    @api.post("/threads/backdated/hold", responses={201: HoldShape})
    def hold_backdated(path: BookPath, query: BackdatedQuery) -> Response:
        """Hold the customers whose orders were backdated."""
        found = read_asked(workspace, path.book, query)
        listing, _ = threads.list_backdated(workspace, found, query.question())
        return held(found, listing.rows, "with backdated orders")

    @api.post("/threads/customers/<int:customer>/hold", responses={201: HoldShape})
    def hold_one_customer(path: CustomerPath, query: HistoryQuery) -> Response:
        """Hold one customer."""
        book = books.find_book(workspace, path.book)
        found = read_for_one(workspace, book, query.choice(), books.today_of(book))
        place = place_of(workspace, found, path.customer)
        return held(found, np.array([place]), found.orders.customers.name(place))

    @api.post("/cohorts/behind/hold", responses={201: HoldShape})
    def hold_behind(path: BookPath, query: CellQuery) -> Response:
        """Hold the customers behind a figure of the cohort table."""
        book = books.find_book(workspace, path.book)
        answer = ask_cohorts(workspace, book, query.question(), books.today_of(book))
        customers, words = customers_behind(answer, CellChoice.read(query.cohort, query.age, query.group))
        return held(answer.read, customers.astype(np.int64), words)

    @api.post("/newness/behind/hold", responses={201: HoldShape})
    def hold_behind_newness(path: BookPath, query: StretchQuery) -> Response:
        """Hold the customers behind a figure of new and returning."""
        answer = ask_newness(workspace, read_asked(workspace, path.book, query), query.question())
        choice = NewnessChoice(query.at, query.side, query.group)
        customers = stretch_of(answer, choice).behind.customers
        return held(answer.read, customers.astype(np.int64), choice_words(answer, choice))

    return api
