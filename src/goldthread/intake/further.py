"""Further columns of orders and lines: of what they say something, what their values are, and how they are kept.

A column says something of the customer when no customer has several values, else of the order when no order has, else
of the line (``docs/definitions.md``, 1.8). That is found out over the whole file; rows are compared by hashes of their
texts, whose number is bounded: of a very large file some of the customers are looked at, each with all rows.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from zoneinfo import ZoneInfo

import numpy as np

from goldthread.core.history.fields import is_taken
from goldthread.core.limits import ATTRIBUTE_LENGTH, ATTRIBUTE_NAME_LENGTH, ATTRIBUTES_MOST
from goldthread.core.records import MARKS, AttributeType, FileKind
from goldthread.intake import values, words
from goldthread.intake.compared import Bools, CellHashes, distinct_ascending
from goldthread.intake.formats import DateForm, DecimalMark
from goldthread.intake.meanings import KeptAt
from goldthread.intake.profiles import ColumnProfile

_FEW_ROWS = 20
_NEARLY_EVERY_ROW = 0.8
_NEARLY_CONSTANT = 0.9
_OFTEN = 0.1


@dataclass(frozen=True)
class Further:
    """How a further column is kept; ``dates`` and ``decimal`` where its own writing differs from the file's."""

    at: KeptAt
    type: AttributeType = AttributeType.TEXT
    dates: DateForm | None = None
    decimal: DecimalMark | None = None


@dataclass(frozen=True)
class FurtherColumn:
    """What was found of a further column, and how it is best kept.

    ``values`` different ones; ``customers_several`` and ``orders_several`` have more than one of them. ``about``: only
    some of the customers were looked at.
    """

    name: str
    proposed: Further
    why: str
    values: int
    customers_several: int
    orders_several: int
    about: bool


def further_columns(
    kind: FileKind,
    names: Sequence[str],
    columns: Sequence[ColumnProfile],
    compared: CellHashes,
    places: Sequence[int],
    customer: int,
    order: Sequence[int],
) -> list[FurtherColumn]:
    """What further columns are, and how each is best kept.

    ``names`` and ``columns`` are theirs, ``places`` where they stand; ``customer`` is the place of the customers,
    ``order`` the places by which rows belong to one order.
    """
    # whoever bought without a name is nobody in particular
    known = compared.filled(customer)
    if not known.any():
        return []
    found = [
        _column(kind, name, profile, compared, place, customer, order, known)
        for name, profile, place in zip(names, columns, places, strict=True)
    ]
    kept = [column.name for column in found if column.proposed.at in (KeptAt.ORDER, KeptAt.LINE)]
    return [_unless_too_many(column, set(kept[ATTRIBUTES_MOST:])) for column in found]


def _column(
    kind: FileKind,
    name: str,
    profile: ColumnProfile,
    compared: CellHashes,
    place: int,
    customer: int,
    order: Sequence[int],
    known: Bools,
) -> FurtherColumn:
    filled = compared.filled(place) & known
    count = distinct_ascending(np.sort(compared.cells[filled, place]))
    by_customer = compared.inside((customer,), place)
    orders = compared.inside(order, place, known).differing if kind is FileKind.LINES else 0
    type_ = profile.type(name)
    sparse = compared.blank_and_filled(customer, place, known) >= _OFTEN * max(by_customer.compared, 1)
    at, why = _proposed(
        kind, type_, int(filled.sum()), count, by_customer.compared, by_customer.differing, orders, sparse=sparse
    )
    further = replace(typed(profile, name), at=at)
    if at in (KeptAt.ORDER, KeptAt.LINE) and is_taken(name):
        called = f"called order.{name} in conditions, since {name} is a field of ours"
        why = f"{why}; {called}" if why else called
    return FurtherColumn(name, further, why, count, by_customer.differing, orders, compared.about)


def typed(profile: ColumnProfile, name: str) -> Further:
    """What the values of a further column of customers are, and how they are written."""
    type_ = profile.type(name)
    return Further(
        KeptAt.CUSTOMER,
        type_,
        profile.dates.form if type_ is AttributeType.DATE else None,
        profile.amounts.mark if type_ is AttributeType.NUMBER and profile.amounts.counted else None,
    )


def _unless_too_many(column: FurtherColumn, beyond: set[str]) -> FurtherColumn:
    """A column as it is best kept; not at all where its name is too long, or a book would have no room for it."""
    if column.name in beyond:
        why = f"the orders of a book have {ATTRIBUTES_MOST} attributes at most"
    elif len(column.name) > ATTRIBUTE_NAME_LENGTH and column.proposed.at is not KeptAt.CUSTOMER:
        why = f"its name is longer than {ATTRIBUTE_NAME_LENGTH} characters"
    else:
        return column
    return replace(column, proposed=replace(column.proposed, at=KeptAt.NOWHERE), why=why)


def _proposed(
    kind: FileKind,
    type_: AttributeType,
    filled: int,
    count: int,
    compared: int,
    customers: int,
    orders: int,
    *,
    sparse: bool,
) -> tuple[KeptAt, str]:
    """How a column is best kept, and why where that is not plain. ``sparse``: customers often have it now and then."""
    if filled == 0:
        return KeptAt.NOWHERE, "every row is blank"
    is_text = type_ in (AttributeType.TEXT, AttributeType.MARK)
    if compared and customers == 0 and not sparse and (is_text or count > 1):
        return KeptAt.CUSTOMER, ""
    if is_text and filled >= _FEW_ROWS and count >= _NEARLY_EVERY_ROW * filled:
        return KeptAt.NOWHERE, "nearly every row has a value of its own"
    if compared and customers == 0:
        return KeptAt.ORDER, "blank for some orders of a customer" if sparse else ""
    if compared and compared - customers >= _NEARLY_CONSTANT * compared:
        return KeptAt.ORDER, "the same for most customers, but not for all"
    if kind is FileKind.LINES and orders:
        if type_ is AttributeType.NUMBER:
            return KeptAt.NOWHERE, "numbers of lines make none of the order"
        return KeptAt.LINE, ""
    if compared == 0:
        return KeptAt.ORDER, "no customer comes twice, so nothing shows that it is theirs"
    return KeptAt.ORDER, ""


def own_parser(
    further: Further, zone: ZoneInfo, dates: DateForm, decimal: DecimalMark, *, typed: bool
) -> values.Parser:
    """Parser of the values of a further column; nothing stays nothing."""
    match further.type:
        case AttributeType.NUMBER:
            return values.optional(values.amount_parser("", further.decimal or decimal, typed))
        case AttributeType.DATE:
            return values.optional(values.day_parser(zone, further.dates or dates))
        case AttributeType.MARK:
            return lambda text: MARKS[int(flag)] if (flag := words.flag(text)) else ""
        case AttributeType.TEXT:
            return values.text_parser(ATTRIBUTE_LENGTH)
