"""Tables with several orders in a row, side by side: dates under headers numbered alike, or amounts under months."""

from __future__ import annotations

import csv
import re
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from goldthread.errors import UnreadableFile
from goldthread.intake.dates import is_date, is_month_alone, month_of, plain_text, taken_apart
from goldthread.intake.delimited import ROWS_PER_PIECE, DelimitedFile, rows_of
from goldthread.intake.guessing import guess
from goldthread.intake.layout import speaks_of_sums
from goldthread.intake.matching import share
from goldthread.intake.meanings import Meaning
from goldthread.intake.values import is_amount

_FEWEST, _MOSTLY = 3, 0.9
_NUMBERED = re.compile(r"(.*?)[ _.#-]*([0-9]{1,3})(.*)")
_PERIOD = re.compile(
    "(?:19|20)[0-9]{2}|(?:q|t|quarter|quartal|trim)[ .]?[1-4](?:[ /-]?(?:[0-9]{2}){1,2})?|(?:[0-9]{2}){1,2}[ /-]?q[1-4]"
)
_NOTHING = frozenset(["", "-", "–", "0", "0.00", "0,00"])


@dataclass(frozen=True)
class SideBySide:
    """Columns whose cells are records of their own: ``places`` in the header; ``months`` are their dates, or empty
    where the cells are dates themselves."""

    places: tuple[int, ...]
    names: tuple[str, ...]
    months: tuple[str, ...] = ()

    @property
    def words(self) -> str:
        """The columns, in words."""
        return f"“{self.names[0]}”, “{self.names[1]}” … “{self.names[-1]}”"


def side_by_side(file: DelimitedFile) -> SideBySide | None:
    """The columns of a file that stand side by side where rows should follow one another; None where there are none.

    A file that has a date and an amount beside them has rows already. Raises `UnreadableFile` for columns of this kind
    that cannot be made into rows: nothing says when their orders were.
    """
    groups: dict[str, list[int]] = {}
    months: dict[int, str] = {}
    for place, name in enumerate(file.header):
        if date := _month_or_day(name):
            months[place] = date
        elif numbered := _NUMBERED.fullmatch(name):
            groups.setdefault(f"{numbered[1]}\0{numbered[3]}", []).append(place)
    alike = max(groups.values(), key=len, default=[])
    bare = [place for place, name in enumerate(file.header) if _is_period(name)]
    places = list(months) if len(months) >= _FEWEST else max(alike, bare, key=len)
    several = [group for group in groups.values() if len(group) >= _FEWEST]
    if len(places) < _FEWEST or _is_whole_without(file, places):
        return None
    texts = [row[at].strip() for row in file.sample for at in places if at < len(row)]
    cells = [text for text in texts if text not in _NOTHING]
    names = tuple(file.header[place] for place in places)
    if not cells:
        return None
    if len(months) >= _FEWEST and share(cells, is_amount) >= _MOSTLY:
        return SideBySide(tuple(places), names, tuple(months[place] for place in places))
    if places is alike and len(several) == 1 and share(cells, is_date) >= _MOSTLY:
        return SideBySide(tuple(places), names)
    if share(cells, is_amount) >= _MOSTLY or places is not alike or len(several) > 1:
        wrong = SideBySide(tuple(places), names)
        raise UnreadableFile(
            f"The columns {wrong.words} hold several orders in one row, side by side.",
            remedy="Export one row per order, with its date and amount, or name the columns by month, as 2025-03.",
        )
    return None


def _is_period(name: str) -> bool:
    """Whether a header is a stretch of time that leaves open when it was: a month without its year, a quarter, a
    year."""
    plain = plain_text(name).strip(" .")
    return (
        is_month_alone(name)
        or _PERIOD.fullmatch(plain) is not None
        or month_of(f"{plain[:-2]}20{plain[-2:]}") is not None
    )


def _month_or_day(name: str) -> str:
    """The first day of a header that is a month or a day; empty for any other."""
    if month := month_of(name):
        return f"{month[0]:04}-{month[1]:02}-01" if 1 <= month[1] <= 12 else ""
    date = taken_apart(name)
    if date is None or date.counted is not None or date.open or date.short_year:
        return ""
    return f"{date.year:04}-{date.first:02}-{date.second:02}"


def _is_whole_without(file: DelimitedFile, places: Sequence[int]) -> bool:
    """Whether the other columns have a date and an amount of their own."""
    others = [at for at in range(len(file.header)) if at not in places]
    rows = [[row[at] if at < len(row) else "" for at in others] for row in file.sample]
    seen = guess([file.header[at] for at in others], rows).columns
    found = {meaning for meaning in seen if meaning in (Meaning.DATE, Meaning.AMOUNT)}
    return len(found) == 2 or Meaning.CUSTOMER not in {*seen, *_customers(seen)}


def _customers(seen: dict[Meaning, str]) -> set[Meaning]:
    return {Meaning.CUSTOMER} if {Meaning.CUSTOMER_NUMBER, Meaning.EMAIL, Meaning.NAME} & set(seen) else set()


def write_rows(file: DelimitedFile, found: SideBySide, target: Path, advance: Callable[[int], None]) -> None:
    """Write a file as one with a row for each filled cell of the columns that stand side by side.

    The other columns stay; behind them come the date and the amount: the cell's date and 0, or the month's first day
    and the cell's amount.
    """
    others = [at for at, name in enumerate(file.header) if at not in found.places and not speaks_of_sums(name)]
    with target.open("w", encoding="utf-8", newline="") as out:
        write = csv.writer(out)
        write.writerow([*_free([file.header[at] for at in others])])
        for row in _cells(file, advance):
            own = [row[at] for at in others]
            for place, month in zip(found.places, found.months or [""] * len(found.places), strict=True):
                cell = row[place].strip()
                if cell not in _NOTHING:
                    write.writerow([*own, *((month, cell) if month else (cell, "0"))])


def _free(names: Sequence[str]) -> list[str]:
    """The names of the other columns, and of date and amount, none of them twice."""
    counts = Counter(names)
    return [*names, *(name if name not in counts else f"{name} of the cell" for name in ("date", "amount"))]


def _cells(file: DelimitedFile, advance: Callable[[int], None]) -> Iterator[list[str]]:
    for raw in rows_of(file, ROWS_PER_PIECE, advance):
        yield from raw.cells
