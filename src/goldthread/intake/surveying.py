"""Over all rows of a file: how dates, amounts and statuses are written, and what further columns say something of."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from goldthread.core.records import OF_ORDERS, FileKind
from goldthread.intake.delimited import ROWS_PER_PIECE, DelimitedFile, rows_of
from goldthread.intake.formats import AmountEvidence, DateEvidence, StatusEvidence
from goldthread.intake.further import FurtherColumn, FurtherSurvey
from goldthread.intake.meanings import REASON_COLUMN, Meaning


@dataclass
class Evidence:
    """What the date, amount and status columns of a file speak for, and what its further columns say something of.

    ``whole`` when every row was looked at.
    """

    dates: DateEvidence = field(default_factory=DateEvidence)
    amounts: AmountEvidence = field(default_factory=AmountEvidence)
    statuses: StatusEvidence = field(default_factory=StatusEvidence)
    further: list[FurtherColumn] = field(default_factory=list)
    whole: bool = True


def survey(
    file: DelimitedFile,
    kind: FileKind,
    columns: Mapping[Meaning, str],
    most_rows: int | None,
    advance: Callable[[int], None],
    fill_down: Sequence[str] = (),
) -> Evidence:
    """What the columns of dates, amounts and statuses speak for, and what further columns of orders say something of,
    over the whole file or its first rows."""
    evidence = Evidence()
    sides = (
        (Meaning.DATE, evidence.dates),
        (Meaning.UNTIL, evidence.dates),
        (Meaning.MONTH, evidence.dates),
        (Meaning.AMOUNT, evidence.amounts),
        (Meaning.UNIT_PRICE, evidence.amounts),
    )
    places = [(file.header.index(columns[meaning]), side) for meaning, side in sides if meaning in columns]
    status = file.header.index(columns[Meaning.STATUS]) if Meaning.STATUS in columns else None
    further = _further_survey(file, kind, columns)
    seen = 0
    for raw in rows_of(file, ROWS_PER_PIECE, advance, fill_down):
        for place, side in places:
            side.add(dict.fromkeys(row[place] for row in raw.cells))
        if status is not None:
            evidence.statuses.add(row[status] for row in raw.cells)
        if further is not None:
            further.add(raw.cells)
        seen += len(raw.cells)
        # a file that ends here was looked at whole
        if most_rows is not None and most_rows <= seen < file.row_estimate:
            evidence.whole = False
            break
    if further is not None:
        evidence.further = further.found()
    return evidence


def _further_survey(file: DelimitedFile, kind: FileKind, columns: Mapping[Meaning, str]) -> FurtherSurvey | None:
    """The survey of what is in no column with a meaning; None where a row is no order, or nobody can say whose."""
    customer, date = columns.get(Meaning.CUSTOMER), columns.get(Meaning.DATE)
    if kind not in OF_ORDERS or customer is None or date is None:
        return None
    names = [name for name in file.header if name not in columns.values() and name != REASON_COLUMN]
    number = columns.get(Meaning.ORDER_NUMBER)
    place = file.header.index
    return FurtherSurvey(
        kind, file.header, names, place(customer), place(date), None if number is None else place(number)
    )
