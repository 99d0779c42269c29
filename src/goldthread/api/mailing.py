"""Write to the members of a list: preview every message, see whether the server takes us, send."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint

from goldthread.actions import books, mailing, sending
from goldthread.actions.jobs import JobBoard
from goldthread.actor import Right
from goldthread.api.access import asks
from goldthread.api.blueprints import part
from goldthread.api.replies import reply
from goldthread.api.shapes.intake import JobShape
from goldthread.api.shapes.lists import ListPath
from goldthread.api.shapes.mailing import MailCountShape, MailsShape, PreviewQuery, PreviewShape, TemplateBody
from goldthread.workspace import Workspace


def blueprint(workspace: Workspace, jobs: JobBoard) -> APIBlueprint:
    """The part of the API about messages to the members of a list."""
    api = part("mailing", "/api/books/<int:book>/lists/<int:list>/mail")

    @api.get("", responses={200: MailsShape})
    @asks(Right.CHANGE)
    def show_mails(path: ListPath) -> Response:
        """How many messages of the list stand how."""
        counts = mailing.mail_counts(workspace, books.find_book(workspace, path.book), path.list)
        listed = [MailCountShape(state=state, messages=messages) for state, messages in counts.items()]
        return reply(MailsShape(set_up=sending.is_set_up(workspace.settings), counts=listed))

    @api.post("/preview", responses={200: PreviewShape})
    @asks(Right.CHANGE)
    def preview(path: ListPath, query: PreviewQuery, body: TemplateBody) -> Response:
        """Every message as it will be sent, from a place on, and who gets none. Nothing is sent."""
        book = books.find_book(workspace, path.book)
        found = mailing.mailing(workspace, book, path.list, body.template)
        return reply(PreviewShape.of(found, query.offset, query.limit))

    @api.post("/dry-run", responses={200: PreviewShape})
    @asks(Right.CHANGE)
    def dry_run(path: ListPath, body: TemplateBody) -> Response:
        """The same after the mail server was reached and took our name and password. Nothing is sent."""
        book = books.find_book(workspace, path.book)
        return reply(PreviewShape.of(sending.dry_run(workspace, book, path.list, body.template), 0, 20))

    @api.post("", responses={202: JobShape})
    @asks(Right.CHANGE)
    def send(path: ListPath, body: TemplateBody) -> Response:
        """Send every message that can be sent, at the pace of the settings. Whoever has one already gets no other."""
        book = books.find_book(workspace, path.book)
        job = jobs.start("send", book=book.id, list=path.list, body=body.model_dump(mode="json"))
        return reply(JobShape.of(job), 202)

    return api
