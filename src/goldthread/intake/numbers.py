"""What makes an order number unique: itself, or with it a shop, a till, the year or the day, found over all rows."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

from goldthread.intake.compared import CellHashes
from goldthread.intake.matching import FEW_MISTAKES, FEW_ROWS, Sample, share
from goldthread.intake.meanings import Meaning, dated_by
from goldthread.intake.names import senses_of
from goldthread.intake.values import is_amount

_FEW_KINDS = 0.2
_OWN_SENSES = frozenset(["product", "category", "quantity", "amount", "price", "status", "tax", "discount"])


class NumbersPer(StrEnum):
    """Within what order numbers are unique, beside a column of the file; ``ALONE``: in the whole source."""

    ALONE = "alone"
    YEAR = "year"
    DAY = "day"


@dataclass(frozen=True)
class NumberKey:
    """The places by which rows belong to one order. ``beside`` is a column that belongs to the number, ``per`` a part
    of the date. ``is_open``: one number has several customers or dates, in ``rows`` rows, and nothing makes it
    unique."""

    places: tuple[int, ...]
    held_places: tuple[int, ...] = ()
    beside: str = ""
    per: NumbersPer = NumbersPer.ALONE
    is_open: bool = False
    rows: int = 0

    @property
    def words(self) -> str:
        """What is unique, in words."""
        if self.beside:
            return f"order number with its “{self.beside}”"
        return "order number" if self.per is NumbersPer.ALONE else f"order number of one {self.per}"


def number_key(table: Sample, columns: Mapping[Meaning, str]) -> NumberKey:
    """What makes the order numbers of a file unique.

    A number that comes again with another customer or date is a mistake where it is rare. Where it is not, the one
    column of few values is looked for that leaves one customer and one date for each pair; else the year of the date,
    its day.
    """
    number, customer = columns.get(Meaning.ORDER_NUMBER), columns.get(Meaning.CUSTOMER)
    dated = [table.place(columns[each]) for each in dated_by(columns)]
    if number is None or customer is None:
        return NumberKey(() if number is None else (table.place(number),))
    own, held = table.place(number), (table.place(customer), *dated)
    known = columns.get(Meaning.NUMBER_WITH)
    if known is not None:
        return NumberKey((own, table.place(known)), held, known)
    rows = _contradicting(table.compared, (own,), held)
    if rows <= FEW_MISTAKES * table.rows or table.rows < FEW_ROWS:
        return NumberKey((own,), held)
    pairs = [name for name in table.header if _may_belong(table, columns, name)]
    pairs = [name for name in pairs if _is_settled(table, (own, table.place(name)), held)]
    if pairs:
        beside = min(pairs, key=lambda name: ("about" not in senses_of(name)[0], table.distinct(name)))
        return NumberKey((own, table.place(beside)), held, beside)
    date = table.profile.dated.get(dated[0]) if dated else None
    if date is not None:
        for per, place in zip((NumbersPer.YEAR, NumbersPer.DAY), date, strict=True):
            if _is_settled(table, (own, place), held):
                return NumberKey((own, place), held, per=per)
    return NumberKey((own,), held, is_open=True, rows=rows)


def _may_belong(table: Sample, columns: Mapping[Meaning, str], name: str) -> bool:
    """Whether a column may be what numbers begin anew in: few values, in every row, and nothing of lines or money."""
    taken = {columns[each] for each in columns if each not in (Meaning.CHANNEL, Meaning.TOWN, Meaning.REP)}
    return (
        name not in taken
        and not senses_of(name)[0] & _OWN_SENSES
        and table.filled_rows(name) == table.rows
        and 1 < table.distinct(name) <= _FEW_KINDS * table.rows
        and (share(table.values(name), is_amount) < 1 or table.column(name).amounts.is_whole)
    )


def _contradicting(compared: CellHashes, keys: tuple[int, ...], held: tuple[int, ...]) -> int:
    """Rows whose key has several customers or dates."""
    return max(compared.inside(keys, place).rows for place in held)


def _is_settled(table: Sample, keys: tuple[int, ...], held: tuple[int, ...]) -> bool:
    return _contradicting(table.compared, keys, held) <= FEW_MISTAKES * table.rows
