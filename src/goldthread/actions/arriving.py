"""Files and rows that come by themselves: out of a folder, or by a query to a database.

They are imported as a person would import them who reads every question, so that whatever a person would be asked
keeps a file waiting: it is imported whole, or not at all. A file that came later waits behind it, for a later delivery
of an order is the one that counts.
"""

from __future__ import annotations

import datetime as dt
import os
import shutil
import tempfile
import uuid
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from goldthread.actions import deciding, deliveries, inspecting, uploads
from goldthread.actions.books import checked_name
from goldthread.actions.deliveries import Errand
from goldthread.actions.inspecting import FileView
from goldthread.actions.log import Deed, put_down
from goldthread.actions.people import must_be_granted
from goldthread.actions.reports import held_back_words
from goldthread.actions.uploads import SentFile
from goldthread.actions.waiting import (
    DONE,
    FAILED,
    ROWS,
    WAITS,
    have_wait,
    put_away,
    rejected_in,
    report_of,
    waits_already,
)
from goldthread.core.book.periods import period_label
from goldthread.core.calendar_words import period_words
from goldthread.core.choices import Period, RunState
from goldthread.core.coverage import coverage, turned_odd
from goldthread.core.records import OF_ORDERS, Progress
from goldthread.errors import GoldThreadError, InvalidInput, Stopped, TooLarge, Unavailable, UnreadableFile
from goldthread.intake.database import Since
from goldthread.settings import Settings, private_folder
from goldthread.store import waiting_files
from goldthread.store.books import BookRow, Remembered
from goldthread.store.schedules import Ended, ScheduleRow
from goldthread.store.write.delivery import DeliveryReport
from goldthread.workspace import Workspace

FILES_AT_ONCE, LOOKED_AT_MOST = 50, 10_000
SETTLED_SECONDS, LOOK_AGAIN_SECONDS = 20, 60
"""A file is whole when nothing was written to it for so long; how soon one is looked at again that is not."""
_NOT_WHOLE = (".part", ".partial", ".tmp", ".crdownload", ".filepart", ".swp")
_NAMED_MOST = 3


@dataclass(frozen=True)
class _Became:
    """What became of one file: ``why`` it waits, else the reports of what it holds."""

    why: str
    reports: tuple[DeliveryReport, ...]


def inbox(settings: Settings) -> Path:
    """The folder of ours out of which files may always be taken."""
    return private_folder(settings.var / "inbox")


def checked_folder(settings: Settings, folder: str, *, any_of_machine: bool) -> Path:
    """A folder that may be watched; one in our own is made. ``any_of_machine``: whoever asks runs this machine. Raises
    `InvalidInput`."""
    own = inbox(settings).resolve()
    path = (own / folder.strip()).resolve()
    allowed = [own, *settings.import_folders]
    if not folder.strip() or not (any_of_machine or any(path.is_relative_to(each.resolve()) for each in allowed)):
        raise InvalidInput(
            f"Files may not be taken out of {folder.strip() or 'a folder without a name'}.",
            remedy=f"Name a folder in {' or '.join(map(str, allowed))}, or have an administrator set import_folders.",
            field="folder",
        )
    if path.is_relative_to(own):
        path.mkdir(parents=True, exist_ok=True)
    if not path.is_dir():
        raise InvalidInput(f"There is no folder {path}.", remedy="Make it, or name another one.", field="folder")
    if not os.access(path, os.R_OK | os.W_OK | os.X_OK):
        raise InvalidInput(
            f"Files cannot be moved within {path}.",
            remedy="Let the user whom Gold Thread runs as read and write it.",
            field="folder",
        )
    return path


def called(settings: Settings, folder: Path) -> str:
    """A folder as people call it: by its name in the inbox, else by its whole path."""
    own = inbox(settings).resolve()
    return f"“{folder.relative_to(own)}” in the inbox" if folder.is_relative_to(own) else str(folder)


def take_folder(workspace: Workspace, book: BookRow, row: ScheduleRow, at: dt.datetime, progress: Progress) -> Ended:
    """Import the files of a folder that are whole, the oldest first, up to the first that waits.

    Raises `Unavailable` where the folder is gone, and what ``progress`` raises.
    """
    source, folder = checked_name(row.about["source"], "source"), Path(row.about["folder"])
    behind = waits_already(workspace, book, row, folder)
    whole, unsettled = _files(folder, at)
    if behind is not None:
        return Ended(RunState.WAITS, f"{behind.name} waits for an answer{_behind(len(whole) + unsettled)}.")
    said, failed, again_at = list[str](), False, None
    for place, path in enumerate(whole[:FILES_AT_ONCE]):
        progress("importing", place, len(whole))
        with tempfile.TemporaryDirectory(prefix="arriving-") as scratch:
            try:
                copied = _copied(path, Path(scratch), workspace.settings.unpacked_limit_mib << 20)
                if copied is None:
                    unsettled += 1
                    continue
                files = uploads.open_file(workspace.settings, copied, Path(scratch))
                became = _import(workspace, book, source, files, progress)
            except (Stopped, Unavailable):
                raise
            except GoldThreadError as error:
                failed = True
                said.append(f"{path.name} could not be imported: {error.detail}")
                put_away(path, folder / FAILED, f"{error}\n")
                continue
        if became.why:
            waits = folder / WAITS / f"{uuid.uuid4().hex[:8]}-{path.name}"
            have_wait(workspace, row, at, source, path, waits, became.why, None)
            said.append(f"{path.name} waits: {became.why}{_behind(len(whole) - place - 1)}")
            return Ended(RunState.WAITS, " ".join(said))
        said.append(_said(path.name, became.reports))
        put_away(path, folder / DONE, report_of(became.reports), rejected_in(workspace, book, became.reports))
    if len(whole) > FILES_AT_ONCE:
        said.append(f"{len(whole) - FILES_AT_ONCE} more files come next.")
        again_at = at
    if unsettled:
        said.append(f"{_files_words(unsettled)} still being written.")
        again_at = at + dt.timedelta(seconds=LOOK_AGAIN_SECONDS)
    state = RunState.FAILED if failed else RunState.DONE if whole else RunState.NOTHING
    return Ended(state, " ".join(said) or "No file was there.", again_at=again_at)


def take_query(workspace: Workspace, book: BookRow, row: ScheduleRow, at: dt.datetime, progress: Progress) -> Ended:
    """Import the rows of a query that came since the last ones. Raises `NotAllowed`, as `query_database`, and what
    ``progress`` raises."""
    about, source = row.about, checked_name(row.about["source"], "source")
    waits = waiting_files.list_waiting(workspace.record.engine, book.id, row.id)
    if waits:
        return Ended(RunState.WAITS, f"{waits[0].name} wait for an answer.")
    must_be_granted(workspace, about["database"])
    address = uploads.address_of(workspace.settings, about["database"])
    since = Since.of(about["since_column"], row.kept.get("since") or about["since"]) if about["since_column"] else None
    name = f"rows of {about['database']}, {at:%Y-%m-%d %H:%M}"
    with tempfile.TemporaryDirectory(prefix="arriving-") as scratch:
        asked = (workspace.settings, address, about["query"], Path(scratch), name, progress, since)
        try:
            sent, rows = uploads.query_database(*asked)
        finally:
            put_down(workspace, Deed.QUERY_RUN, book.id, about["database"], query=about["query"])
        if not rows.count:
            return Ended(RunState.NOTHING, "No row has come since.")
        going_on = rows.since.told() if rows.since is not None else None
        became = _import(workspace, book, source, [sent], progress)
        if became.why:
            target = private_folder(workspace.settings.var / WAITS) / f"{uuid.uuid4().hex}{ROWS}"
            have_wait(workspace, row, at, source, sent.tables[0].path, target, became.why, going_on, name)
            return Ended(RunState.WAITS, f"{name} wait: {became.why}")
    return Ended(RunState.DONE, _said(name, became.reports), kept={"since": going_on})


def _files(folder: Path, at: dt.datetime) -> tuple[list[Path], int]:
    """The files of a folder that are whole, the oldest first, and how many are not. Raises `Unavailable`."""
    whole, unsettled = list[tuple[float, str]](), 0
    now = at.replace(tzinfo=dt.UTC).timestamp()
    try:
        with os.scandir(folder) as entries:
            for seen, entry in enumerate(entries):
                if seen >= LOOKED_AT_MOST:
                    break
                if entry.name.startswith((".", "~")) or not entry.is_file(follow_symlinks=False):
                    continue
                found = entry.stat()
                if (
                    entry.name.casefold().endswith(_NOT_WHOLE)
                    or not found.st_size
                    or abs(now - found.st_mtime) < SETTLED_SECONDS
                ):
                    unsettled += 1
                else:
                    whole.append((found.st_mtime, entry.name))
    except OSError as error:
        raise Unavailable(
            f"The folder {folder} cannot be read: {error.strerror}.", remedy="Bring it back, or name another one."
        ) from None
    return [folder / name for _, name in sorted(whole)], unsettled


def _copied(path: Path, scratch: Path, limit_bytes: int) -> Path | None:
    """A copy of a file; None where somebody wrote to it meanwhile. Raises `TooLarge`."""
    before = path.stat()
    if before.st_size > limit_bytes:
        raise TooLarge(
            f"{path.name} is larger than {limit_bytes >> 20} MiB.", remedy="Set unpacked_limit_mib higher, or split it."
        )
    copied = scratch / path.name
    shutil.copyfile(path, copied)
    after = path.stat()
    return copied if (before.st_size, before.st_mtime_ns) == (after.st_size, after.st_mtime_ns) else None


def _import(workspace: Workspace, book: BookRow, source: str, files: Sequence[SentFile], progress: Progress) -> _Became:
    """Import what a file holds, or say why it waits: then nothing of it is imported."""
    planned = list[Errand]()
    for file in files:
        errand, why = _plan(workspace, book, source, file, progress)
        if errand is None:
            return _Became(f"{file.name}: {why}" if len(files) > 1 else why, ())
        planned.append(errand)
    reports = list[DeliveryReport]()
    for errand in planned:
        report = deliveries.deliver_file(workspace, book, errand, progress)
        if report.held_back:
            # somebody changed the book since it was looked at
            return _Became(held_back_words(report), tuple(reports))
        reports.append(report)
    if any(report.delivery_id is not None for report in reports):
        deliveries.bring_forward(workspace, book.id, progress)
    return _Became("", tuple(reports))


def _plan(
    workspace: Workspace, book: BookRow, source: str, file: SentFile, progress: Progress
) -> tuple[Errand | None, str]:
    """How a file is imported; what a person would be asked where it has to wait. Raises `UnreadableFile`."""
    table, known = file.table(), inspecting.known_readings(workspace, book)
    view = inspecting.look_at_table(table, known=known, source=source, kept=file.folder)
    view = inspecting.with_padding(workspace, book, view)
    asked = _unlike_before(view, source, known)
    if asked:
        return None, asked
    try:
        reading = deciding.reading_of(view)
    except UnreadableFile:
        raise
    except InvalidInput as error:
        return None, str(error)
    errand = Errand(source, file.name, view.file, reading)
    report = deliveries.deliver_file(workspace, book, replace(errand, dry_run=True), progress)
    if report.earlier_delivery_id is not None:
        return errand, ""
    if report.held_back or not report.rows_in:
        return None, held_back_words(report)
    asked = _odd_months(workspace, book, source, report) if reading.kind in OF_ORDERS else ""
    return (None, asked) if asked else (errand, "")


def _unlike_before(view: FileView, source: str, known: Sequence[Remembered]) -> str:
    """What of a file is not as the last one of its source; blank where nothing is."""
    kinds = {each.kind: each for each in known if each.source == source}
    if not kinds:
        return f"No file of {source} was imported before: is it read right?"
    last = kinds.get(view.guess.kind)
    if last is None:
        were = " and ".join(sorted(kind.value for kind in kinds))
        return f"It reads as {view.guess.kind}; what came from {source} before were {were}."
    if view.misfits:
        return " ".join(view.misfits)
    unknown = [name for name in view.file.header if name not in last.header]
    if unknown:
        named = ", ".join(f"“{name}”" for name in unknown[:_NAMED_MOST])
        return f"No file of {source} had the column{'s' if len(unknown) > 1 else ''} {named} before."
    return ""


def _odd_months(workspace: Workspace, book: BookRow, source: str, report: DeliveryReport) -> str:
    """Which months would look doubled or missing; blank where none would."""
    shelved = workspace.orders(book.id)
    before = workspace.answer(shelved, "coverage", lambda: coverage(shelved.orders))
    turned = turned_odd(before, source, report.added_by_month)

    def named(months: tuple[int, ...]) -> str:
        return ", ".join(period_words(period_label(month, Period.MONTH)) for month in months[:_NAMED_MOST])

    if turned.doubled:
        return f"{named(turned.doubled)} would have twice the usual orders of {source}: does it come twice?"
    if turned.missing:
        return f"{named(turned.missing)} would have no order of {source}: is a file missing before it?"
    return ""


def _said(name: str, reports: Sequence[DeliveryReport]) -> str:
    """What came of a file, in a sentence."""
    if all(report.earlier_delivery_id is not None for report in reports):
        return f"{name} was imported before."
    added, changed, rejected = (
        sum(getattr(report, what) for report in reports) for what in ("added", "changed", "rows_rejected")
    )
    further = "".join(f", {many} {how}" for many, how in ((changed, "changed"), (rejected, "rejected")) if many)
    return f"{name}: {added} added{further}."


def _behind(files: int) -> str:
    return f"; {_files_words(files)} behind it" if files else ""


def _files_words(files: int) -> str:
    return "1 file is" if files == 1 else f"{files} files are"
