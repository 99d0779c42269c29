"""What each column of a file holds, over all of its rows: how values are written, what they could be, what repeats."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache

import numpy as np

from goldthread.core.records import AttributeType
from goldthread.intake import values, words
from goldthread.intake.compared import CellHashes, Int64s, hashes_of
from goldthread.intake.dates import is_date, is_date_anyhow, taken_apart
from goldthread.intake.formats import AmountEvidence, DateEvidence, StatusEvidence
from goldthread.intake.names import senses_of

CELLS_COMPARED_MOST = 16_000_000
_TRIED_MOST = 50_000
_ENOUGH, _HARDLY_ANY = 200, 0.02
"""A column that hardly ever is a date or an amount, over enough different values, is looked at no more for these."""
_SPREAD_A_PIECE, _SPREAD_MOST, _PIECES_SPREAD = 40, 400, 50
_OWN_NUMBER = re.compile(r"[-+]?(?:0|[1-9][0-9]{0,2}(?:[.,' ]?[0-9]{3})*|[1-9][0-9]*)(?:[.,][0-9]{1,4})?")
_LONGEST_NUMBER = 14
_WITH_ZEROS_OR_LONG = re.compile(f"^0[0-9]|[0-9]{{{_LONGEST_NUMBER + 1}}}", re.MULTILINE)
_HALF = 0.5
_DATES_MOST = 3


def _is_number(text: str) -> bool:
    return len(text) <= _LONGEST_NUMBER and _OWN_NUMBER.fullmatch(text) is not None


def _are_whole(texts: Sequence[str]) -> bool:
    """Whether all texts are whole numbers without zeros before them, found at once."""
    joined = "\n".join(texts)
    return joined.replace("\n", "").isdecimal() and not _WITH_ZEROS_OR_LONG.search(joined)


_FITS: Mapping[AttributeType, Callable[[str], bool]] = {
    AttributeType.NUMBER: _is_number,
    AttributeType.DATE: is_date,
    AttributeType.MARK: lambda text: values.fits(words.flag, text),
}


@dataclass
class ColumnProfile:
    """What the values of a column could be, and how they are written. ``spread`` are some from beyond the first
    rows."""

    types: set[AttributeType] = field(
        default_factory=lambda: {AttributeType.NUMBER, AttributeType.DATE, AttributeType.MARK}
    )
    dates: DateEvidence = field(default_factory=DateEvidence)
    amounts: AmountEvidence = field(default_factory=AmountEvidence)
    statuses: StatusEvidence = field(default_factory=StatusEvidence)
    marks: set[str] = field(default_factory=set)
    tried: set[str] = field(default_factory=set)
    is_filled: bool = False
    pieces: int = 0
    looked_for_amounts: int = 0
    like_amounts: int = 0
    spread: list[str] = field(default_factory=list)

    def add(self, texts: Sequence[str], *, is_first: bool) -> None:
        """Take in the values of some rows."""
        if len(self.statuses.counts) < self.statuses.most:
            self.statuses.add(texts)
        is_dated = not self.dates.is_hopeless(_ENOUGH, _HARDLY_ANY)
        is_priced = self.looked_for_amounts < _ENOUGH or self.like_amounts >= _HARDLY_ANY * _ENOUGH
        self.pieces += 1
        is_spread = len(self.spread) >= _SPREAD_MOST or self.pieces > _PIECES_SPREAD
        if is_spread and not (self.types or is_dated or is_priced):
            return
        tried = self.tried
        fresh = [text for text in dict.fromkeys(texts) if text and text not in tried]
        for kind in list(self.types):
            if not (kind is AttributeType.NUMBER and _are_whole(fresh)) and not all(map(_FITS[kind], fresh)):
                self.types.discard(kind)
        if is_dated:
            self.dates.add(fresh[:_ENOUGH])
            if not self.dates.is_hopeless(_ENOUGH, _HARDLY_ANY):
                self.dates.add(fresh[_ENOUGH:])
        if is_priced:
            self._add_amounts(fresh)
        if AttributeType.MARK in self.types:
            self.marks |= {words.flag(text) for text in fresh}
        self.is_filled = self.is_filled or bool(fresh)
        if len(tried) < _TRIED_MOST:
            tried.update(fresh)
        if not is_first and len(self.spread) < _SPREAD_MOST:
            self.spread.extend(text for text, _ in zip(fresh, range(_SPREAD_A_PIECE), strict=False))

    def _add_amounts(self, fresh: Sequence[str]) -> None:
        """Take in values as amounts, unless hardly any of the first ones is like one."""
        first = fresh[: _ENOUGH - self.looked_for_amounts]
        self.looked_for_amounts += len(first)
        self.like_amounts += sum(map(values.is_amount, first))
        if self.looked_for_amounts < _ENOUGH or self.like_amounts >= _HARDLY_ANY * _ENOUGH:
            self.amounts.add(fresh)
        else:
            self.amounts.add(first)

    def type(self, name: str) -> AttributeType:
        """What the values are; a number that is a name of something stays a text."""
        senses, _ = senses_of(name)
        if not self.is_filled:
            return AttributeType.TEXT
        if AttributeType.MARK in self.types and (AttributeType.NUMBER not in self.types or len(self.marks) > 1):
            return AttributeType.MARK
        if AttributeType.DATE in self.types and not self.dates.years_open:
            return AttributeType.DATE
        if AttributeType.NUMBER in self.types and "number" not in senses:
            return AttributeType.NUMBER
        return AttributeType.TEXT


@dataclass(frozen=True)
class Profile:
    """A whole file, looked at: ``columns`` as its header has them, ``compared`` their cells.

    Behind the columns ``compared`` has, for each place in ``dated``, the year and the day of a date.
    """

    columns: tuple[ColumnProfile, ...]
    compared: CellHashes
    dated: Mapping[int, tuple[int, int]]


class Profiling:
    """Takes in the rows of a file piece by piece; ``key`` is the place by which rows of a very large one are chosen,
    all rows of a key or none. Blank cells at ``merged`` places may repeat what stands above them."""

    def __init__(self, width: int, key: int, merged: Sequence[int]) -> None:
        self._columns = tuple(ColumnProfile() for _ in range(width))
        self._key, self._merged = key, key in merged
        self._rows: list[Int64s] = []
        self._kept_rows, self._mask, self._last_key = 0, 0, 0
        self._dated: list[int] | None = None
        self._folded: list[bool] = []

    def add(self, cells: Sequence[Sequence[str]]) -> None:
        """Take in some rows."""
        if not cells:
            return
        texts = [list(map(str.strip, column)) for column in zip(*cells, strict=True)]
        is_first = self._dated is None
        if self._dated is None:
            self._dated = [at for at, column in enumerate(texts) if _share(column, is_date_anyhow) > _HALF][
                :_DATES_MOST
            ]
            self._folded = [_share(column, values.is_email) > _HALF for column in texts]
        for profile, column in zip(self._columns, texts, strict=True):
            profile.add(column, is_first=is_first)
        width = len(texts)
        hashes = np.empty((len(cells), width + 2 * len(self._dated)), np.int64)
        for place, column in enumerate(texts):
            hashes[:, place] = hashes_of(list(map(_address, column)) if self._folded[place] else column)
        for at, place in enumerate(self._dated):
            parts = list(map(_year_and_day, texts[place]))
            hashes[:, width + 2 * at] = hashes_of([year for year, _ in parts])
            hashes[:, width + 2 * at + 1] = hashes_of([day for _, day in parts])
        self._rows.append(self._chosen(hashes))
        self._kept_rows += len(self._rows[-1])
        while self._kept_rows * hashes.shape[1] > CELLS_COMPARED_MOST:
            self._mask = self._mask << 1 | 1
            self._rows = [rows[self._keys(rows) & self._mask == 0] for rows in self._rows]
            self._kept_rows = sum(map(len, self._rows))

    def _chosen(self, hashes: Int64s) -> Int64s:
        keys = self._keys(hashes)
        if self._merged:
            self._last_key = int(keys[-1])
        return hashes[keys & self._mask == 0] if self._mask else hashes

    def _keys(self, hashes: Int64s) -> Int64s:
        """The keys by which rows are chosen; a blank one is that of the row above where cells may be merged."""
        keys = hashes[:, self._key]
        if not self._merged or not keys.size:
            return keys
        at = np.maximum.accumulate(np.where(keys != 0, np.arange(1, keys.size + 1), 0))
        return np.concatenate(([self._last_key], keys))[at]

    def profile(self) -> Profile:
        """What was found; which values were tried is forgotten."""
        for column in self._columns:
            column.tried = set()
        width, dated = len(self._columns), self._dated or []
        cells = np.concatenate(self._rows) if self._rows else np.empty((0, width), np.int64)
        places = {place: (width + 2 * at, width + 2 * at + 1) for at, place in enumerate(dated)}
        return Profile(self._columns, CellHashes(cells, self._mask != 0), places)


def _share(column: Sequence[str], fits: Callable[[str], bool]) -> float:
    filled = [text for text in dict.fromkeys(column) if text][:_ENOUGH]
    return sum(map(fits, filled)) / len(filled) if filled else 0.0


def _address(text: str) -> str:
    return values.without_name(text).strip().casefold()


@lru_cache(65_536)
def _year_and_day(text: str) -> tuple[str, str]:
    """The year of a date, and its day as it is written, without a time; empty for what is none."""
    date = taken_apart(text)
    if date is None:
        return "", ""
    if date.counted is not None:
        return "", text.partition(".")[0]
    return str(date.year), f"{date.year}-{date.first}-{date.second}"


def profile_of(rows: Iterable[Sequence[str]], width: int) -> Profile:
    """What columns hold, by some rows alone."""
    profiling = Profiling(width, 0, ())
    profiling.add([(*row[:width], *[""] * (width - len(row))) for row in rows])
    return profiling.profile()
