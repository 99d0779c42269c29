"""A brief as it is shown: its findings with what they say now and said when they were pinned, as one page or a mail."""

from __future__ import annotations

import base64
import datetime as dt
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from email.message import EmailMessage
from typing import Any

from goldthread.core.book.days import to_day
from goldthread.core.calendar_words import date_words
from goldthread.errors import GoldThreadError
from goldthread.stops.findings import FigureSaid, Said, chance_words, figure_before, say
from goldthread.stops.letter_page import Column
from goldthread.stops.pages import PAGES
from goldthread.stops.words import Block, blocks_of
from goldthread.store.books import BookRow
from goldthread.store.briefs import FindingRow, list_findings
from goldthread.workspace import Workspace

_PAGE = PAGES.get_template("brief")


@dataclass(frozen=True, eq=False)
class Shown:
    """A finding as it is shown.

    Attributes
    ----------
    figure : the figure that stands large; None for words, and for a view as a whole
    notes : what it was, or is by now, and whether the change could be chance; or why it cannot be asked any more
    sentence : what its view asks
    changed : whether it says otherwise now than when it was pinned
    digest : what distinguishes the figures of its table from others; blank for words, and for what is as it was
    columns, rows : its table, where it has no picture
    picture : what gives its picture as PNG; None without one
    size : how wide and how high that is, in dots
    """

    row: FindingRow
    blocks: list[Block]
    figure: FigureSaid | None = None
    notes: tuple[str, ...] = ()
    sentence: str = ""
    changed: bool = False
    columns: list[Column] = field(default_factory=list)
    rows: list[list[str]] = field(default_factory=list)
    picture: Callable[[], bytes | None] | None = None
    digest: str = ""
    size: tuple[int, int] = (0, 0)


def show_all(workspace: Workspace, book: BookRow, brief: int, today: dt.date) -> list[Shown]:
    """The findings of a brief as they are shown on a day, in their order."""
    return [show(workspace, book, each, today) for each in list_findings(workspace.record.engine, brief)]


def show(workspace: Workspace, book: BookRow, row: FindingRow, today: dt.date) -> Shown:
    """A finding as it is shown on a day. What cannot be asked any more says so, and shows what it kept."""
    blocks = blocks_of(row.words)
    if row.pinned is None:
        return Shown(row, blocks)
    on = date_words(to_day(row.made_at.date()))
    try:
        now: Said | None = say(workspace, book, row.pinned, today)
        problem = ""
    except GoldThreadError as error:
        now, problem = None, f"It cannot be asked any more: {error.detail}"
    before, was = row.kept or {}, figure_before(row.kept)
    changed = now is not None and (
        _text(now.figure) != was.text if was is not None else now.digest != before.get("digest", now.digest)
    )
    sentence = ((now.sentences if now else ()) or tuple(before.get("sentences", ())) or ("",))[0]
    if row.live and now is not None:
        columns, rows = ([], []) if now.picture else now.table()
        notes = _notes_of(now.figure, was, on, changed=changed, live=True)
        png = now.png if now.picture else None
        return Shown(row, blocks, now.figure, notes, sentence, changed, columns, rows, png, now.digest, now.size())
    kept = base64.b64decode(before.get("picture", ""))
    notes = () if now is None else _notes_of(now.figure, was, on, changed=changed, live=False)
    return Shown(
        row,
        blocks,
        was,
        (f"As it was on {on}.", *notes, *([problem] if problem else [])),
        sentence,
        changed,
        [] if kept else [Column(*each) for each in before.get("columns", [])],
        [] if kept else before.get("rows", []),
        (lambda: kept) if kept else None,
        size=_size_of(kept),
    )


def _size_of(png: bytes) -> tuple[int, int]:
    """How wide and how high a picture is, in dots, as its header says (PNG, section 11.2.2); 0 without one."""
    return (int.from_bytes(png[16:20]), int.from_bytes(png[20:24])) if png else (0, 0)


def picture_address(png: bytes) -> str:
    """A picture as an address that holds all of it (RFC 2397)."""
    return f"data:image/png;base64,{base64.b64encode(png).decode('ascii')}"


def _text(figure: FigureSaid | None) -> str:
    return "" if figure is None else figure.text


def _notes_of(now: FigureSaid | None, was: FigureSaid | None, on: str, *, changed: bool, live: bool) -> tuple[str, ...]:
    """What a finding was when it was pinned, or is by now."""
    if not changed:
        return ()
    if now is None or was is None:
        return (f"It has changed since it was pinned on {on}." if live else "It says otherwise now.",)
    chance = chance_words(now, was)
    said = f"was {was.text} when it was pinned on {on}" if live else f"now {now.text}"
    return (f"{said[0].upper()}{said[1:]}{f'; {chance}' if chance else ''}.",)


def brief_page(book: BookRow, name: str, shown: Sequence[Shown], today: dt.date) -> str:
    """A brief as one HTML file, pictures inside."""
    return _page(book, name, shown, today, lambda _, png: picture_address(png))


def brief_message(book: BookRow, name: str, shown: Sequence[Shown], today: dt.date) -> EmailMessage:
    """A brief as a message without from whom and to whom: a plain part, and one of HTML with the pictures in it."""
    message, pictures = EmailMessage(), dict[str, bytes]()

    def inside(at: int, png: bytes) -> str:
        pictures[f"finding-{at}@letter"] = png
        return f"cid:finding-{at}@letter"

    page = _page(book, name, shown, today, inside)
    message["Subject"] = f"{book.name}: {name}, {date_words(to_day(today))}"
    message.set_content(brief_text(book, name, shown, today))
    message.add_alternative(page, subtype="html")
    html: Any = message.get_body(("html",))
    for cid, png in pictures.items():
        html.add_related(png, "image", "png", cid=f"<{cid}>", disposition="inline", filename=f"{cid[:9]}.png")
    return message


def brief_text(book: BookRow, name: str, shown: Sequence[Shown], today: dt.date) -> str:
    """A brief as plain text; the words as they were typed."""
    parts = [f"{name}\n{_under(book, today)}"]
    for each in shown:
        figure = "" if each.figure is None else f"{each.figure.text} {each.figure.beside}"
        lines = [each.row.heading, figure, *each.notes, each.row.words, each.sentence]
        parts.append("\n".join(line for line in lines if line))
    return "\n\n".join(parts) + "\n"


def _page(
    book: BookRow, name: str, shown: Sequence[Shown], today: dt.date, address: Callable[[int, bytes], str]
) -> str:
    findings = []
    for at, each in enumerate(shown):
        png = None if each.picture is None else each.picture()
        findings.append(
            {
                "heading": each.row.heading,
                "figure": "" if each.figure is None else each.figure.text,
                "beside": "" if each.figure is None else each.figure.beside,
                "notes": each.notes,
                "blocks": each.blocks,
                "sentence": each.sentence if each.figure is None else f"{each.figure.words} {each.sentence}",
                "picture": "" if png is None else address(at, png),
                "columns": each.columns,
                "rows": each.rows,
            }
        )
    return _PAGE.render(title=name, under=_under(book, today), findings=findings)


def _under(book: BookRow, today: dt.date) -> str:
    return f"{book.name}, {date_words(to_day(today))}"
