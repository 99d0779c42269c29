"""What becomes of a file that nobody says a word of, or that is answered: read to its figures, asked about, refused."""

from __future__ import annotations

import datetime as dt
import tempfile
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from decimal import Decimal
from pathlib import Path
from zoneinfo import ZoneInfo

from goldthread.actions.deciding import reading_of
from goldthread.actions.inspecting import Given, look_at_table
from goldthread.actions.uploads import SentFile
from goldthread.core.records import OF_ORDERS, FileKind, Piece
from goldthread.errors import GoldThreadError, UnreadableFile
from goldthread.intake.formats import DateForm, DecimalMark, TwoDigitYears
from goldthread.intake.meanings import Choice
from goldthread.intake.packing import Packed, tables_of, unpack
from goldthread.intake.reading import read_pieces
from tests.support.files import LIMIT, unreported
from tests.support.forms import ASKED, REFUSED, RIGHT, WRONG, Figures, Form

_UTC = ZoneInfo("UTC")
LEFT_OUT_MOST = 0.02


@dataclass(frozen=True)
class Outcome:
    """How a file was taken; ``words`` is what was asked or wrong, ``figures`` what it came down to."""

    how: str
    words: str = ""
    figures: Figures | None = None


def given(said: Mapping[str, str]) -> Given:
    """Answers by name, as a command gives them."""
    return Given(
        choices={Choice(name): answer for name, answer in said.items() if name in list(Choice)},
        dates=DateForm(said["dates"]) if "dates" in said else None,
        years=TwoDigitYears(said["years"]) if "years" in said else None,
        decimal=DecimalMark(said["decimal"]) if "decimal" in said else None,
    )


def outcome(form: Form, said: Mapping[str, str] | None = None) -> Outcome:
    """What becomes of a form. Its figures are those of the orders that its rows make, as the record would make them."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        path = folder / form.name
        path.write_bytes(form.content)
        try:
            [file] = unpack(Packed(form.name, path), folder, LIMIT, unreported)
            table = SentFile(file.name, folder, tuple(tables_of(file, folder, LIMIT, unreported))).table()
            view = look_at_table(table, given=given(said or {}), kept=folder)
            reading = reading_of(view, given(said or {}))
            if reading.kind not in OF_ORDERS:
                return Outcome(WRONG, f"taken for {reading.kind}")
            pieces = list(read_pieces(view.file, reading, "EUR", _UTC, lambda _rows: None))
        except UnreadableFile as error:
            return Outcome(REFUSED, str(error))
        except GoldThreadError as error:
            return Outcome(ASKED, str(error))
    return _held(form, reading.kind, pieces)


def _held(form: Form, kind: FileKind, pieces: list[Piece]) -> Outcome:
    rejected = sum(len({problem.row for problem in piece.problems if problem.rejected}) for piece in pieces)
    orders: dict[str, tuple[str, str, Decimal]] = {}
    for number, customer, date, amount in _rows(pieces):
        known = orders.get(number)
        if known is None:
            orders[number] = (customer, date, Decimal(amount))
        elif kind is FileKind.ORDERS or known[0] != customer:
            rejected += known != (customer, date, Decimal(amount))
        else:
            orders[number] = (customer, min(known[1], date), known[2] + Decimal(amount))
    read = sum(piece.read for piece in pieces)
    if rejected > LEFT_OUT_MOST * read or not orders:
        reasons = {problem.reason for piece in pieces for problem in piece.problems if problem.rejected}
        return Outcome(ASKED, f"{rejected} of {read} rows would be left out: {' '.join(sorted(reasons))}")
    dates = [dt.date.fromisoformat(date) for _, date, _ in orders.values()]
    cents = sum(int(amount * 100) for _, _, amount in orders.values())
    found = Figures(len(orders), len({customer for customer, _, _ in orders.values()}), cents, min(dates), max(dates))
    return Outcome(RIGHT if found == form.figures else WRONG, str(found), found)


def _rows(pieces: list[Piece]) -> Iterator[tuple[str, str, str, str]]:
    for piece in pieces:
        columns = piece.rows.columns
        yield from zip(*(columns[name] for name in ("order_number", "customer", "date", "amount")), strict=True)
