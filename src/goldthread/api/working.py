"""Work a customer list: put down what was done about a member, take it back, see what was done."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint

from goldthread.actions import books, working
from goldthread.actor import Right
from goldthread.api.access import asks
from goldthread.api.blueprints import part
from goldthread.api.replies import reply
from goldthread.api.shapes.lists import ListPath
from goldthread.api.shapes.working import (
    DoneBody,
    HistoryQuery,
    HistoryShape,
    ListChangeShape,
    MemberPath,
    UndoBody,
    UndoneShape,
    WorkedShape,
)
from goldthread.stops.followup.worked_shape import EntryShape
from goldthread.workspace import Workspace


def blueprint(workspace: Workspace) -> APIBlueprint:
    """The part of the API about how lists are worked."""
    api = part("working", "/api/books/<int:book>/lists/<int:list>")

    @api.put("/members/<int:customer>", responses={200: WorkedShape})
    @asks(Right.WORK)
    def work_member(path: MemberPath, body: DoneBody) -> Response:
        """Put down what was done about a member. Of every field the last word stands; nothing is lost."""
        book = books.find_book(workspace, path.book)
        action, entry = working.work_member(workspace, book, path.list, path.customer, body.done, body.by)
        return reply(WorkedShape(action=action, entry=EntryShape.like(entry)))

    @api.post("/undo", responses={200: UndoneShape})
    @asks(Right.WORK)
    def undo_work(path: ListPath, body: UndoBody) -> Response:
        """Take back an action; what somebody changed since stays."""
        book = books.find_book(workspace, path.book)
        customers = working.undo_work(workspace, book, path.list, body.action, body.by)
        return reply(UndoneShape(customers=customers))

    @api.get("/history", responses={200: HistoryShape})
    @asks(Right.WORK)
    def show_history(path: ListPath, query: HistoryQuery) -> Response:
        """What was done about the members of a list, the newest first."""
        book = books.find_book(workspace, path.book)
        count, rows = working.work_history(workspace, book, path.list, query.offset, query.limit)
        names = working.customer_names(workspace, book, [row.customer_id for row in rows])
        changes = [ListChangeShape.of(row, names.get(row.customer_id, "")) for row in rows]
        return reply(HistoryShape(count=count, offset=query.offset, changes=changes))

    return api
