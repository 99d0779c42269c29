"""Briefs: pages of findings that people write for others."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Annotated, Any

from flask import Response
from flask_openapi3 import APIBlueprint
from pydantic import BaseModel, Field

from goldthread.actions import books, briefs
from goldthread.actions.log import taken
from goldthread.actor import Right
from goldthread.api.access import asks
from goldthread.api.answers import Answers
from goldthread.api.blueprints import part
from goldthread.api.replies import file_reply, reply, seen_version
from goldthread.api.shapes.books import BookPath
from goldthread.errors import NotFound
from goldthread.shape import Id, Shape
from goldthread.stops.brief_shape import BriefShape, FindingShape, OpenedBriefShape
from goldthread.stops.briefs import brief_page, show, show_all
from goldthread.stops.findings import keep
from goldthread.stops.registry import STOPS
from goldthread.stops.saved import question_of
from goldthread.store.books import BookRow
from goldthread.store.briefs import FINDINGS_MOST, BriefRow
from goldthread.store.schema.written import BRIEF_NAME_LENGTH, HEADING_LENGTH, WORDS_LENGTH
from goldthread.workspace import Workspace

_HTML, _PNG = "text/html; charset=utf-8", "image/png"


class BriefPath(BookPath):
    brief: Id


class FindingPath(BriefPath):
    finding: Id


class BriefName(BaseModel):
    name: str = Field(max_length=BRIEF_NAME_LENGTH)


class BriefIn(BriefName):
    """A brief's name, and its findings in their order, by number."""

    order: Annotated[list[Id], Field(max_length=FINDINGS_MOST)] = []


class Written(BaseModel):
    """The words of a finding: simple Markdown (paragraphs, lists, emphasis). ``live``: what is pinned is shown as it is
    now, else as it is at this moment."""

    heading: str = Field("", max_length=HEADING_LENGTH)
    words: str = Field("", max_length=WORDS_LENGTH)
    live: bool = True


class PinnedIn(BaseModel):
    """What is pinned: a view by its stop and the query of its address, and the query of one of its figures, if any."""

    stop: str = Field(json_schema_extra={"enum": [stop.name for stop in STOPS]})
    query: str = ""
    figure: str = ""


class FindingIn(Written):
    """A finding; without ``pinned`` it is words alone."""

    pinned: PinnedIn | None = None


class BriefsShape(Shape):
    briefs: list[BriefShape]


def blueprint(workspace: Workspace, answers: Answers) -> APIBlueprint:
    """The briefs' part of the API."""
    api = part("briefs", "/api/books/<int:book>/briefs")

    def listed(book: BookRow, status: int = 200) -> Response:
        rows = briefs.list_briefs(workspace, book)
        return reply(BriefsShape(briefs=BriefShape.each_of(rows)), status)

    def found(path: BriefPath) -> tuple[BookRow, BriefRow]:
        book = books.find_book(workspace, path.book)
        return book, briefs.find_brief(workspace, book, path.brief)

    def opened(path: BriefPath) -> Response:
        book, row = found(path)
        findings = [FindingShape.of(each) for each in show_all(workspace, book, row.id, books.today_of(book))]
        return reply(OpenedBriefShape(brief=BriefShape.like(row), findings=findings))

    @api.get("", responses={200: BriefsShape})
    @asks(Right.KEEP)
    def list_briefs(path: BookPath) -> Response:
        """The briefs of a book, by name: those that are shared, and one's own."""
        return listed(books.find_book(workspace, path.book))

    @api.post("", responses={201: BriefShape})
    @asks(Right.KEEP)
    def add_brief(path: BookPath, body: BriefName) -> Response:
        """Begin a brief. Everybody in the book sees one of somebody who may change the book."""
        book = books.find_book(workspace, path.book)
        return reply(BriefShape.like(briefs.add_brief(workspace, book, body.name)), 201)

    @api.get("/<int:brief>", responses={200: OpenedBriefShape})
    @asks(Right.KEEP)
    def open_brief(path: BriefPath) -> Response:
        """A brief with its findings: what is live as it is now, the others as they were."""
        # whoever may not see it is told so before a kept reply is
        found(path)
        return answers.reply(path.book, partial(opened, path))

    @api.put("/<int:brief>", responses={200: BriefsShape})
    @asks(Right.KEEP)
    def change_brief(path: BriefPath, body: BriefIn) -> Response:
        """Rename a brief, and put its findings in an order. ``If-Match`` names the version that was seen: 409 when it
        was changed since."""
        book, row = found(path)
        briefs.change_brief(workspace, book, row, body.name, body.order, seen_version())
        return listed(book)

    @api.delete("/<int:brief>", responses={200: BriefsShape})
    @asks(Right.KEEP)
    def remove_brief(path: BriefPath) -> Response:
        """Remove a brief with its findings."""
        book, row = found(path)
        briefs.remove_brief(workspace, book, row)
        return listed(book)

    @api.get("/<int:brief>/file", responses={200: None})
    @asks(Right.KEEP)
    def take_brief(path: BriefPath) -> Response:
        """A brief as one HTML file with its pictures inside, to send or to print."""
        book, row = found(path)
        today = books.today_of(book)
        page = answers.in_turn(
            path.book, lambda: brief_page(book, row.name, show_all(workspace, book, row.id, today), today)
        )
        taken(workspace, book.id, f"the brief {row.name}")
        return file_reply(page.encode(), _HTML, f"{row.name}.html")

    _findings(api, workspace, answers, found)
    return api


def _findings(
    api: APIBlueprint, workspace: Workspace, answers: Answers, found: Callable[[BriefPath], tuple[BookRow, BriefRow]]
) -> None:
    def keeping(book: BookRow) -> briefs.Keep:
        today = books.today_of(book)
        return lambda pinned, whole: answers.in_turn(book.id, lambda: keep(workspace, book, today, pinned, whole))

    @api.post("/<int:brief>/findings", responses={201: BriefShape})
    @asks(Right.KEEP)
    def add_finding(path: BriefPath, body: FindingIn) -> Response:
        """Put a finding at the end of a brief: a view or a figure of it, or words alone."""
        book, row = found(path)
        pinned = None if body.pinned is None else body.pinned.model_dump()
        if pinned is not None:
            question_of(pinned["stop"], pinned["query"])
        briefs.add_finding(workspace, book, row, body.heading, body.words, pinned, keeping(book), live=body.live)
        return reply(BriefShape.like(briefs.find_brief(workspace, book, row.id)), 201)

    @api.put("/<int:brief>/findings/<int:finding>", responses={200: BriefShape})
    @asks(Right.KEEP)
    def edit_finding(path: FindingPath, body: Written) -> Response:
        """Write the words of a finding anew. ``If-Match`` names the version that was seen: 409, which says what stands
        there now, when somebody wrote it since."""
        book, row = found(path)
        how: dict[str, Any] = {"live": body.live, "seen": seen_version()}
        briefs.edit_finding(workspace, book, row, path.finding, body.heading, body.words, keeping(book), **how)
        return reply(BriefShape.like(row))

    @api.delete("/<int:brief>/findings/<int:finding>", responses={200: BriefShape})
    @asks(Right.KEEP)
    def remove_finding(path: FindingPath) -> Response:
        """Remove a finding."""
        book, row = found(path)
        briefs.remove_finding(workspace, book, row, path.finding)
        return reply(BriefShape.like(briefs.find_brief(workspace, book, row.id)))

    @api.get("/<int:brief>/findings/<int:finding>/picture", responses={200: None})
    @asks(Right.KEEP)
    def draw_finding(path: FindingPath) -> Response:
        """The picture of a finding as PNG."""
        # whoever may not see it is told so before a kept reply is
        book, row = found(path)

        def drawn() -> Response:
            finding = briefs.find_finding(workspace, row, path.finding)
            picture = show(workspace, book, finding, books.today_of(book)).picture
            png = None if picture is None else picture()
            if png is None:
                raise NotFound("This finding has no picture.", remedy="Its table says what there is.")
            return Response(png, content_type=_PNG)

        return answers.reply(path.book, drawn)
