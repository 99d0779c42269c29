"""What reports put between and into rows: totals, cells that were merged, a second table below the first."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from goldthread.core.records import Problem
from goldthread.intake.matching import known_names
from goldthread.intake.names import senses_of

_FEW_ROWS, _MERGED_SHARE, _MOSTLY, _SUM_BLANKS = 6, 0.2, 0.5, 0.3
_TOTALS = frozenset(
    [
        *("total", "totals", "grand total", "sub total", "subtotal", "sub-total", "page total", "sum"),
        *("summe", "gesamt", "gesamtsumme", "zwischensumme", "total général", "total general", "sous-total"),
        *("suma", "soma", "total geral"),
    ]
)
_OF_GROUPS = frozenset(["order", "receipt", "invoice", "customer", "date", "made"])
TOTAL_OF = ("total ", "totals ", "subtotal ", "summe ", "gesamt ")


def fill_down(cells: list[list[str]], last: dict[int, str]) -> None:
    """Put the text above into blank cells; ``last`` has the ones that were seen last, by column."""
    for row in cells:
        for place, above in last.items():
            if row[place].strip():
                last[place] = row[place]
            else:
                row[place] = above


def merged_columns(header: Sequence[str], rows: Sequence[Sequence[str]]) -> tuple[str, ...]:
    """Columns that look as if their cells had been merged: filled in the first row, and blank in the same rows, where
    other columns are filled. One of them is what groups of rows are told apart by, as its name says."""
    if len(rows) < _FEW_ROWS or any(len(row) < len(header) for row in rows):
        return ()
    blanks = [tuple(at for at, row in enumerate(rows) if not row[place].strip()) for place in range(len(header))]
    patterns = Counter(blank for blank in blanks if blank and blank[0] > 0 and len(blank) >= _MERGED_SHARE * len(rows))
    for pattern, count in patterns.most_common():
        columns = tuple(name for name, blank in zip(header, blanks, strict=True) if blank == pattern)
        filled = [blank for blank in blanks if not set(blank) & set(pattern)]
        # of one column alone it is asked only where it is blank more often than not: who buys may go without a name
        if filled and any(map(_begins_groups, columns)) and (count > 1 or len(pattern) > _MOSTLY * len(rows)):
            return columns
    return ()


def _begins_groups(name: str) -> bool:
    """Whether a column is one by which rows belong together: an order's number, its date, its customer."""
    senses, unknown = senses_of(name)
    return bool(senses & _OF_GROUPS) and not unknown and senses <= _OF_GROUPS | {"number", "name", "sales"}


def filled_down(
    header: Sequence[str], rows: Sequence[Sequence[str]], columns: Sequence[str]
) -> tuple[tuple[str, ...], ...]:
    """Rows whose blank cells in some columns have the text above them."""
    cells = [list(row) for row in rows]
    fill_down(cells, {header.index(name): "" for name in columns})
    return tuple(map(tuple, cells))


def is_total(cell: str) -> bool:
    return cell.strip(" :").casefold() in _TOTALS


def is_sum(row: list[str]) -> bool:
    """Whether a row is a total of others: it says so, and is blank for a good part."""
    if sum(map(is_blank, row)) < _SUM_BLANKS * len(row):
        return False
    filled = [cell for cell in row if not is_blank(cell)]
    named = filled[0].strip().casefold().startswith(TOTAL_OF)
    return any(map(is_total, row)) or (named and not any(map(str.isalpha, "".join(filled[1:]))))


def is_another_header(row: list[str]) -> bool:
    """Whether a row names columns, and holds nothing else."""
    filled = [cell for cell in row if cell.strip()]
    return len(filled) > 1 and known_names(filled) > 1 and not any(map(str.isdigit, "".join(filled)))


def passed_over(number: int, row: list[str]) -> Problem:
    return Problem(
        number,
        "",
        file_value(row),
        "The row is a total of others, and was passed over.",
        "Nothing needs to be done.",
        rejected=False,
    )


def is_blank(cell: str) -> bool:
    return not cell or cell.isspace()


def file_value(row: list[str]) -> str:
    """The start of a row, for showing."""
    return " · ".join(row)[:200]
