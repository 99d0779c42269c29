"""Files that were sent: looked at before they are imported, and imported."""

from __future__ import annotations

from goldthread.actions import deciding, deliveries, inspecting, uploads, waiting
from goldthread.actions.deliveries import Errand
from goldthread.actions.inspecting import NOTHING_GIVEN, Given
from goldthread.actions.jobs import LookedAt
from goldthread.actions.log import Deed, put_down
from goldthread.actions.uploads import Arrival, SentFile
from goldthread.core.records import FileKind, Progress
from goldthread.store.books import BookRow
from goldthread.store.write.delivery import DeliveryReport
from goldthread.workspace import Workspace


def look_at_arrival(workspace: Workspace, book: BookRow, arrival: Arrival, progress: Progress) -> list[LookedAt]:
    """Keep a file that arrived, or the files packed in it, and look at each; nothing is left when that fails."""
    return _looked_at(workspace, book, uploads.keep_files(workspace.settings, arrival, progress), progress)


def _looked_at(
    workspace: Workspace, book: BookRow, kept: list[SentFile], progress: Progress, source: str = ""
) -> list[LookedAt]:
    """Look at files that were kept; nothing is left of them when that fails."""
    try:
        return [look_at_sent(workspace, book, file, progress, source=source) for file in kept]
    except BaseException:
        for file in kept:
            uploads.forget(file)
        raise


def look_at_waiting(workspace: Workspace, book: BookRow, number: int, progress: Progress) -> list[LookedAt]:
    """Look at a file that came by itself and waits; it goes on waiting until a copy of it is imported. Raises
    `NotFound`."""
    row = waiting.find_waiting(workspace, book, number)
    return _looked_at(workspace, book, waiting.copy_waiting(workspace, book, row, progress), progress, row.source)


def look_at_query(workspace: Workspace, book: BookRow, database: str, query: str, progress: Progress) -> list[LookedAt]:
    """Keep the rows of a query to a database, and look at them; nothing is left when that fails."""
    kept = uploads.keep_query(workspace.settings, book.id, database, query, progress)
    try:
        put_down(workspace, Deed.QUERY_RUN, book.id, database, query=query)
        return [look_at_sent(workspace, book, kept, progress)]
    except BaseException:
        uploads.forget(kept)
        raise


def look_at_sent(
    workspace: Workspace,
    book: BookRow,
    sent: SentFile,
    progress: Progress,
    sheet: str | None = None,
    kind: FileKind | None = None,
    source: str = "",
    given: Given = NOTHING_GIVEN,
) -> LookedAt:
    """Look at a file that was sent: a sheet of it, as a kind, for a source, with what somebody said of it."""
    table = sent.table(sheet)
    known = inspecting.known_readings(workspace, book)
    view = inspecting.look_at_table(table, kind, given, known, source, progress, sent.folder)
    view = inspecting.with_padding(workspace, book, view)
    return LookedAt(sent, table.name, view)


def import_sent(
    workspace: Workspace,
    book: BookRow,
    sent: SentFile,
    source: str,
    sheet: str | None,
    kind: FileKind | None,
    given: Given,
    progress: Progress,
    *,
    dry_run: bool,
    accept_rejected: bool,
) -> DeliveryReport:
    """Import a file that was sent, as somebody said that it is read. A dry run finds out what would come of it."""
    table = sent.table(sheet)
    view = look_at_sent(workspace, book, sent, progress, sheet, kind, source, given).view
    reading = deciding.reading_of(view, given)
    name = f"{sent.name}, {table.name}" if table.name and len(sent.tables) > 1 else sent.name
    errand = Errand(source, name, view.file, reading, dry_run, sent.rejected, accept_rejected)
    report = deliveries.deliver_file(workspace, book, errand, progress)
    if report.delivery_id is not None:
        deliveries.bring_forward(workspace, book.id, progress)
    if report.delivery_id is not None or report.earlier_delivery_id is not None:
        if sent.waiting is not None and uploads.is_last_of(workspace.settings, book.id, sent):
            waiting.settle(workspace, book, sent.waiting, report)
        if report.delivery_id is not None and len(sent.tables) == 1:
            uploads.forget(sent)
    return report
