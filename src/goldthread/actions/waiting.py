"""Files that came by themselves: put away when they are done with, and those that wait until somebody answers."""

from __future__ import annotations

import datetime as dt
import shutil
from collections.abc import Sequence
from pathlib import Path

from goldthread.actions import uploads
from goldthread.actions.deliveries import rejected_of_delivery
from goldthread.actions.log import Deed, put_down
from goldthread.actions.reports import ReportShape
from goldthread.actions.uploads import SentFile
from goldthread.actor import actor
from goldthread.core.records import Progress
from goldthread.intake.packing import Table
from goldthread.store import waiting_files
from goldthread.store.books import BookRow
from goldthread.store.schedules import ScheduleRow
from goldthread.store.waiting_files import WaitingRow
from goldthread.store.write.delivery import DeliveryReport
from goldthread.workspace import Workspace

DONE, FAILED, WAITS = "done", "failed", "waiting"
"""Folders beside the files, into which they go."""
ROWS = ".rows"
"""How a file ends that holds the rows of a query."""
_ALIKE_MOST = 10_000


def waits_already(workspace: Workspace, book: BookRow, row: ScheduleRow, folder: Path) -> WaitingRow | None:
    """The file of a schedule that waits; one whose move was broken off is moved now."""
    waits = waiting_files.list_waiting(workspace.record.engine, book.id, row.id)
    for each in waits:
        target, origin = Path(each.path), folder / each.name
        if not target.exists() and origin.is_file():
            target.parent.mkdir(exist_ok=True)
            origin.replace(target)
    return waits[0] if waits else None


def have_wait(
    workspace: Workspace,
    row: ScheduleRow,
    at: dt.datetime,
    source: str,
    path: Path,
    target: Path,
    why: str,
    since: dict[str, str] | None,
    name: str = "",
) -> None:
    """Put down that a file waits, and put it where it does; on record first, so that it cannot be lost between."""
    target.parent.mkdir(exist_ok=True)
    what = {"source": source, "name": name or path.name, "path": str(target), "why": why}
    waiting_files.add_waiting(workspace.record.engine, row, at, since, **what)
    shutil.move(path, target)


def put_away(path: Path, folder: Path, report: str, rejected: str = "") -> None:
    """Move a file into a folder with its report, and its rejected rows, beside it."""
    folder.mkdir(exist_ok=True)
    target = folder / path.name
    for number in range(2, _ALIKE_MOST):
        if not target.exists():
            break
        target = folder / f"{path.stem}-{number}{path.suffix}"
    target.with_name(
        f"{target.name}.report.json" if report.startswith("[") else f"{target.name}.report.txt"
    ).write_text(report, encoding="utf-8")
    if rejected:
        target.with_name(f"{target.name}.rejected.csv").write_text(rejected, encoding="utf-8", newline="")
    shutil.move(path, target)


def report_of(reports: Sequence[DeliveryReport]) -> str:
    return f"[{','.join(ReportShape.of(report).model_dump_json() for report in reports)}]\n"


def rejected_in(workspace: Workspace, book: BookRow, reports: Sequence[DeliveryReport]) -> str:
    """The rejected rows of a file, as CSV; blank where none was."""
    told = ""
    for report in reports:
        if report.delivery_id is not None and report.rows_rejected:
            told += "".join(rejected_of_delivery(workspace, book, report.delivery_id)[1])
    return told


def copy_waiting(workspace: Workspace, book: BookRow, row: WaitingRow, progress: Progress) -> list[SentFile]:
    """Keep a copy of a file that waits, to be looked at by a person. Raises `NotFound` where it is gone."""
    path = Path(row.path)
    return uploads.keep_waiting(
        workspace.settings, book.id, path, row.name, row.id, progress, typed=path.suffix == ROWS
    )


def open_waiting(workspace: Workspace, book: BookRow, waiting: int, folder: Path) -> list[SentFile]:
    """The files of one that waits, where it lies. ``folder`` must live as long as they are used. Raises `NotFound`."""
    row = find_waiting(workspace, book, waiting)
    path = Path(row.path)
    if path.suffix == ROWS:
        return [SentFile(row.name, folder, (Table("", path, typed=True),))]
    named = folder / row.name
    shutil.copyfile(path, named)
    return uploads.open_file(workspace.settings, named, folder)


def find_waiting(workspace: Workspace, book: BookRow, waiting: int) -> WaitingRow:
    """A file that waits. Raises `NotFound`."""
    return waiting_files.find_waiting(workspace.record.engine, book.id, waiting)


def settle(workspace: Workspace, book: BookRow, waiting: int, report: DeliveryReport) -> None:
    """A file that waited was imported by a person: it waits no more, and those behind it come with the next run."""
    engine = workspace.record.engine
    found = [each for each in waiting_files.list_waiting(engine, book.id) if each.id == waiting]
    if not found:
        return
    _end_waiting(workspace, book, found[0], DONE, report_of([report]), rejected_in(workspace, book, [report]))


def leave_out(workspace: Workspace, book: BookRow, waiting: int) -> None:
    """Leave out a file that waits: it is put away as failed. Raises `NotFound`."""
    row = find_waiting(workspace, book, waiting)
    _end_waiting(workspace, book, row, FAILED, f"Left out by {actor().name or 'whoever looked at it'}. {row.why}\n")
    put_down(workspace, Deed.LEFT_OUT, book.id, row.name, source=row.source)


def _end_waiting(
    workspace: Workspace, book: BookRow, row: WaitingRow, where: str, report: str, rejected: str = ""
) -> None:
    path = Path(row.path)
    if path.suffix == ROWS:
        path.unlink(missing_ok=True)
    elif path.exists():
        own = path.with_name(row.name)
        path.replace(own)
        put_away(own, path.parent.parent / where, report, rejected)
    waiting_files.remove_waiting(workspace.record.engine, book.id, row)
