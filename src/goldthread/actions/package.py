"""Take a whole book out as a Frictionless Data Package, and bring one back."""

from __future__ import annotations

from pathlib import Path

from goldthread.actions.books import checked_name
from goldthread.actions.workspace import Workspace
from goldthread.core.records import Progress
from goldthread.intake.packing import hold_directory
from goldthread.store.books import BookRow
from goldthread.store.package import take_out
from goldthread.store.package_in import bring_back


def take_book_out(workspace: Workspace, book: BookRow, target: Path, progress: Progress) -> None:
    """Write a book with everything that was ever delivered to it. The file appears when it is whole."""
    unfinished = target.with_name(f"{target.name}.new")
    try:
        take_out(workspace.record.engine, book, unfinished, lambda rows, total: progress("taking out", rows, total))
        unfinished.rename(target)
    finally:
        unfinished.unlink(missing_ok=True)


def bring_book_back(workspace: Workspace, path: Path, name: str | None, progress: Progress) -> BookRow:
    """Make a book of a package. Raises `UnreadableFile`, `TooLarge` or `Conflict`; then there is no new book."""
    wanted = checked_name(name, "book") if name else None
    limit = workspace.settings.unpacked_limit_mib << 20
    hold_directory(path)
    return bring_back(
        workspace.record.engine, path, wanted, limit, lambda rows, total: progress("bringing back", rows, total)
    )
