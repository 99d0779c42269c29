"""Cohorts: the table, and what stands behind each of its figures."""

from __future__ import annotations

from collections.abc import Callable

from flask import Response
from flask_openapi3 import APIBlueprint

from goldthread.actions import ask, books
from goldthread.actions.questions import CellChoice
from goldthread.actions.tables import cohorts_csv, orders_csv
from goldthread.actions.workspace import Workspace
from goldthread.api.blueprints import part
from goldthread.api.cohort_shapes import BehindQuery, CohortQuery, CohortsShape, CohortTableQuery, OpenedShape
from goldthread.api.replies import csv_reply, entity_tag, reply, tagged, unchanged, wants_csv
from goldthread.api.shapes import BookPath


def blueprint(workspace: Workspace) -> APIBlueprint:
    """The cohorts' part of the API."""
    api = part("cohorts", "/api/books/<int:book>")

    def answered(book_id: int, query: CohortQuery) -> ask.CohortAnswer:
        book = books.find_book(workspace, book_id)
        return ask.ask_cohorts(workspace, book, query.question(), books.today_of(book))

    @api.get("/cohorts", responses={200: CohortsShape})
    def cohorts(path: BookPath, query: CohortTableQuery) -> Response:
        """The cohort table, as JSON or (Accept: text/csv) as a file."""
        answer = answered(path.book, query)
        return _kept(
            answer,
            query,
            as_json=lambda: reply(CohortsShape.of(answer)),
            as_csv=lambda: csv_reply(cohorts_csv(answer, query.layout), "cohorts.csv"),
        )

    @api.get("/cohorts/behind", responses={200: OpenedShape})
    def behind(path: BookPath, query: BehindQuery) -> Response:
        """Who and which orders stand behind one figure; (Accept: text/csv) all of the orders as a file."""
        answer = answered(path.book, query)
        cell = CellChoice.read(query.cohort, query.age)

        def opened() -> Response:
            found = ask.open_cohort_figure(answer, cell, query.offset, query.limit)
            return reply(OpenedShape.of(found, query.offset))

        def listed() -> Response:
            orders = ask.orders_behind(workspace, answer, cell)
            return csv_reply(orders_csv(orders), f"orders-behind-{query.cohort}-{query.age}.csv")

        return _kept(answer, query, as_json=opened, as_csv=listed)

    return api


def _kept(
    answer: ask.CohortAnswer, query: CohortQuery, *, as_json: Callable[[], Response], as_csv: Callable[[], Response]
) -> Response:
    """The reply in the form that the client prefers, or word that it has this very answer already."""
    csv_wanted = wants_csv()
    read = answer.read
    tag = entity_tag(read.book.id, read.shelved.revision, *read.stamp, csv_wanted, query)
    known = unchanged(tag)
    return known if known is not None else tagged(as_csv() if csv_wanted else as_json(), tag)
