"""Links for somebody outside: who owns a book makes them, and whoever has one sees its view and nothing else.

A link is asked with HTTP's own Basic scheme (RFC 7617): its secret is the name, its passphrase the password. No cookie
is needed, so that a page of another site can hold the view in a frame.
"""

from __future__ import annotations

from collections.abc import Callable

from flask import Response, request
from flask_openapi3 import APIBlueprint
from pydantic import BaseModel

from goldthread.actions import books, shared_links
from goldthread.actor import Right
from goldthread.api.access import asks, limit_in_a_minute, stand
from goldthread.api.answers import Answers, Encoded
from goldthread.api.blueprints import part
from goldthread.api.replies import reply
from goldthread.api.shapes.books import BookPath, BookShape
from goldthread.api.shapes.shared_links import (
    LinkOfBookPath,
    LinkPath,
    LinkShape,
    LinksShape,
    NewLinkShape,
    ShareBody,
    SharedShape,
)
from goldthread.errors import NotAllowed
from goldthread.stops.behind.evidence_shape import OpenedShape
from goldthread.stops.outside import SharedBrief, SharedView, shared_view
from goldthread.store.books import BookRow
from goldthread.store.shared_links import SharedRow
from goldthread.workspace import Workspace, asked_anew

Shared = SharedView | SharedBrief


def blueprint(workspace: Workspace, answers: Answers) -> APIBlueprint:
    """This part of the API."""
    api = part("shared links", "/api")
    _of_a_book(api, workspace)
    _outside(api, workspace, answers)
    return api


def _of_a_book(api: APIBlueprint, workspace: Workspace) -> None:
    def listed(book_id: int) -> list[LinkShape]:
        book = books.find_book(workspace, book_id)
        rows = shared_links.list_links(workspace, book)
        return [LinkShape.like(row, last_day=shared_links.last_day(book, row)) for row in rows]

    @api.get("/books/<int:book>/links", responses={200: LinksShape})
    @asks(Right.OWN)
    def list_links(path: BookPath) -> Response:
        """The links for people outside that hold, the newest first."""
        return reply(LinksShape(links=listed(path.book)))

    @api.post("/books/<int:book>/links", responses={201: NewLinkShape})
    @asks(Right.OWN)
    def add_link(path: BookPath, body: ShareBody) -> Response:
        """Make a link for somebody outside; its address is shown once."""
        book, view = books.find_book(workspace, path.book), shared_view(workspace, body.stop, body.query)
        given, today = body.model_dump(exclude={"frozen"}), books.today_of(book)
        told = asked_anew(lambda: view.told(book, today, people=body.shows_people))
        frozen = view.frozen(told) if body.frozen else None
        address = shared_links.add_link(workspace, book, **given, frozen=frozen)
        return reply(NewLinkShape(address=address, links=listed(path.book)), 201)

    @api.delete("/books/<int:book>/links/<int:link>", responses={200: LinksShape})
    @asks(Right.OWN)
    def end_link(path: LinkOfBookPath) -> Response:
        """End a link at once; gives those that are left."""
        shared_links.end_link(workspace, books.find_book(workspace, path.book), path.link)
        return reply(LinksShape(links=listed(path.book)))


def _outside(api: APIBlueprint, workspace: Workspace, answers: Answers) -> None:
    def opened(link: int) -> tuple[SharedRow, BookRow]:
        """The link of a request, and its book; from here on it is answered as far as the link allows."""
        given = request.authorization
        by = (given.username or "", given.password or "") if given is not None and given.type == "basic" else ("", "")
        row = shared_links.open_link(workspace, link, *by)
        limit_in_a_minute(workspace.settings, ("link", row.id))
        state = books.find_state(workspace, row.book)
        stand(state)
        return row, state.book

    def answered(row: SharedRow, book: BookRow, how: Callable[[Shared], Callable[..., BaseModel]]) -> Response:
        """What a view of the link says, by one of its ways."""
        view, said = shared_view(workspace, row.stop, row.query), request.args.to_dict(flat=False)
        return answers.reply(row.book, lambda: reply(how(view)(book, books.today_of(book), said)))

    @api.get("/shared/<int:link>", responses={200: SharedShape})
    @asks(Right.ANYBODY)
    def open_link(path: LinkPath) -> Response:
        """What a link shows; that it was opened is counted."""
        row, book = opened(path.link)
        view = shared_view(workspace, row.stop, row.query)
        shared_links.note_opened(workspace, row)
        told = {"book": BookShape.like(book), "question": view.question, "last_day": shared_links.last_day(book, row)}
        return reply(SharedShape.like(row, **told))

    @api.get("/shared/<int:link>/answer", responses={200: None})
    @asks(Right.ANYBODY)
    def ask_shared(path: LinkPath) -> Response:
        """The answer of a link's view as its question gives it, for a window of its rows (offset, limit), with nothing
        to choose."""
        row, book = opened(path.link)
        if row.is_frozen:
            kept = shared_links.frozen_answer(workspace, row)
            return Encoded.of(Response(kept, content_type="application/json")).response(None)
        return answered(row, book, lambda view: view.answer)

    @api.get("/shared/<int:link>/behind", responses={200: OpenedShape})
    @asks(Right.ANYBODY)
    def open_shared(path: LinkPath) -> Response:
        """Who and which orders stand behind one figure, where the link allows it; the figure and the window of its
        customers are said as for its question."""
        row, book = opened(path.link)
        if not row.opens_figures:
            raise NotAllowed("This link opens no figures.", remedy="Ask whoever gave it to you for one that does.")
        return answered(row, book, lambda view: view.behind)
