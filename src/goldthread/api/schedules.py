"""What a book does by itself: schedules and their runs, files that wait for an answer, letters that were sent."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint

from goldthread.actions import books, schedule_runs, schedules, waiting
from goldthread.actions.jobs import JobBoard
from goldthread.actions.log import taken
from goldthread.actions.when import next_times, read_when, when_words
from goldthread.actor import Right, actor
from goldthread.api.access import asks
from goldthread.api.blueprints import part
from goldthread.api.replies import file_reply, reply
from goldthread.api.shapes.books import BookPath
from goldthread.api.shapes.intake import JobShape
from goldthread.api.shapes.schedules import (
    FolderIn,
    LetterIn,
    LetterPath,
    LetterShape,
    LettersShape,
    PagesQuery,
    QueryEveryIn,
    RunsShape,
    ScheduleChangeIn,
    ScheduleIn,
    SchedulePath,
    ScheduleShape,
    SchedulesShape,
    WaitingFilesShape,
    WaitingPath,
    WaitingShape,
    WatchIn,
    WhenQuery,
    WhenShape,
)
from goldthread.errors import NotAllowed
from goldthread.stops.watched import watch_of
from goldthread.store.books import BookRow
from goldthread.store.schedules import ScheduleRow
from goldthread.workspace import Workspace

_MESSAGE_TYPE = "message/rfc822"


def blueprint(workspace: Workspace, jobs: JobBoard) -> APIBlueprint:
    """The schedules' part of the API."""
    api = part("schedules", "/api/books/<int:book>")
    _schedules(api, workspace, jobs)
    _waiting(api, workspace, jobs)
    _letters(api, workspace)
    return api


def _schedules(api: APIBlueprint, workspace: Workspace, jobs: JobBoard) -> None:
    def listed(book: BookRow, status: int = 200) -> Response:
        rows = schedules.list_schedules(workspace, book)
        return reply(SchedulesShape(schedules=[ScheduleShape.of(row) for row in rows]), status)

    def found(path: SchedulePath) -> tuple[BookRow, ScheduleRow]:
        book = books.find_book(workspace, path.book)
        return book, schedules.find_schedule(workspace, book, path.schedule)

    @api.get("/schedules", responses={200: SchedulesShape})
    @asks(Right.CHANGE)
    def list_schedules(path: BookPath) -> Response:
        """What a book does again and again, each with its last run."""
        return listed(books.find_book(workspace, path.book))

    @api.post("/schedules", responses={201: SchedulesShape})
    @asks(Right.CHANGE)
    def add_schedule(path: BookPath, body: ScheduleIn) -> Response:
        """Have something done again and again; gives all schedules."""
        book = books.find_book(workspace, path.book)
        _add(workspace, book, body.schedule)
        return listed(book, 201)

    @api.get("/schedules/when", responses={200: WhenShape})
    @asks(Right.CHANGE)
    def read_times(path: BookPath, query: WhenQuery) -> Response:
        """When something would run, as it is said."""
        cron = read_when(query.every)
        following = next_times(cron, books.zone(books.find_book(workspace, path.book).time_zone))
        return reply(WhenShape(cron=cron, words=when_words(cron), following=following))

    @api.patch("/schedules/<int:schedule>", responses={200: SchedulesShape})
    @asks(Right.CHANGE)
    def change_schedule(path: SchedulePath, body: ScheduleChangeIn) -> Response:
        """Have a schedule run at other times, pause or go on; gives all schedules."""
        book, row = found(path)
        if body.every is not None:
            schedules.change_when(workspace, book, row, body.every)
        if body.paused is not None:
            schedules.pause(workspace, book, schedules.find_schedule(workspace, book, row.id), paused=body.paused)
        return listed(book)

    @api.delete("/schedules/<int:schedule>", responses={200: SchedulesShape})
    @asks(Right.CHANGE)
    def remove_schedule(path: SchedulePath) -> Response:
        """Remove a schedule; what it brought or sent stays. Gives those that are left."""
        book, row = found(path)
        schedules.remove(workspace, book, row)
        return listed(book)

    @api.post("/schedules/<int:schedule>/run", responses={202: JobShape})
    @asks(Right.CHANGE)
    def run_schedule(path: SchedulePath) -> Response:
        """Have a schedule run at once."""
        return reply(JobShape.of(jobs.find(schedules.run_now(workspace, *found(path)))), 202)

    @api.get("/schedules/<int:schedule>/runs", responses={200: RunsShape})
    @asks(Right.CHANGE)
    def list_runs(path: SchedulePath, query: PagesQuery) -> Response:
        """The runs of a schedule, the newest first: when, how long, what came of each."""
        _, row = found(path)
        return reply(RunsShape.of(*schedules.list_runs(workspace, row, query.offset, query.limit)))

    @api.get("/schedules/<int:schedule>/letter", responses={200: None})
    @asks(Right.CHANGE)
    def draft_letter(path: SchedulePath) -> Response:
        """The letter of a schedule as it would be sent now, as a message (RFC 5322); nothing is sent."""
        # the drawing of pictures is loaded when there is something to draw
        from goldthread.stops.letters import compose

        message = schedule_runs.draft(workspace, *found(path), compose)
        return file_reply(message.as_bytes(), _MESSAGE_TYPE, "letter.eml")


def _add(workspace: Workspace, book: BookRow, body: FolderIn | QueryEveryIn | LetterIn | WatchIn) -> None:
    said = body.model_dump(exclude={"kind", "letter", "question"})
    match body:
        case FolderIn():
            schedules.add_folder(workspace, book, **said)
        case QueryEveryIn():
            if not actor().may(Right.OWN):
                raise NotAllowed("A query is run for owners of the book.", remedy="Ask one of them.")
            schedules.add_query(workspace, book, **said)
        case LetterIn():
            from goldthread.stops.letters import what_of

            schedules.add_letter(workspace, book, what=what_of(workspace, book, body.letter), **said)
        case WatchIn():
            what = watch_of(workspace, book, body.question, said.pop("query"), books.today_of(book))
            schedules.add_watch(workspace, book, what=what, **said)


def _waiting(api: APIBlueprint, workspace: Workspace, jobs: JobBoard) -> None:
    def listed(book: BookRow) -> Response:
        return reply(WaitingFilesShape(files=WaitingShape.each_of(schedules.list_waiting(workspace, book))))

    @api.get("/waiting", responses={200: WaitingFilesShape})
    @asks(Right.CHANGE)
    def list_waiting(path: BookPath) -> Response:
        """Files that came by themselves and wait for an answer, the oldest first."""
        return listed(books.find_book(workspace, path.book))

    @api.post("/waiting/<int:waiting>/look", responses={202: JobShape})
    @asks(Right.CHANGE)
    def look_at_waiting(path: WaitingPath) -> Response:
        """Look at a file that waits, as at one that was sent. When it is imported it waits no more."""
        book = books.find_book(workspace, path.book)
        return reply(JobShape.of(jobs.start("look at waiting", book=book.id, waiting=path.waiting)), 202)

    @api.delete("/waiting/<int:waiting>", responses={200: WaitingFilesShape})
    @asks(Right.CHANGE)
    def leave_out(path: WaitingPath) -> Response:
        """Leave out a file that waits; gives those that are left."""
        book = books.find_book(workspace, path.book)
        waiting.leave_out(workspace, book, path.waiting)
        return listed(book)


def _letters(api: APIBlueprint, workspace: Workspace) -> None:
    @api.get("/letters", responses={200: LettersShape})
    @asks(Right.CHANGE)
    def list_letters(path: BookPath, query: PagesQuery) -> Response:
        """The letters that were sent, the newest first."""
        book = books.find_book(workspace, path.book)
        total, rows = schedules.list_letters(workspace, book, query.offset, query.limit)
        return reply(LettersShape(total=total, letters=LetterShape.each_of(rows)))

    @api.get("/letters/<int:letter>", responses={200: None})
    @asks(Right.CHANGE)
    def take_letter(path: LetterPath) -> Response:
        """A letter as it was sent, as a message (RFC 5322)."""
        row, content = schedules.find_letter(workspace, books.find_book(workspace, path.book), path.letter)
        taken(workspace, path.book, f"letter: {row.subject}")
        return file_reply(content, _MESSAGE_TYPE, "letter.eml")
