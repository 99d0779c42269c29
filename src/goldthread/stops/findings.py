"""What is pinned in a brief, as its question answers it: a view with its picture or table, or one figure of it."""

from __future__ import annotations

import base64
import datetime as dt
import hashlib
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, cast
from urllib.parse import parse_qs

import numpy as np

from goldthread.core.intervals import difference_of
from goldthread.errors import InvalidInput, TooLarge
from goldthread.stops.behind.evidence import Figure, Unit
from goldthread.stops.cells import DOTS_PER_INCH, can_draw, picture_inches
from goldthread.stops.letter_page import Column, shown_table
from goldthread.stops.saved import chosen, question_of
from goldthread.stops.sentences.amounts import amount_words
from goldthread.stops.sentences.sentence import number_words
from goldthread.stops.sheet import Sheet, sheet_csv
from goldthread.stops.stop import Answering, Evidence, Picture
from goldthread.store.books import BookRow
from goldthread.workspace import Workspace, asked_anew

KEPT_BYTES_MOST = 2 << 20
"""What one finding keeps of how it was."""
COUNTS_DAYS = {"days_since", "days_late", "overdue"}
"""Columns that move on with every day, which is nothing new."""
_PERCENT = 100
_REMEDY = "Remove the finding, and pin the figure again from its stop."


@dataclass(frozen=True)
class FigureSaid:
    """A figure as people read it; ``value``, ``low`` and ``high`` as in `Figure`."""

    text: str
    beside: str
    words: str
    unit: Unit
    value: float | None
    low: float | None
    high: float | None


@dataclass(frozen=True, eq=False)
class Said:
    """What a finding says. ``digest`` distinguishes the figures of its table from others; ``picture`` is how it is
    drawn, None where a table says it."""

    sentences: tuple[str, ...]
    figure: FigureSaid | None
    digest: str
    sheet: Sheet
    answer: Any
    picture: Picture[Any] | None

    def table(self) -> tuple[list[Column], list[list[str]]]:
        """Its table as people read it, no more than a letter has."""
        shown = shown_table(self.sheet, self.picture, self.answer)
        return shown.get("columns", []), shown.get("rows", [])

    def size(self) -> tuple[int, int]:
        """How wide and how high its picture is, in dots; 0 without one."""
        if self.picture is None:
            return 0, 0
        wide, high = picture_inches(self.picture, self.answer, self.sheet)
        return round(DOTS_PER_INCH * wide), round(DOTS_PER_INCH * high)

    def png(self) -> bytes | None:
        """Its picture, if it has one."""
        if self.picture is None:
            return None
        # the drawing of pictures is loaded when there is something to draw
        from goldthread.stops.pictures import draw

        return draw(self.picture, self.answer, self.sheet)


def say(workspace: Workspace, book: BookRow, pinned: Mapping[str, str], today: dt.date) -> Said:
    """What is pinned, as it is on a day. Raises `InvalidInput` and `NotFound` for what cannot be asked any more."""
    stop, kind, question = question_of(pinned["stop"], pinned["query"])
    answering: Answering[Any, Any] = stop.answering(kind)
    if pinned["figure"] and answering.evidence is None:
        raise InvalidInput(f"{stop.title} has no figure to pin there.", remedy="Pin the whole view.", field="figure")

    def asked() -> Said:
        answer = answering.asked(workspace, book, question, today)
        sheet = answering.sheet(workspace, answer)
        figure = None
        if pinned["figure"]:
            # looked at above
            evidence = cast("Evidence[Any, Any]", answering.evidence)
            which = chosen(evidence.figure, parse_qs(pinned["figure"], keep_blank_values=True), remedy=_REMEDY)
            figure = _figure(evidence.opened(answer, which, 0, 1).figure, book.currency)
        picture = answering.picture
        if picture is not None and not can_draw(picture, answer, sheet):
            picture = None
        return Said(tuple(sheet.sentences), figure, table_digest(sheet), sheet, answer, picture)

    return asked_anew(asked)


def table_digest(sheet: Sheet) -> str:
    """What distinguishes the figures of a table from others."""
    kept = [name for name in sheet.table.column_names if name not in COUNTS_DAYS]
    digest = hashlib.sha256()
    for piece in sheet_csv(Sheet((), sheet.table.select(kept))):
        digest.update(piece)
    return digest.hexdigest()


def _figure(figure: Figure, currency: str) -> FigureSaid:
    beside = f"{currency} {figure.beside}" if figure.unit is Unit.MONEY else figure.beside
    numbers = (figure.value, figure.low, figure.high)
    return FigureSaid(_figure_words(figure), beside, figure.words, figure.unit, *numbers)


def _figure_words(figure: Figure) -> str:
    if figure.value is None:
        return "—"
    match figure.unit:
        case Unit.SHARE:
            return f"{_PERCENT * figure.value:.{1 if figure.averaged else 0}f} %"
        case Unit.MONEY:
            return amount_words(round(figure.value))
        case Unit.COUNT:
            return number_words(round(figure.value))
        case Unit.NUMBER:
            return f"{figure.value:.2f}"


def keep(workspace: Workspace, book: BookRow, today: dt.date, pinned: dict[str, str], whole: bool) -> dict[str, Any]:
    """What something pinned says on a day, as it is kept."""
    return kept_of(say(workspace, book, pinned, today), whole=whole)


def kept_of(said: Said, *, whole: bool) -> dict[str, Any]:
    """What a finding said, as JSON that is kept: its sentence and figure, and ``whole``: its table and picture too.
    Raises `TooLarge`."""
    figure = None if said.figure is None else {**vars(said.figure), "unit": said.figure.unit.value}
    kept: dict[str, Any] = {"sentences": list(said.sentences), "figure": figure, "digest": said.digest}
    if whole:
        png, (columns, rows) = said.png(), said.table()
        kept["picture"] = "" if png is None else base64.b64encode(png).decode("ascii")
        kept["columns"], kept["rows"] = [[column.name, column.side] for column in columns], rows
        if len(str(kept)) > KEPT_BYTES_MOST:
            raise TooLarge("This is too large to be kept as it was.", remedy="Pin it live, or choose less.")
    return kept


def figure_before(before: Mapping[str, Any] | None) -> FigureSaid | None:
    """The figure that a finding said when it was pinned, if any."""
    told = None if before is None else before["figure"]
    return None if told is None else FigureSaid(**{**told, "unit": Unit(told["unit"])})


def chance_words(now: FigureSaid, before: FigureSaid) -> str:
    """Whether a change of a share could be chance, with the 95 % interval of the difference in points; blank for other
    figures."""
    ends = [(each.value, each.low, each.high) for each in (now, before)]
    if now.unit is not Unit.SHARE or any(None in each for each in ends):
        return ""
    one, other = (tuple(np.asarray(value, np.float64) for value in each) for each in ends)
    _, low, high = (float(_PERCENT * each) for each in difference_of(one, other))  # type: ignore[arg-type]
    verdict = "could be chance" if low <= 0 <= high else "is more than chance"
    return f"the difference {verdict} (95 % confidence interval {low:+.0f} to {high:+.0f} points)".replace("-", "−")
