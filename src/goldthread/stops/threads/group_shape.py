"""What goes over the wire about groups of orders and pairs of attributes."""

from __future__ import annotations

import datetime as dt

from goldthread.actions.conditions import label_condition
from goldthread.actions.customer import OrderDetail
from goldthread.actions.reading import Read
from goldthread.actions.tables import money
from goldthread.actions.thread_questions import Extreme, FiguresQuestion, PairsQuestion
from goldthread.api.customer_shapes import OrderShownShape
from goldthread.api.shapes import Shape
from goldthread.api.thread_shapes import AnswerShape, said
from goldthread.core.book import OrderBook
from goldthread.core.groups import Groups, Pairs
from goldthread.core.payments import NO_DAY
from goldthread.core.periods import to_date


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


class FiguresShape(Shape):
    """Figures of orders. ``total``: all together, counted afresh; null where they are not grouped or there is none."""

    answer: AnswerShape
    groups: list[GroupShape]
    total: GroupShape | None
    rest: list[GroupShape]

    @classmethod
    def of(
        cls,
        read: Read,
        question: FiguresQuestion,
        groups: list[GroupShape],
        total: list[GroupShape],
        rest: list[GroupShape],
    ) -> FiguresShape:
        return cls(answer=said(read, question), groups=groups, total=total[0] if total else None, rest=rest)


def groups_of(
    book: OrderBook, question: FiguresQuestion, groups: Groups, orders: dict[int, OrderDetail]
) -> list[GroupShape]:
    """Groups with their extreme orders, whose details are given by id."""

    def extreme(position: int) -> ExtremeShape:
        customer = int(book.customer[position])
        detail = orders[int(book.order_id[position])]
        return ExtremeShape(
            customer=int(book.customer_id[customer]),
            name=book.customers.name(customer),
            order=OrderShownShape.of(detail),
        )

    return [
        GroupShape(
            label=label,
            customers=int(groups.customers[place]),
            orders=int(groups.orders[place]),
            revenue=money(int(groups.revenue_minor[place])),
            average=money(round(float(groups.average_minor[place]) / 100) * 100),
            smallest=extreme(int(groups.smallest[place])),
            largest=extreme(int(groups.largest[place])),
            first_date=to_date(int(groups.first_day[place])),
            latest_date=to_date(int(groups.latest_day[place])),
            open=label_condition(question.group, label) if question.group else None,
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


class PairsShape(Shape):
    """A part of the grid of pairs: ``count`` rows there are in all."""

    answer: AnswerShape
    extreme: Extreme
    columns: list[str]
    opens: list[str]
    count: int
    offset: int
    rows: list[PairRowShape]

    @classmethod
    def of(cls, read: Read, question: PairsQuestion, grid: Pairs, offset: int, limit: int) -> PairsShape:
        return cls(
            answer=said(read, question),
            extreme=question.extreme,
            columns=list(grid.column_labels),
            opens=[label_condition(question.columns, label) for label in grid.column_labels],
            count=int(grid.rows.size),
            offset=offset,
            rows=[_pair_row(read, question, grid, row) for row in range(offset, min(offset + limit, grid.rows.size))],
        )


def _pair_row(read: Read, question: PairsQuestion, grid: Pairs, row: int) -> PairRowShape:
    code, book = int(grid.rows[row]), read.orders
    of_customer = grid.row_labels is None
    label = book.customers.name(code) if grid.row_labels is None else grid.row_labels[code]
    return PairRowShape(
        label=label,
        customer=int(book.customer_id[code]) if of_customer else None,
        open=None if of_customer else label_condition(question.rows, label),
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
