"""Cohorts: the table, what stands behind each of its figures, and whether the database agrees."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint

from goldthread.actions import books
from goldthread.actions.cohort_behind import covered_cells, open_cohort_figure
from goldthread.actions.cohort_questions import CellChoice
from goldthread.actions.cohorts import CohortAnswer, ask_cohorts
from goldthread.actions.jobs import JobBoard
from goldthread.actions.opened import listed_orders
from goldthread.actions.recounting import recount_cohort_figure
from goldthread.actions.tables import cohort_sheet, cohorts_csv, orders_csv
from goldthread.actions.workspace import Workspace, asked_anew
from goldthread.api.answers import Answers
from goldthread.api.blueprints import part
from goldthread.api.cohort_shapes import BehindQuery, CellQuery, CohortFile, CohortQuery, CohortsShape, CohortTableQuery
from goldthread.api.intake_shapes import JobShape
from goldthread.api.opened_shapes import OpenedShape, RecountedShape
from goldthread.api.replies import csv_reply, reply, sheet_reply, wants_csv
from goldthread.api.shapes import BookPath


def blueprint(workspace: Workspace, jobs: JobBoard, answers: Answers) -> APIBlueprint:
    """The cohorts' part of the API."""
    api = part("cohorts", "/api/books/<int:book>")

    def answered(book_id: int, query: CohortQuery) -> CohortAnswer:
        book = books.find_book(workspace, book_id)
        return ask_cohorts(workspace, book, query.question(), books.today_of(book))

    @api.get("/cohorts", responses={200: CohortsShape})
    def cohorts(path: BookPath, query: CohortTableQuery) -> Response:
        """The cohort table, as JSON or (Accept: text/csv) as a file."""

        def found() -> Response:
            answer = answered(path.book, query)
            if wants_csv():
                return csv_reply(cohorts_csv(answer, query.layout), "cohorts.csv")
            return reply(CohortsShape.of(answer))

        return answers.reply(path.book, found)

    @api.get("/cohorts/file", responses={200: None, 202: JobShape})
    def take_cohorts(path: BookPath, query: CohortFile) -> Response:
        """The cohort table as CSV, XLSX or Parquet, one row a cell or as people read it."""
        sheet = asked_anew(lambda: cohort_sheet(answered(path.book, query), query.layout))
        return sheet_reply(sheet, query.form, f"cohorts-by-{query.period}", jobs)

    @api.get("/cohorts/behind", responses={200: OpenedShape})
    def behind(path: BookPath, query: BehindQuery) -> Response:
        """Who and which orders stand behind one figure; (Accept: text/csv) all of the orders as a file."""
        cell = CellChoice.read(query.cohort, query.age, query.group)

        def found() -> Response:
            answer = answered(path.book, query)
            if not wants_csv():
                return reply(OpenedShape.of(open_cohort_figure(answer, cell, query.offset, query.limit), query.offset))
            positions = covered_cells(answer, cell).behind.orders
            orders = listed_orders(workspace, path.book, answer.table.history.book, positions)
            return csv_reply(orders_csv(orders), f"orders-behind-{query.cohort}-{query.age}.csv")

        return answers.reply(path.book, found)

    @api.get("/cohorts/behind/recount", responses={200: RecountedShape})
    def recount(path: BookPath, query: CellQuery) -> Response:
        """One figure counted again by the database, from its own records."""
        cell = CellChoice.read(query.cohort, query.age, query.group)

        def found() -> Response:
            answer = answered(path.book, query)
            return reply(RecountedShape.of(recount_cohort_figure(workspace, answer, cell)))

        return asked_anew(found)

    return api
