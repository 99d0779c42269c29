"""What goes over the wire about what is bought, and the same as tables to download."""

from __future__ import annotations

import numpy as np
import pyarrow as pa

from goldthread.core.intervals import wilson_interval
from goldthread.core.limits import limit_cells
from goldthread.core.money import money_text
from goldthread.core.worth.bought import Bought
from goldthread.shape import Shape
from goldthread.stops.sentences.sentence import sentences
from goldthread.stops.sentences.sentence_shape import AnswerShape, header
from goldthread.stops.sheet import Sheet, exact_money, known_numbers, label_column
from goldthread.stops.stop import Window
from goldthread.stops.worth.bought import BoughtAnswer, LeadsToAnswer, named, revenue_words
from goldthread.stops.worth.question import BoughtBy
from goldthread.workspace import Workspace

LEADS_TO_CELLS_MOST = 40_000


class BoughtRowShape(Shape):
    """One product or category. ``share`` is that of the revenue of all lines. ``revenue_field``, ``orders_field`` name
    what each customer spent on it, and ordered of it, as fields of conditions, columns and sequences."""

    label: str
    customers: int
    orders: int
    lines: int
    revenue: str
    share: float | None
    revenue_field: str
    orders_field: str


class BoughtShape(AnswerShape):
    """What customers bring the revenue with: ``count`` rows there are in all, ``rows`` begin at ``offset``. ``covered``
    says what the lines come to, and what orders without any do; ``largest_share`` is that of the row with the most."""

    by: BoughtBy
    covered: str
    largest_share: float | None
    count: int
    offset: int
    rows: list[BoughtRowShape]

    @classmethod
    def of(cls, answer: BoughtAnswer, window: Window) -> BoughtShape:
        places = answer.rows[window.offset : window.offset + window.limit].tolist()
        return cls(
            **header(answer.read, answer.words),
            by=answer.question.by,
            covered=revenue_words(answer),
            largest_share=_share(answer.bought, 0) if answer.rows.size else None,
            count=int(answer.rows.size),
            offset=window.offset,
            rows=[_row(answer, place) for place in places],
        )


def _share(found: Bought, place: int) -> float | None:
    return int(found.revenue_minor[place]) / found.lines_minor if found.lines_minor > 0 else None


def _row(answer: BoughtAnswer, place: int) -> BoughtRowShape:
    found, by = answer.bought, answer.question.by.value
    label, revenue = found.labels[place], int(found.revenue_minor[place])
    return BoughtRowShape(
        label=named(label),
        customers=int(found.customers[place]),
        orders=int(found.orders[place]),
        lines=int(found.lines[place]),
        revenue=money_text(revenue),
        share=_share(found, place),
        revenue_field=f"revenue:{by}:{label}" if label else "",
        orders_field=f"orders:{by}:{label}" if label else "",
    )


class LeadsToCellShape(Shape):
    """So many came to it later: their share of the row's customers with its 95 % interval."""

    customers: int
    share: float
    low: float
    high: float


class LeadsToRowShape(Shape):
    """Those whose first order was mainly of one category. ``again`` : those who ordered again at all."""

    label: str
    customers: int
    again: LeadsToCellShape
    cells: list[LeadsToCellShape]


class LeadsToShape(AnswerShape):
    """First category by later category, each in the sequence of its customers."""

    columns: list[str]
    firsts: list[LeadsToRowShape]

    @classmethod
    def of(cls, answer: LeadsToAnswer) -> LeadsToShape:
        found = answer.found
        limit_cells(
            len(found.rows) * len(found.columns),
            most=LEADS_TO_CELLS_MOST,
            remedy="Take it as a file, or filter to some categories.",
            field="where",
        )
        return cls(
            **header(answer.read, answer.words),
            columns=[named(label) for label in found.columns],
            firsts=[
                LeadsToRowShape(
                    label=named(label),
                    customers=int(found.customers[row]),
                    again=_cells(found.later[row : row + 1], int(found.customers[row]))[0],
                    cells=_cells(found.came_to[row], int(found.customers[row])),
                )
                for row, label in enumerate(found.rows)
            ],
        )


def _cells(parts: np.ndarray[tuple[int], np.dtype[np.int64]], whole: int) -> list[LeadsToCellShape]:
    low, high = wilson_interval(parts, np.full(parts.size, whole))
    return [
        LeadsToCellShape(customers=part, share=part / whole, low=round(lowest, 6), high=round(highest, 6))
        for part, lowest, highest in zip(parts.tolist(), low.tolist(), high.tolist(), strict=True)
    ]


def bought_sheet(_workspace: Workspace, answer: BoughtAnswer) -> Sheet:
    """One row per product or category, the one with the most revenue first."""
    found = answer.bought
    whole = found.lines_minor if found.lines_minor > 0 else float("nan")
    table = pa.table(
        {
            answer.question.by.value: label_column(found.labels),
            "customers": found.customers,
            "orders": found.orders,
            "lines": found.lines,
            "revenue": exact_money(np.ascontiguousarray(found.revenue_minor)),
            "share": known_numbers(found.revenue_minor / whole),
        }
    )
    return Sheet(sentences(answer.read, answer.words), table.take(pa.array(answer.rows)), frozenset({"share"}))


def leads_to_sheet(_workspace: Workspace, answer: LeadsToAnswer) -> Sheet:
    """One row per pair of categories; the later one is empty for any later order."""
    found = answer.found
    columns = len(found.columns) + 1
    came = np.concatenate((found.later[:, None], found.came_to), axis=1).ravel()
    whole = np.repeat(found.customers, columns)
    low, high = wilson_interval(came, whole)
    first = [label for label in found.rows for _ in range(columns)]
    later = ["", *found.columns] * len(found.rows)
    table = pa.table(
        {
            "first_category": label_column(first),
            "later_category": label_column(later),
            "first_customers": whole,
            "customers": came,
            "share": known_numbers(came / np.maximum(whole, 1)),
            "low": known_numbers(low),
            "high": known_numbers(high),
        }
    )
    return Sheet(sentences(answer.read, answer.words), table, frozenset({"share", "low", "high"}))
