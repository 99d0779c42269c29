"""What goes over the wire about threads: lists, one customer, figures of orders, pairs.

Money is a plain decimal text, exact; dates are ISO 8601; null where nothing applies.
"""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from pydantic import BaseModel, Field

from goldthread.actions.cells import Cell
from goldthread.actions.reading import Read
from goldthread.actions.sheets import Form
from goldthread.actions.tables import money
from goldthread.actions.thread_questions import (
    SHOWN_OF_CUSTOMERS,
    SHOWN_OF_ORDERS,
    BackdatedQuestion,
    CustomersQuestion,
    Direction,
    Extreme,
    FiguresQuestion,
    OrdersQuestion,
    PairsQuestion,
)
from goldthread.actions.thread_wording import Question, thread_controls, thread_sentence
from goldthread.actions.threads import ListedRow, Listing, Tally, date_span, tally
from goldthread.actions.wording import reading_line
from goldthread.api.customer_shapes import OrderShownShape
from goldthread.api.opened_shapes import ThreadShape
from goldthread.api.sentence_shapes import ControlShape, HistoryQuery, PartShape
from goldthread.api.shapes import Place, Shape
from goldthread.core.fields import Kind
from goldthread.core.groups import CUSTOMER
from goldthread.core.periods import to_date


class Window(BaseModel):
    """Which rows of a long list."""

    offset: Place = 0
    limit: Annotated[int, Field(ge=1, le=500)] = 60


class FormQuery(BaseModel):
    """As what kind of file a table is taken."""

    form: Form = Form.CSV


class CustomersQuery(HistoryQuery):
    """Customers by a field."""

    by: str = "days_since"
    direction: Direction | None = None
    show: list[str] | None = None

    def question(self) -> CustomersQuestion:
        return CustomersQuestion(self.by, self.direction, _named(self.show, SHOWN_OF_CUSTOMERS))


class OrdersQuery(HistoryQuery):
    """One order of each customer: first, latest, or a rank."""

    which: str = "first"
    by: str = "date"
    direction: Direction | None = None
    show: list[str] | None = None

    def question(self) -> OrdersQuestion:
        return OrdersQuestion(self.which, self.by, self.direction, _named(self.show, SHOWN_OF_ORDERS))


class FiguresQuery(HistoryQuery):
    """Figures of orders by a label."""

    group: str = ""

    def question(self) -> FiguresQuestion:
        return FiguresQuestion(self.group)


class PairsQuery(HistoryQuery):
    """Earliest and latest order for pairs of attributes."""

    rows: str = CUSTOMER
    columns: str = "rep"
    extreme: Extreme = Extreme.BOTH

    def question(self) -> PairsQuestion:
        return PairsQuestion(self.rows, self.columns, self.extreme)


class BackdatedQuery(HistoryQuery):
    """Customers whose orders were backdated."""

    def question(self) -> BackdatedQuestion:
        return BackdatedQuestion()


class CustomersWindow(CustomersQuery, Window):
    pass


class OrdersWindow(OrdersQuery, Window):
    pass


class PairsWindow(PairsQuery, Window):
    pass


class BackdatedWindow(BackdatedQuery, Window):
    pass


class CustomersFile(CustomersQuery, FormQuery):
    pass


class OrdersFile(OrdersQuery, FormQuery):
    pass


class FiguresFile(FiguresQuery, FormQuery):
    pass


class PairsFile(PairsQuery, FormQuery):
    pass


class BackdatedFile(BackdatedQuery, FormQuery):
    pass


class EveryOrderFile(HistoryQuery, FormQuery):
    pass


def _named(names: list[str] | None, usual: tuple[str, ...]) -> tuple[str, ...]:
    """Names of columns; a single empty one says that there is none."""
    if names is None:
        return usual
    return tuple(name for name in dict.fromkeys(names) if name)


class FieldShape(Shape):
    """A field that is shown, or can be."""

    name: str
    title: str
    kind: Kind


class TallyShape(Shape):
    """Some customers at a glance."""

    customers: int
    with_orders: int
    orders: int
    revenue: str
    median_days_since: float | None

    @classmethod
    def of(cls, told: Tally) -> TallyShape:
        return cls(
            customers=told.customers,
            with_orders=told.with_orders,
            orders=told.orders,
            revenue=money(told.revenue_minor),
            median_days_since=told.median_days_since,
        )


class AnswerShape(Shape):
    """What every answer of the stop says of itself. ``rest``: all others, when the held are shown against them."""

    book: str
    currency: str
    revision: int
    as_of: dt.date
    reading: list[PartShape]
    sentence: list[PartShape]
    controls: list[ControlShape]
    tally: TallyShape
    rest: TallyShape | None


def said(read: Read, question: Question) -> AnswerShape:
    """The sentences of an answer, and who is looked at."""
    return AnswerShape(
        book=read.book.name,
        currency=read.book.currency,
        revision=read.shelved.revision,
        as_of=to_date(read.as_of_day),
        reading=PartShape.list_of(reading_line(read)),
        sentence=PartShape.list_of(thread_sentence(read, question)),
        controls=[ControlShape.of(control) for control in thread_controls(read, question)],
        tally=TallyShape.of(tally(read.history)),
        rest=None if read.rest is None else TallyShape.of(tally(read.rest)),
    )


class ListedRowShape(Shape):
    """One row of a list. ``cells`` begin with the field that the list goes by. ``orders``: those that stand out."""

    thread: ThreadShape
    cells: list[Cell]
    orders: list[OrderShownShape]

    @classmethod
    def of(cls, row: ListedRow) -> ListedRowShape:
        return cls(
            thread=ThreadShape.of(row.thread),
            cells=row.cells,
            orders=[OrderShownShape.of(order) for order in row.orders],
        )


class ListShape(Shape):
    """A part of a list: ``count`` rows there are in all, ``rows`` begin at ``offset``.

    ``by`` is the field that the list goes by. All threads share the axis from ``first_date`` to ``last_date``.
    ``words`` say what a row is and how many there are.
    """

    answer: AnswerShape
    words: str
    count: int
    offset: int
    by: FieldShape
    columns: list[FieldShape]
    first_date: dt.date
    last_date: dt.date
    rows: list[ListedRowShape]

    @classmethod
    def of(cls, listing: Listing, question: Question, words: str, rows: list[ListedRow], offset: int) -> ListShape:
        first, last = date_span(listing.read)
        by, *columns = (
            FieldShape(name=field.name, title=field.title, kind=field.kind) for field in (listing.by, *listing.columns)
        )
        return cls(
            answer=said(listing.read, question),
            words=words,
            count=int(listing.rows.size),
            offset=offset,
            by=by,
            columns=columns,
            first_date=first,
            last_date=last,
            rows=[ListedRowShape.of(row) for row in rows],
        )
