"""Briefs: pages of findings that people write for others."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from goldthread.actions.books import short_name
from goldthread.actions.log import Deed, put_down
from goldthread.errors import InvalidInput
from goldthread.store import briefs
from goldthread.store.books import BookRow
from goldthread.store.briefs import BriefRow, FindingRow
from goldthread.store.schema.written import BRIEF_NAME_LENGTH, HEADING_LENGTH, WORDS_LENGTH
from goldthread.workspace import Workspace

QUERY_LENGTH = 16_000
Keep = Callable[[dict[str, str], bool], dict[str, Any]]
"""What something pinned says now, as it is kept; whole, with its table and picture, or its figure alone."""


def list_briefs(workspace: Workspace, book: BookRow) -> list[BriefRow]:
    """The briefs of a book, by name."""
    return briefs.list_briefs(workspace.record.engine, book.id)


def find_brief(workspace: Workspace, book: BookRow, brief: int | str) -> BriefRow:
    """One of them, by number or name. Raises `NotFound`."""
    return briefs.find_brief(workspace.record.engine, book.id, brief)


def list_findings(workspace: Workspace, row: BriefRow) -> list[FindingRow]:
    """The findings of a brief, in their order."""
    return briefs.list_findings(workspace.record.engine, row.id)


def find_finding(workspace: Workspace, row: BriefRow, finding: int) -> FindingRow:
    """One finding. Raises `NotFound`."""
    return briefs.find_finding(workspace.record.engine, row.id, finding)


def add_brief(workspace: Workspace, book: BookRow, name: str) -> BriefRow:
    """Begin a brief. Raises `InvalidInput`, `Conflict` and `TooLarge`."""
    kept = short_name(name, "name", BRIEF_NAME_LENGTH)
    number = briefs.add_brief(workspace.record.engine, book.id, kept)
    put_down(workspace, Deed.BRIEF_WRITTEN, book.id, kept)
    return find_brief(workspace, book, number)


def change_brief(
    workspace: Workspace, book: BookRow, row: BriefRow, name: str, order: Sequence[int], seen: int | None = None
) -> None:
    """Rename a brief, and put its findings in an order. Raises `InvalidInput`, `NotAllowed`, and `Conflict` when it was
    changed since the version that was ``seen``."""
    briefs.must_edit(row)
    kept = short_name(name, "name", BRIEF_NAME_LENGTH)
    briefs.change_brief(workspace.record.engine, book.id, row, kept, order, seen)
    put_down(workspace, Deed.BRIEF_WRITTEN, book.id, kept)


def remove_brief(workspace: Workspace, book: BookRow, row: BriefRow) -> None:
    """Remove a brief with its findings. Raises `NotAllowed`."""
    briefs.must_edit(row)
    briefs.remove_brief(workspace.record.engine, book.id, row.id)
    put_down(workspace, Deed.BRIEF_REMOVED, book.id, row.name)


def add_finding(
    workspace: Workspace,
    book: BookRow,
    row: BriefRow,
    heading: str,
    words: str,
    pinned: dict[str, str] | None,
    keep: Keep,
    *,
    live: bool,
) -> int:
    """Put a finding at the end of a brief; its number. ``pinned``: the ``stop`` and ``query`` of a view and the
    ``figure``, blank for the view as a whole; None for words alone. Raises `InvalidInput`, `NotAllowed`, `TooLarge` and
    what ``keep`` raises."""
    briefs.must_edit(row)
    said = _checked(heading, words, has_more=pinned is not None)
    if pinned is not None and len(pinned["query"]) + len(pinned["figure"]) > QUERY_LENGTH:
        raise InvalidInput(
            f"This takes more than {QUERY_LENGTH} characters to write down.",
            remedy="Make its filter shorter, or keep the customers as a list and use that.",
            field="query",
        )
    kept = None if pinned is None else keep(pinned, not live)
    values = {**said, "pinned": pinned, "live": live, "kept": kept}
    number = briefs.add_finding(workspace.record.engine, book.id, row.id, values)
    put_down(workspace, Deed.BRIEF_WRITTEN, book.id, row.name, finding=number)
    return number


def edit_finding(
    workspace: Workspace,
    book: BookRow,
    row: BriefRow,
    finding: int,
    heading: str,
    words: str,
    keep: Keep,
    *,
    live: bool,
    seen: int | None = None,
) -> None:
    """Write a finding anew. One that was live and is to stay as it is keeps what it says now. Raises `InvalidInput`,
    `NotAllowed`, `NotFound`, and `Conflict` when it was written since the version that was ``seen``."""
    briefs.must_edit(row)
    found = find_finding(workspace, row, finding)
    values: dict[str, Any] = {**_checked(heading, words, has_more=found.pinned is not None), "live": live}
    if found.pinned is not None and found.live and not live:
        values["kept"] = keep(found.pinned, True)
    briefs.edit_finding(workspace.record.engine, book.id, row.id, finding, values, seen)
    put_down(workspace, Deed.BRIEF_WRITTEN, book.id, row.name, finding=finding)


def remove_finding(workspace: Workspace, book: BookRow, row: BriefRow, finding: int) -> None:
    """Remove a finding. Raises `NotAllowed` and `NotFound`."""
    briefs.must_edit(row)
    briefs.remove_finding(workspace.record.engine, book.id, row.id, finding)
    put_down(workspace, Deed.BRIEF_WRITTEN, book.id, row.name, finding=finding)


def _checked(heading: str, words: str, *, has_more: bool) -> dict[str, str]:
    said = {"heading": " ".join(heading.split()), "words": words.strip()}
    for name, most in (("heading", HEADING_LENGTH), ("words", WORDS_LENGTH)):
        if len(said[name]) > most:
            raise InvalidInput(
                f"The {name} has {len(said[name])} characters; {most} can be kept.",
                remedy="Say it shorter.",
                field=name,
            )
    if not has_more and not any(said.values()):
        raise InvalidInput(
            "There is neither a heading nor a word.", remedy="Write what was found, or pin a figure.", field="words"
        )
    return said
