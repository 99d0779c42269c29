"""What reports put between and into rows: totals, cells that were merged, a second table below the first."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Sequence

from goldthread.core.records import Problem
from goldthread.intake.dates import plain_text
from goldthread.intake.matching import known_names
from goldthread.intake.names import senses_of
from goldthread.intake.values import is_amount

_FEW_ROWS, _MERGED_SHARE, _MOSTLY, _SUM_BLANKS = 6, 0.2, 0.5, 0.3
_TITLE_ROWS, _NOTE_WIDTH = 30, 3
_SUMS = (
    "total totals subtotal subtotals sum sums grandtotal summe summen gesamt gesamtsumme zwischensumme gesamtergebnis "
    "teilergebnis endsumme somme sommes totaux soustotal suma sumas subtotales totales soma totais totale totali "
    "subtotale totaal subtotaal eindtotaal razem lacznie ogolem podsuma"
)
_SUM_WORDS = frozenset(_SUMS.split())
_MAY_BE_SUM = re.compile("|".join(sorted({word[:3] for word in _SUM_WORDS} | {"łąc", "łac"})), re.IGNORECASE)
LETTERS_OF_SUMS = re.compile(r"[^\W\d_]{3}")
"""What every word for a total has; quickly looked for in many cells at once."""
RULES = "-=_+*~|#.\u2013\u2014\u2500 "
"""What lines are drawn of in a text."""
_RULE = re.compile(f"[{re.escape(RULES)}]*")
_UNITS = re.compile(
    r"\(.*\)|\[.*\]|[A-Z]{3}|[€£$¥%]|in .*|text|date|number|string|(?:y{2,4}|j{2,4}|d{1,2}|m{1,2}|t{1,2}|[-./ ])+",
    re.IGNORECASE,
)
_OF_GROUPS = frozenset(["order", "receipt", "invoice", "customer", "date", "made"])


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


def speaks_of_sums(cell: str) -> bool:
    """Whether a cell begins or ends with a word for a total: Smith Total, Total:, Gesamtergebnis."""
    if cell.isdecimal() or not _MAY_BE_SUM.search(cell):
        return False
    found = re.findall("[a-z]+", plain_text(cell).replace("-", ""))
    return bool(found) and (found[0] in _SUM_WORDS or found[-1] in _SUM_WORDS)


def is_sum(row: Sequence[str]) -> bool:
    """Whether a row is a total of others: it says so, is blank for a good part, and holds numbers beside."""
    if sum(map(is_blank, row)) < _SUM_BLANKS * len(row):
        return False
    filled = [cell for cell in row if not is_blank(cell)]
    named = [cell for cell in filled if speaks_of_sums(cell)]
    return bool(named) and all(cell in named or is_amount(cell) or not any(map(str.isalnum, cell)) for cell in filled)


def is_rule(row: Sequence[str]) -> bool:
    """Whether a row draws a line, and holds nothing else."""
    return any(len(cell.strip()) > 1 for cell in row) and all(map(_RULE.fullmatch, row))


def is_units(row: Sequence[str]) -> bool:
    """Whether a row says in what its columns are counted or written, and holds nothing else: (EUR), yyyy-mm-dd."""
    filled = [cell.strip() for cell in row if not is_blank(cell)]
    return bool(filled) and all(map(_UNITS.fullmatch, filled)) and not any(map(str.isdigit, "".join(filled)))


def is_note(row: Sequence[str], width: int) -> bool:
    """Whether a row has one filled cell of several words, at its beginning, where records have several cells."""
    return width >= _NOTE_WIDTH and " " in row[0].strip() and all(map(is_blank, row[1:]))


def header_place(rows: Sequence[Sequence[str]]) -> int | None:
    """The first row that is filled, unless only a later one has names that columns bear: titles stand above it, or
    words that stand over several columns. None where no row is filled."""
    filled = [place for place, row in enumerate(rows) if any(cell.strip() for cell in row)]
    if not filled:
        return None
    first = filled[0]
    best = max(filled[:_TITLE_ROWS], key=lambda place: (known_names(rows[place]), -place))
    most, least = known_names(rows[best]), known_names(rows[first])
    below = next((place for place in filled if place > first), first)
    if best == first and is_wider(rows[below], rows[first]) and is_another_header(rows[below]):
        return below
    return best if most >= 2 and (least < 2 or (is_wider(rows[best], rows[first]) and most > least)) else first


def is_wider(row: Sequence[str], above: Sequence[str]) -> bool:
    """Whether a row has more filled cells than the one above it."""
    return sum(not is_blank(cell) for cell in row) > sum(not is_blank(cell) for cell in above)


def above_in_names(rows: Sequence[list[str]], place: int) -> list[str]:
    """The names of a header; where some come twice, what stands over several columns is part of them."""
    names = [cell.strip() for cell in rows[place]]
    filled = [name for name in names if name]
    above = rows[place - 1] if place else []
    if len(set(filled)) == len(filled) or sum(not is_blank(cell) for cell in above) < 2:
        return rows[place]
    over, together = "", []
    for at, name in enumerate(names):
        over = above[at].strip() if at < len(above) and not is_blank(above[at]) else over
        together.append(f"{over} {name}".strip() if name and filled.count(name) > 1 else name)
    return together


def numbered(names: Iterable[str]) -> tuple[str, ...]:
    """Names of columns, each its own: one that comes again is numbered."""
    found: dict[str, None] = {}
    for name in names:
        own, count = name, 1
        while own in found:
            count += 1
            own = f"{name} ({count})"
        found[own] = None
    return tuple(found)


def is_another_header(row: Sequence[str]) -> bool:
    """Whether a row names columns, and holds nothing else."""
    filled = [cell for cell in row if cell.strip()]
    return len(filled) > 1 and known_names(filled) > 1 and not any(map(str.isdigit, "".join(filled)))


def passed_over(number: int, row: Sequence[str], what: str) -> Problem:
    return Problem(
        number,
        "",
        file_value(row),
        f"The row {what}, and was passed over.",
        "Nothing needs to be done.",
        rejected=False,
    )


def is_blank(cell: str) -> bool:
    return not cell or cell.isspace()


def file_value(row: Sequence[str]) -> str:
    """The start of a row, for showing."""
    return " · ".join(row)[:200]
