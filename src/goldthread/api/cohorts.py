"""Cohorts: the table, and what stands behind each of its figures."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint

from goldthread.actions import ask, books
from goldthread.actions.questions import CellChoice
from goldthread.actions.tables import cohorts_csv, orders_csv
from goldthread.actions.workspace import Workspace
from goldthread.api.blueprints import part
from goldthread.api.replies import csv_reply, entity_tag, reply, tagged, unchanged, wants_csv
from goldthread.api.shapes import BehindQuery, BookPath, CohortQuery, CohortsShape, CohortTableQuery, OpenedShape


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
        as_csv = wants_csv()
        tag = _tag(answer, as_csv, query)
        known = unchanged(tag)
        if known is not None:
            return known
        if as_csv:
            return tagged(csv_reply(cohorts_csv(answer, query.layout), "cohorts.csv"), tag)
        return tagged(reply(CohortsShape.of(answer)), tag)

    @api.get("/cohorts/behind", responses={200: OpenedShape})
    def behind(path: BookPath, query: BehindQuery) -> Response:
        """Who and which orders stand behind one figure; (Accept: text/csv) all of the orders as a file."""
        answer = answered(path.book, query)
        as_csv = wants_csv()
        tag = _tag(answer, as_csv, query)
        known = unchanged(tag)
        if known is not None:
            return known
        cell = CellChoice.read(query.cohort, query.age)
        if as_csv:
            name = f"orders-behind-{query.cohort}-{query.age}.csv"
            return tagged(csv_reply(orders_csv(ask.orders_behind(workspace, answer, cell)), name), tag)
        opened = ask.open_cohort_figure(workspace, answer, cell, query.offset, query.limit)
        return tagged(reply(OpenedShape.of(opened, query.offset)), tag)

    return api


def _tag(answer: ask.CohortAnswer, as_csv: bool, query: CohortQuery) -> str:
    as_of = answer.table.history.rule.as_of_day
    return entity_tag(answer.book.id, answer.shelved.revision, as_of, as_csv, query)
