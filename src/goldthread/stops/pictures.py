"""Small pictures of answers for letters, as PNG: columns, curves and cloth, in the tones of the page."""

from __future__ import annotations

from io import BytesIO
from typing import Any

import numpy as np
import pyarrow as pa
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.colors import LinearSegmentedColormap
from matplotlib.figure import Figure
from numpy.typing import NDArray

from goldthread.stops.cells import (
    DOTS_PER_INCH,
    NOT_OVER,
    Cells,
    can_draw,
    cells_of,
    figures_of,
    numbers,
    picture_inches,
)
from goldthread.stops.sheet import Sheet
from goldthread.stops.stop import Drawn, Picture

_PAPER, _INK, _QUIET, _LINE = "#fffdf7", "#1b2138", "#4d5262", "#ddd0b8"
_CLOTH = LinearSegmentedColormap.from_list(
    "cloth",
    ["#f1e9da", "#ead9be", "#e2c8a1", "#d9b786", "#cda56d", "#c09257", "#8a5a33", "#734727", "#5b361d", "#412513"],
)
_TONES = (("#d9b786", "//"), ("#5b361d", ""), ("#8a5a33", ".."), ("#c09257", "xx"), ("#1b2138", ""), ("#734727", "--"))
"""Tones with patterns, so that they are told apart without colour."""
_STROKES = ("-", "--", ":", "-.", (0, (5, 1)), (0, (1, 2)))
COLUMNS_MOST, POINTS_MOST = 36, 400
"""What is drawn at most: the last columns, and points of each curve."""
_LABELS_MOST, _FADED = 12, 0.45
_ALONE, _ON_LIGHT, _ON_DARK = ("#a9773f", ""), "#2a1a0c", "#fff8ec"
_DARK, _CELL_SIZE, _SHORT = 0.58, 5.5, 1000
"""From which share of the ramp on a cell is dark; the size of its figure, and up to which figure that is so."""
ALL = "all"


def draw(picture: Picture[Any], answer: Any, sheet: Sheet) -> bytes | None:
    """A picture of an answer as PNG; None where there is nothing to draw."""
    if not can_draw(picture, answer, sheet):
        return None
    table = sheet.table if picture.table is None else picture.table(answer)
    figures = figures_of(picture, answer, table)
    size = picture_inches(picture, answer, sheet)
    canvas = Figure(figsize=size, dpi=DOTS_PER_INCH, facecolor=_PAPER, layout="constrained")
    FigureCanvasAgg(canvas)
    axes = canvas.add_subplot(facecolor=_PAPER)
    for side in ("top", "right", "left"):
        axes.spines[side].set_visible(False)
    axes.spines["bottom"].set_color(_INK)
    axes.tick_params(length=0, labelsize=7, labelcolor=_QUIET)
    is_share = figures[0] in sheet.shares
    match picture.drawn:
        case Drawn.COLUMNS:
            _columns(axes, table, picture.along, figures)
        case Drawn.CURVES:
            _curves(axes, table, picture, figures, is_share=is_share)
        case Drawn.CLOTH:
            cells = cells_of(picture, answer, sheet)
            if cells is None:
                return None
            _cloth(axes, cells, picture.along)
    if len(axes.get_legend_handles_labels()[1]) > 1:
        canvas.legend(loc="outside upper left", ncols=4, fontsize=7, frameon=False, labelcolor=_INK)
    out = BytesIO()
    canvas.savefig(out, format="png", metadata={"Software": None})
    return out.getvalue()


def _words(name: str) -> str:
    return name.replace("_", " ")


def _columns(axes: Any, table: pa.Table, along: str, figures: list[str]) -> None:
    last = table.slice(max(0, table.num_rows - COLUMNS_MOST))
    places, under = np.arange(last.num_rows), np.zeros(last.num_rows)
    is_over = np.ones(last.num_rows, np.bool_)
    if "state" in last.column_names:
        is_over = np.array([each == "complete" for each in last["state"].to_pylist()])
    tones = _TONES if len(figures) > 1 else (_ALONE,)
    for name, (tone, pattern) in zip(figures, tones, strict=False):
        values = np.nan_to_num(numbers(last, name))
        how = {"color": tone, "hatch": pattern, "edgecolor": _PAPER, "linewidth": 0, "label": _words(name)}
        bars = axes.bar(places, values, 0.75, under, **how)
        for bar in [bars[place] for place in np.flatnonzero(~is_over)]:
            bar.set_alpha(_FADED)
        under = under + values
    labels = [_words(str(label or "blank")) for label in last[along].to_pylist()]
    _name_places(axes, [label if over else f"{label}{NOT_OVER}" for label, over in zip(labels, is_over, strict=True)])
    _name_values(axes, figures, "{x:,.0f}")
    if not is_over.all():
        axes.set_xlabel(_not_over(is_over).removeprefix("; "), fontsize=7, color=_QUIET)


def _curves(axes: Any, table: pa.Table, picture: Picture[Any], figures: list[str], *, is_share: bool) -> None:
    groups = table[picture.apart].to_pylist() if picture.apart in table.column_names else [ALL] * table.num_rows
    drawn = 0
    # cohorts, one by one, would hide what they have in common
    for group in [ALL] if ALL in groups else list(dict.fromkeys(groups)):
        own = table.filter(pa.array([each == group for each in groups]))
        thin = max(1, own.num_rows // POINTS_MOST)
        for name in figures:
            if drawn == len(_STROKES):
                break
            along = numbers(own, picture.along)[::thin]
            values = numbers(own, name, is_share=is_share)[::thin]
            label = _words(name) if len(figures) > 1 else str(group or "blank")
            tone = _TONES[(drawn + 1) % len(_TONES)][0]
            axes.plot(along, values, color=tone, linestyle=_STROKES[drawn], linewidth=1.4, label=label)
            drawn += 1
    axes.set_xlabel(_words(picture.along), fontsize=7, color=_QUIET)
    _name_values(axes, figures, "{x:.0f} %" if is_share else "{x:,.0f}")


def _cloth(axes: Any, cells: Cells, along: str) -> None:
    known = cells.values[np.isfinite(cells.values)]
    most, least = (float(known.max()), min(0.0, float(known.min()))) if known.size else (1.0, 0.0)
    axes.pcolormesh(cells.values, cmap=_CLOTH, vmin=least, vmax=most or 1.0, edgecolors=_PAPER, linewidth=0.6)
    size = _CELL_SIZE if most < _SHORT else _CELL_SIZE - 1.5
    for place in np.argwhere(np.isfinite(cells.values)):
        row, column = int(place[0]), int(place[1])
        tone = _ON_DARK if cells.values[row, column] - least > _DARK * (most - least) else _ON_LIGHT
        where = {"ha": "center", "va": "center", "fontsize": size, "color": tone}
        axes.text(column + 0.5, row + 0.5, cells.words(row, column), **where)
    axes.invert_yaxis()
    axes.set_yticks(np.arange(len(cells.rows)) + 0.5, cells.rows, fontsize=5.5 if len(cells.rows) > _LABELS_MOST else 7)
    axes.set_xticks(np.arange(len(cells.columns)) + 0.5, cells.columns)
    axes.set_xlabel(_words(along), fontsize=7, color=_QUIET)
    _title(axes, f"{_words(cells.name)}{', %' if cells.is_share else ''}{_not_over(cells.is_over)}")


def _not_over(is_over: NDArray[np.bool_]) -> str:
    return "" if is_over.all() else f"; {NOT_OVER} the period is not over yet"


def _title(axes: Any, words: str) -> None:
    axes.set_title(words, loc="left", fontsize=7.5, color=_INK)


def _name_values(axes: Any, figures: list[str], form: str) -> None:
    axes.yaxis.set_major_formatter(lambda value, _place: form.format(x=value).replace(",", "\u202f"))
    axes.grid(axis="y", color=_LINE, linewidth=0.5)
    axes.set_axisbelow(True)
    if len(figures) == 1:
        _title(axes, _words(figures[0]))


def _name_places(axes: Any, labels: list[str]) -> None:
    step = max(1, -(-len(labels) // _LABELS_MOST))
    places = np.arange(len(labels))[::-1][::step][::-1]
    axes.set_xticks(places, [labels[place] for place in places])
