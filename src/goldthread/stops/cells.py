"""A table with a row per cell, as people read it: rows by columns."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from goldthread.stops.sentences.sentence import number_words
from goldthread.stops.sheet import Sheet
from goldthread.stops.stop import Drawn, Picture

ROWS_MOST, COLUMNS_MOST = 24, 24
"""The last rows, such as cohorts, and the first columns, such as ages."""
NOT_OVER = "*"
"""Marks a figure of a period that is not over yet: nobody shall take it for a fall."""
_PERCENT = 100
WIDTH_INCHES, HEIGHT_INCHES, DOTS_PER_INCH = 6.4, 2.7, 200
_ROW_INCHES, _MARGIN_INCHES = 0.16, 0.7


@dataclass(frozen=True, eq=False)
class Cells:
    """``values`` : float64, shape (rows, columns), shares as percent, NaN where there is no cell; ``is_over`` : bool,
    the same shape, whether its period is over; ``name`` : the figure's."""

    rows: list[str]
    columns: list[str]
    values: NDArray[np.float64]
    is_over: NDArray[np.bool_]
    name: str
    is_share: bool

    def words(self, row: int, column: int) -> str:
        """One figure; blank where there is no cell."""
        value = self.values[row, column]
        if np.isnan(value):
            return ""
        return f"{number_words(round(value))}{'' if self.is_over[row, column] else NOT_OVER}"


def figures_of(picture: Picture[Any], answer: Any, table: pa.Table) -> list[str]:
    """The columns of a table that a picture draws."""
    wanted = picture.figures if isinstance(picture.figures, tuple) else picture.figures(answer)
    return [name for name in wanted if name in table.column_names]


def picture_inches(picture: Picture[Any], answer: Any, sheet: Sheet) -> tuple[float, float]:
    """How wide and how high a picture is drawn; a cloth is as high as its rows."""
    cells = cells_of(picture, answer, sheet) if picture.drawn is Drawn.CLOTH else None
    return WIDTH_INCHES, HEIGHT_INCHES if cells is None else _ROW_INCHES * len(cells.rows) + _MARGIN_INCHES


def can_draw(picture: Picture[Any], answer: Any, sheet: Sheet) -> bool:
    """Whether there is anything to draw."""
    table = sheet.table if picture.table is None else picture.table(answer)
    if not table.num_rows or picture.along not in table.column_names or not figures_of(picture, answer, table):
        return False
    return picture.drawn is not Drawn.CLOTH or cells_of(picture, answer, sheet) is not None


def numbers(table: pa.Table, name: str, *, is_share: bool = False) -> NDArray[np.float64]:
    """A column as numbers, shares as percent; NaN where nothing applies."""
    values = np.array([np.nan if each is None else float(each) for each in table[name].to_pylist()])
    return values * _PERCENT if is_share else values


def cells_of(picture: Picture[Any], answer: Any, sheet: Sheet) -> Cells | None:
    """The cells of a table; None where it has no such columns, or no rows."""
    table = sheet.table
    figures = figures_of(picture, answer, table)
    if not figures or not table.num_rows or not {picture.apart, picture.along} <= set(table.column_names):
        return None
    is_share = figures[0] in sheet.shares
    row_of, rows = _places(table, picture.apart)
    column_of, columns = _places(table, picture.along)
    values, is_over = np.full((len(rows), len(columns)), np.nan), np.ones((len(rows), len(columns)), np.bool_)
    values[row_of, column_of] = numbers(table, figures[0], is_share=is_share)
    if "state" in table.column_names:
        is_over[row_of, column_of] = [each == "complete" for each in table["state"].to_pylist()]
    # what everybody did in the first period says nothing
    first = int(is_share and len(columns) > 1 and bool(np.nanmin(values[:, 0]) == _PERCENT))
    shown = np.s_[-ROWS_MOST:, first : first + COLUMNS_MOST]
    return Cells(rows[-ROWS_MOST:], columns[first:][:COLUMNS_MOST], values[shown], is_over[shown], figures[0], is_share)


def _places(table: pa.Table, name: str) -> tuple[NDArray[np.int64], list[str]]:
    """The place of each row's label among the labels of a column."""
    labels = ["blank" if each is None else str(each) for each in table[name].to_pylist()]
    known = {label: place for place, label in enumerate(dict.fromkeys(labels))}
    return np.array([known[label] for label in labels], np.int64), list(known)
