"""The questions of Threads: customers and orders in lists, figures of orders, pairs, what was backdated."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

from pydantic import BaseModel, Field, field_validator

from goldthread.core.choices import CUSTOMER, LATEST, Direction
from goldthread.errors import InvalidInput
from goldthread.stops.sentences.reading_line import InColumns, ReadingLine
from goldthread.stops.stop import QuestionKind, Stop

COLUMNS_LIMIT = 12
HIGHEST_RANK = 1_000_000


class Extreme(StrEnum):
    """Which date of a pair is shown."""

    BOTH = "both"
    EARLIEST = "earliest"
    LATEST = "latest"


class ListQuestion(ReadingLine):
    """A list by a field, in a sequence, showing some more fields."""

    by: str = Field("name", description="The field that the list goes by.")
    direction: Direction | None = Field(None, description="The sequence; what is asked for most when not given.")
    show: tuple[str, ...] = Field((), description="A further field; repeatable.")

    @field_validator("show")
    @classmethod
    def _each_once(cls, given: tuple[str, ...]) -> tuple[str, ...]:
        """A single empty name says that there is none."""
        return tuple(name for name in dict.fromkeys(given) if name)


class CustomersQuestion(ListQuestion):
    """Customers in a list."""

    by: str = Field("days_since", description="The field that the list goes by.")
    show: tuple[str, ...] = Field(
        ("first_date", "latest_date", "orders", "usual_gap"), description="A further field; repeatable."
    )


class NthQuestion(ListQuestion):
    """One order of each customer who has it."""

    rank: str = Field("first", description="first, latest, or a whole number from 1.")
    by: str = Field("date", description="The field that the list goes by.")
    show: tuple[str, ...] = Field(
        ("date", "amount", "source", "status", "category"),
        description="A further field of the shown list; repeatable. Files have every field.",
    )

    @property
    def nth(self) -> int:
        """The rank, or `LATEST`. Raises `InvalidInput`."""
        if self.rank == "first":
            return 1
        if self.rank == "latest":
            return LATEST
        if self.rank.isascii() and self.rank.isdigit() and 0 < int(self.rank[:9]) <= HIGHEST_RANK:
            return int(self.rank)
        raise InvalidInput(
            f"{self.rank or 'Nothing'} is not an order of a customer.",
            remedy="Give first, latest, or a whole number from 1.",
            field="rank",
        )


class OrdersQuestion(ReadingLine):
    """Every order with everything its thread shows."""


class Align(StrEnum):
    """Where threads begin side by side: each on its date, or all with their first orders."""

    CALENDAR = "calendar"
    FIRST = "first"


class LoomQuestion(ReadingLine):
    """Many threads at once, in a drawing."""

    by: str = Field("first_date", description="The field of customers that the threads go by.")
    direction: Direction | None = Field(None, description="The sequence; what is asked for most when not given.")
    tone: str = Field("", description="The field of customers that threads are coloured by; none for one colour.")
    align: Align = Field(Align.CALENDAR, description="Whether threads stand by date or by their first orders.")


class LoomFigureName(BaseModel):
    """Some neighbouring threads, by their places in the whole sequence."""

    first: Annotated[int, Field(ge=0)] = Field(0, description="The place of the first of them, from 0.")
    last: Annotated[int, Field(ge=0)] | None = Field(None, description="The place of the last; the last of all.")


class FiguresQuestion(ReadingLine):
    """Figures of orders."""

    group: str = Field("", description="The field whose labels are the groups; none for all together.")


class PairsQuestion(InColumns):
    """Earliest and latest order for pairs of attributes."""

    rows: str = Field(CUSTOMER, description="customer, or a field with labels.")
    columns: str = Field("rep", description="A field with labels.")
    extreme: Extreme = Field(Extreme.BOTH, description="Which date of each pair.")


class BackdatedQuestion(ReadingLine):
    """Customers for whom, within one source, number order and date order disagree."""


ListedQuestion = CustomersQuestion | NthQuestion | OrdersQuestion | BackdatedQuestion
"""Whatever is answered by a list."""
CUSTOMERS = QuestionKind("customers", CustomersQuestion, "All customers by a field.", windowed=True)
NTH = QuestionKind(
    "nth",
    NthQuestion,
    "The order of a rank of every customer who has so many, with all there is to know of it.",
    also={
        "first": ({"rank": "first"}, "The first order of every customer, with all there is to know of it."),
        "latest": ({"rank": "latest"}, "The latest order of every customer, with all there is to know of it."),
    },
    windowed=True,
)
ORDERS = QuestionKind(
    "orders",
    OrdersQuestion,
    "Every order with everything its thread shows: rank, gap, firsts, orders and revenue to date and in all.",
    windowed=True,
)
FIGURES = QuestionKind("figures", FiguresQuestion, "Count, sum, average, smallest and largest of orders.")
PAIRS = QuestionKind(
    "pairs", PairsQuestion, "The earliest and the latest order for each pair of attributes.", windowed=True
)
BACKDATED = QuestionKind(
    "backdated",
    BackdatedQuestion,
    "The orders that stand before one with a smaller number of the same customer and source.",
    windowed=True,
)
LOOM = QuestionKind("loom", LoomQuestion, "Up to 5 000 threads at once, sorted and coloured by any field.")
STOP = Stop("threads", "Threads", (CUSTOMERS, LOOM, NTH, ORDERS, FIGURES, PAIRS, BACKDATED))
