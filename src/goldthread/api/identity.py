"""Sources side by side, who is who, and changes made by hand."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint

from goldthread.actions import books, by_hand
from goldthread.actions import identity as who
from goldthread.actions.reports import ReportShape
from goldthread.actor import Right
from goldthread.api.access import asks
from goldthread.api.blueprints import part
from goldthread.api.replies import reply, seen_version
from goldthread.api.shapes.books import BookPath
from goldthread.api.shapes.identity import (
    CustomerIn,
    DuplicateShape,
    DuplicatesShape,
    EventIn,
    EventPath,
    FoundOrderShape,
    MatchIn,
    OrderIn,
    OrderQuery,
    SourcesShape,
)
from goldthread.api.shapes.intake import PageQuery
from goldthread.workspace import Workspace, asked_anew


def blueprint(workspace: Workspace) -> APIBlueprint:
    """This part of the API."""
    api = part("who", "/api/books/<int:book>")

    @api.get("/sources", responses={200: SourcesShape})
    @asks(Right.ASK)
    def show_sources(path: BookPath) -> Response:
        """Orders per month of every source, months that look missing or doubled, and customers that sources share."""
        book = books.find_book(workspace, path.book)

        def found() -> Response:
            months = who.months_of_sources(workspace, book)
            return reply(SourcesShape.of(months, who.shared_by_sources(workspace, book)))

        return asked_anew(found)

    @api.get("/duplicates", responses={200: DuplicatesShape})
    @asks(Right.CHANGE)
    def list_doubles(path: BookPath, query: PageQuery) -> Response:
        """Customers that look like one: the same e-mail under two numbers, the same name in the same town."""
        book = books.find_book(workspace, path.book)
        total, duplicates = who.possible_duplicates(workspace, book, query.offset, query.limit)
        return reply(DuplicatesShape(total=total, duplicates=[DuplicateShape.of(each) for each in duplicates]))

    @api.post("/matches", responses={201: ReportShape})
    @asks(Right.CHANGE)
    def match_customers(path: BookPath, body: MatchIn) -> Response:
        """Say that customers are one, or different people; a delivery of one, which can be withdrawn."""
        book = books.find_book(workspace, path.book)
        said = by_hand.match_customers(workspace, book, body.customers, body.verdict, seen_version())
        return reply(ReportShape.of(said), 201)

    @api.get("/orders", responses={200: FoundOrderShape})
    @asks(Right.CHANGE)
    def show_order(path: BookPath, query: OrderQuery) -> Response:
        """The order of a source and number as it is on record, if there is one."""
        book = books.find_book(workspace, path.book)
        return reply(FoundOrderShape.of(by_hand.show_order(workspace, book, query.source, query.number)))

    @api.post("/orders", responses={201: ReportShape})
    @asks(Right.CHANGE)
    def put_order(path: BookPath, body: OrderIn) -> Response:
        """Add an order, or correct the one of that source and number; a delivery of one.

        ``If-Match`` names the version that was seen, "0" for none: 409 when somebody changed it since.
        """
        book = books.find_book(workspace, path.book)
        return reply(ReportShape.of(by_hand.put_order(workspace, book, body.order(), seen_version())), 201)

    @api.delete("/orders", responses={200: ReportShape})
    @asks(Right.CHANGE)
    def cancel_order(path: BookPath, query: OrderQuery) -> Response:
        """Cancel an order; it stays on record with that status."""
        book = books.find_book(workspace, path.book)
        cancelled = by_hand.cancel_order(workspace, book, query.source, query.number, seen_version())
        return reply(ReportShape.of(cancelled))

    @api.post("/events", responses={201: ReportShape})
    @asks(Right.CHANGE)
    def put_event(path: BookPath, body: EventIn) -> Response:
        """Put an event on the time axis; a delivery of one. In place of one that was typed, if ``instead`` names it."""
        book = books.find_book(workspace, path.book)
        return reply(ReportShape.of(by_hand.put_event(workspace, book, body.event(), body.instead)), 201)

    @api.delete("/events/<int:event>", responses={204: None})
    @asks(Right.CHANGE)
    def remove_event(path: EventPath) -> Response:
        """Take back an event that was typed, by its number ``by_hand``."""
        by_hand.remove_event(workspace, books.find_book(workspace, path.book), path.event)
        return Response(status=204)

    @api.post("/customers", responses={201: ReportShape})
    @asks(Right.CHANGE)
    def put_customer(path: BookPath, body: CustomerIn) -> Response:
        """Add a customer, or change what is known of one; a delivery of one."""
        book = books.find_book(workspace, path.book)
        return reply(ReportShape.of(by_hand.put_customer(workspace, book, body.customer())), 201)

    return api
