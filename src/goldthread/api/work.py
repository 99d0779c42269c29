"""The kinds of work that take longer than a request, by what they are called on record, and what is told of each end.

Whoever asks for work puts its arguments down as JSON; a worker, mostly another process, reads them here.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any, TypeVar

from goldthread.actions import (
    books,
    deliveries,
    demo,
    importing,
    package,
    people,
    refreshing,
    schedule_runs,
    sending,
    uploads,
)
from goldthread.actions.jobs import Arguments, Kind, LookedAt, Made, Result, make_file
from goldthread.actions.reports import ReportShape, WithdrawalShape
from goldthread.actions.sending import Mailed
from goldthread.actions.uploads import Arrival
from goldthread.api.problems import describe
from goldthread.api.shapes.intake import CheckShape, DeliveryIn, FileShape, LookIn, MailedShape
from goldthread.api.shapes.mailing import TemplateBody
from goldthread.core.checks import Check
from goldthread.core.choices import Lane
from goldthread.core.records import Progress
from goldthread.errors import GoldThreadError
from goldthread.stops.checking import check_book
from goldthread.stops.findings import keep
from goldthread.stops.registry import question_called
from goldthread.stops.sentences.reading_line import ReadingLine
from goldthread.stops.sheet import CONTENT_TYPES, Form, write_sheet
from goldthread.stops.watched import measure, watch_of
from goldthread.store.books import BookRow
from goldthread.store.schedules import RUN, SEND
from goldthread.store.write.delivery import DeliveryReport
from goldthread.store.write.withdrawing import Withdrawal
from goldthread.workspace import Workspace, asked_anew

Listed = TypeVar("Listed")


def _book(workspace: Workspace, given: Arguments) -> BookRow:
    return books.find_book(workspace, int(given["book"]))


def fill_demo(workspace: Workspace, progress: Progress) -> DeliveryReport:
    """Bring in the demo supplier, with a figure that is watched and a brief. The report has no delivery id when all was
    there already."""
    report = demo.import_demo(workspace, progress)
    if report.delivery_id is not None:
        demo.begin_round(workspace, watch_of, keep)
    return report


def _fill_demo(workspace: Workspace, _given: Arguments, progress: Progress) -> DeliveryReport:
    return fill_demo(workspace, progress)


def _arrival(given: Arguments) -> Arrival:
    return Arrival(int(given["book"]), str(given["name"]), Path(given["folder"]))


def _look_at_arrival(workspace: Workspace, given: Arguments, progress: Progress) -> list[LookedAt]:
    return importing.look_at_arrival(workspace, _book(workspace, given), _arrival(given), progress)


def _discard_arrival(_workspace: Workspace, given: Arguments) -> None:
    uploads.discard(_arrival(given))


def _look_at_waiting(workspace: Workspace, given: Arguments, progress: Progress) -> list[LookedAt]:
    return importing.look_at_waiting(workspace, _book(workspace, given), int(given["waiting"]), progress)


def _run_schedule(workspace: Workspace, given: Arguments, progress: Progress) -> None:
    # the drawing of pictures is loaded when there is something to draw
    from goldthread.stops.letters import compose

    schedule_runs.run(workspace, given, progress, schedule_runs.Asking(compose, measure))


def _look_at_query(workspace: Workspace, given: Arguments, progress: Progress) -> list[LookedAt]:
    return importing.look_at_query(workspace, _book(workspace, given), given["database"], given["query"], progress)


def _look_at_sent(workspace: Workspace, given: Arguments, progress: Progress) -> list[LookedAt]:
    book, body = _book(workspace, given), LookIn.model_validate(given["body"])
    sent = uploads.find_file(workspace.settings, book.id, given["upload"])
    said = (body.sheet, body.kind, body.source, body.given())
    return [importing.look_at_sent(workspace, book, sent, progress, *said)]


def _import_sent(workspace: Workspace, given: Arguments, progress: Progress) -> DeliveryReport:
    book, body = _book(workspace, given), DeliveryIn.model_validate(given["body"])
    sent = uploads.find_file(workspace.settings, book.id, body.upload)
    said = (body.source, sent.table(body.sheet).name, body.kind, body.given())
    return importing.import_sent(
        workspace, book, sent, *said, progress, dry_run=body.dry_run, accept_rejected=body.accept_rejected
    )


def _refresh(workspace: Workspace, given: Arguments, progress: Progress) -> DeliveryReport:
    book = _book(workspace, given)
    said = {name: bool(given[name]) for name in ("as_before", "accept_rejected")}
    report = refreshing.refresh_book(workspace, book, progress, **said)
    deliveries.bring_forward(workspace, book.id, progress)
    return report


def _withdraw(workspace: Workspace, given: Arguments, progress: Progress) -> Withdrawal:
    book = _book(workspace, given)
    undone = deliveries.withdraw_delivery(workspace, book, int(given["delivery"]), progress)
    deliveries.bring_forward(workspace, book.id, progress)
    return undone


def _export_book(workspace: Workspace, given: Arguments, progress: Progress) -> Made:
    book = _book(workspace, given)
    return make_file(
        f"{book.name}.zip", "application/zip", lambda target: package.export_book(workspace, book, target, progress)
    )


def _import_book(workspace: Workspace, given: Arguments, progress: Progress) -> BookRow:
    arrival = _arrival(given)
    try:
        return package.import_book(workspace, arrival.content, given["book_name"], progress)
    finally:
        uploads.discard(arrival)


def _write_answer(workspace: Workspace, given: Arguments, progress: Progress) -> Made:
    """A file of an answer that takes a while to write."""
    book, form, today = _book(workspace, given), Form(given["form"]), dt.date.fromisoformat(given["today"])
    stop, kind = question_called(given["question"])
    question, answering = kind.fields.model_validate(given["asked"]), stop.answering(kind)
    sheet = asked_anew(lambda: answering.sheet(workspace, answering.asked(workspace, book, question, today)))
    name = f"{answering.called(question)}.{form}"
    return make_file(name, CONTENT_TYPES[form], lambda target: write_sheet(sheet, form, target, progress))


def _check(workspace: Workspace, given: Arguments, progress: Progress) -> list[Check]:
    line, today = ReadingLine.model_validate(given["asked"]), dt.date.fromisoformat(given["today"])
    return check_book(workspace, _book(workspace, given), line, today, progress)


def _send(workspace: Workspace, given: Arguments, progress: Progress) -> Mailed:
    body = TemplateBody.model_validate(given["body"])
    return sending.send(workspace, _book(workspace, given), int(given["list"]), body.template, body.by, progress)


def _mail_link(workspace: Workspace, given: Arguments, _progress: Progress) -> None:
    people.mail_forgotten(workspace, str(given["name"]))


KINDS: Mapping[str, Kind] = {
    "demo": Kind(_fill_demo, is_repeatable=True),
    "look at arrival": Kind(_look_at_arrival, is_attended=True, never_begun=_discard_arrival),
    "look at query": Kind(_look_at_query, is_repeatable=True, is_attended=True),
    "look at waiting": Kind(_look_at_waiting, is_repeatable=True, is_attended=True),
    "look at file": Kind(_look_at_sent, is_repeatable=True, is_attended=True),
    "import": Kind(_import_sent),
    "withdraw": Kind(_withdraw),
    "refresh": Kind(_refresh),
    "export book": Kind(_export_book, is_repeatable=True),
    "import book": Kind(_import_book, never_begun=_discard_arrival),
    "write answer": Kind(_write_answer, is_repeatable=True, is_attended=True),
    "check": Kind(_check, is_repeatable=True),
    "mail password link": Kind(_mail_link, is_repeatable=True, lane=Lane.MAIL),
    "send": Kind(_send, lane=Lane.MAIL),
    RUN: Kind(_run_schedule, is_repeatable=True),
    SEND: Kind(_run_schedule, is_repeatable=True, lane=Lane.MAIL),
}


def tell_result(result: Result) -> dict[str, Any]:
    """What came of a piece of work, as fields of `JobShape`."""
    told = {
        "report": ReportShape.of(result) if isinstance(result, DeliveryReport) else None,
        "files": _listed(result, LookedAt, lambda each: FileShape.of(each.sent, each.sheet, each.view)),
        "withdrawal": WithdrawalShape.of(result) if isinstance(result, Withdrawal) else None,
        "checks": _listed(result, Check, CheckShape.like),
        "mailed": MailedShape.like(result) if isinstance(result, Mailed) else None,
    }
    return {
        "book": result.id if isinstance(result, BookRow) else None,
        "file": result.name if isinstance(result, Made) else None,
        **{name: _plain(each) for name, each in told.items() if each is not None},
    }


def tell_error(error: GoldThreadError) -> dict[str, Any]:
    """Why a piece of work came to nothing, as fields of `JobShape`."""
    return {"error": describe(error).model_dump(mode="json")}


def _plain(told: Any) -> Any:
    return [_plain(each) for each in told] if isinstance(told, list) else told.model_dump(mode="json")


def _listed(result: Result, kind: type[Listed], shape: Callable[[Listed], Any]) -> list[Any] | None:
    """A result that is a list of one kind of things, each in its shape; None for any other result."""
    if not isinstance(result, list) or not all(isinstance(each, kind) for each in result):
        return None
    return [shape(each) for each in result if isinstance(each, kind)]
