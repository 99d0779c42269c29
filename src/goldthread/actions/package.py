"""Export a whole book as a Frictionless Data Package, and import one."""

from __future__ import annotations

from pathlib import Path

from goldthread.actions.books import checked_name
from goldthread.actions.log import Deed, put_down
from goldthread.core.records import Progress
from goldthread.errors import Conflict
from goldthread.intake.packing import limit_directory
from goldthread.store.books import BookRow
from goldthread.store.datasets import stays_in_files
from goldthread.store.package import exporting, importing
from goldthread.workspace import Workspace


def export_book(workspace: Workspace, book: BookRow, target: Path, progress: Progress) -> None:
    """Write a book with everything that was ever delivered to it. The file appears when it is whole. Raises `Conflict`
    for one whose orders stay in files."""
    with workspace.record.engine.connect() as connection:
        if stays_in_files(connection, book.id):
            raise Conflict(
                "The orders of this book stay in files, and are in no package.", remedy="Take the files themselves."
            )
    unfinished = target.with_name(f"{target.name}.new")
    try:
        exporting.export_book(
            workspace.record.engine, book, unfinished, lambda rows, total: progress("exporting", rows, total)
        )
        unfinished.rename(target)
    finally:
        unfinished.unlink(missing_ok=True)
    put_down(workspace, Deed.BOOK_EXPORTED, book.id)


def import_book(workspace: Workspace, path: Path, name: str | None, progress: Progress) -> BookRow:
    """Make a book of a package. Raises `UnreadableFile`, `TooLarge` or `Conflict`; then there is no new book."""
    wanted = checked_name(name, "book") if name else None
    limit = workspace.settings.unpacked_limit_mib << 20
    limit_directory(path)
    book = importing.import_book(
        workspace.record.engine, path, wanted, limit, lambda rows, total: progress("importing", rows, total)
    )
    put_down(workspace, Deed.BOOK_IMPORTED, book.id, book.name)
    return book
