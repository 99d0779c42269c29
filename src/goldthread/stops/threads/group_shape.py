"""Groups of orders and pairs of attributes as JSON."""

from __future__ import annotations

import datetime as dt

from goldthread.core.book.days import to_date
from goldthread.core.book.payments import NO_DAY
from goldthread.core.history.history import History
from goldthread.core.limits import GROUPS_SHOWN_MOST, limit_groups
from goldthread.core.money import money_text, whole_cents
from goldthread.core.threads.groups import Extremes, Groups, Pairs
from goldthread.shape import Shape
from goldthread.stops.behind.order_shape import OrderShownShape
from goldthread.stops.reading import Read
from goldthread.stops.sentences.conditions import label_condition
from goldthread.stops.stop import Window
from goldthread.stops.threads.answer import FiguresAnswer, PairsAnswer, groups_with_orders
from goldthread.stops.threads.question import Extreme, PairsQuestion
from goldthread.stops.threads.shape import ThreadsShape, threads_header
from goldthread.store.read.details import OrderDetail
from goldthread.workspace import Workspace


class ExtremeShape(Shape):
    """The smallest or largest order of a group."""

    customer: int
    name: str
    order: OrderShownShape


class GroupShape(Shape):
    """The orders of one group. ``open``: the condition that chooses them, null where no condition can."""

    label: str
    customers: int
    orders: int
    revenue: str
    average: str
    smallest: ExtremeShape
    largest: ExtremeShape
    first_date: dt.date
    latest_date: dt.date
    open: str | None


class FiguresShape(ThreadsShape):
    """Figures of orders. ``total``: all together, counted afresh; null where they are not grouped or there is none."""

    groups: list[GroupShape]
    total: GroupShape | None
    rest: list[GroupShape]

    @classmethod
    def of(cls, workspace: Workspace, answer: FiguresAnswer) -> FiguresShape:
        read, group = answer.read, answer.question.group

        def shown(history: History, name: str) -> list[GroupShape]:
            groups, orders = groups_with_orders(workspace, read, history, name)
            return _group_shapes(read, name, groups, orders)

        total = shown(read.history, "") if group else []
        return cls(
            **threads_header(read, answer.words),
            groups=shown(read.history, group),
            total=total[0] if total else None,
            rest=[] if read.rest is None else shown(read.rest, group),
        )


def _group_shapes(read: Read, group: str, groups: Groups, orders: dict[int, OrderDetail]) -> list[GroupShape]:
    """Groups with their extreme orders, whose details are given by id."""
    whole = read.history.whole

    def extreme(of: Extremes, place: int) -> ExtremeShape:
        customer = int(of.customer[place])
        return ExtremeShape(
            customer=int(whole.customer_id[customer]),
            name=whole.customers.name(customer),
            order=OrderShownShape.like(orders[int(of.order_id[place])]),
        )

    return [
        GroupShape(
            label=label,
            customers=int(groups.customers[place]),
            orders=int(groups.orders[place]),
            revenue=money_text(int(groups.revenue_minor[place])),
            average=money_text(whole_cents(float(groups.average_minor[place]))),
            smallest=extreme(groups.smallest, place),
            largest=extreme(groups.largest, place),
            first_date=to_date(int(groups.first_day[place])),
            latest_date=to_date(int(groups.latest_day[place])),
            open=label_condition(read, group, label) if group else None,
        )
        for place, label in enumerate(groups.labels)
    ]


class PairShape(Shape):
    """A pair that has orders: its column's place, how many orders, the earliest and the latest."""

    column: int
    orders: int
    earliest: dt.date
    latest: dt.date


class PairRowShape(Shape):
    """A row of the grid; ``customer`` where rows are customers. ``open``: the condition that chooses its orders."""

    label: str
    customer: int | None
    open: str | None
    pairs: list[PairShape]


class PairsShape(ThreadsShape):
    """A part of the grid of pairs: ``count`` rows there are in all."""

    extreme: Extreme
    columns: list[str]
    opens: list[str]
    count: int
    offset: int
    rows: list[PairRowShape]

    @classmethod
    def of(cls, answer: PairsAnswer, window: Window) -> PairsShape:
        question, grid = answer.question, answer.grid
        limit_groups(len(grid.column_labels), GROUPS_SHOWN_MOST, "columns")
        rows = range(window.offset, min(window.offset + window.limit, grid.rows.size))
        return cls(
            **threads_header(answer.read, answer.words),
            extreme=question.extreme,
            columns=list(grid.column_labels),
            opens=[label_condition(answer.read, question.columns, label) for label in grid.column_labels],
            count=int(grid.rows.size),
            offset=window.offset,
            rows=[_pair_row(answer.read, question, grid, row) for row in rows],
        )


def _pair_row(read: Read, question: PairsQuestion, grid: Pairs, row: int) -> PairRowShape:
    code, book = int(grid.rows[row]), read.history.whole
    of_customer = grid.row_labels is None
    label = book.customers.name(code) if grid.row_labels is None else grid.row_labels[code]
    return PairRowShape(
        label=label,
        customer=int(book.customer_id[code]) if of_customer else None,
        open=None if of_customer else label_condition(read, question.rows, label),
        pairs=[
            PairShape(
                column=place,
                orders=int(orders),
                earliest=to_date(int(grid.earliest[row, place])),
                latest=to_date(int(grid.latest[row, place])),
            )
            for place, orders in enumerate(grid.orders[row].tolist())
            if grid.latest[row, place] != NO_DAY
        ],
    )
