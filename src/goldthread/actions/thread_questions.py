"""Questions to the threads: frozen values whose names are those of the address, the HTTP query
and the command line. Each is asked of a book as a reading line reads it.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from goldthread.core.choices import CUSTOMER, LATEST, Kind
from goldthread.errors import InvalidInput

SHOWN_OF_CUSTOMERS = ("first_date", "latest_date", "orders", "usual_gap")
SHOWN_OF_ORDERS = ("date", "amount", "source", "status", "category")
COLUMNS_LIMIT = 12
HIGHEST_RANK = 1_000_000


class ThreadView(StrEnum):
    """What the Threads stop shows."""

    CUSTOMERS = "customers"
    ORDERS = "orders"
    FIGURES = "figures"
    PAIRS = "pairs"
    BACKDATED = "backdated"


class Direction(StrEnum):
    """The sequence of a list."""

    UP = "up"
    DOWN = "down"


class Extreme(StrEnum):
    """Which date of a pair is shown."""

    BOTH = "both"
    EARLIEST = "earliest"
    LATEST = "latest"


@dataclass(frozen=True)
class CustomersQuestion:
    """Customers by a field, in a sequence, showing some more fields. No direction: what is asked for most."""

    by: str = "days_since"
    direction: Direction | None = None
    show: tuple[str, ...] = SHOWN_OF_CUSTOMERS


@dataclass(frozen=True)
class OrdersQuestion:
    """One order of each customer: ``first``, ``latest`` or a rank from 1."""

    which: str = "first"
    by: str = "date"
    direction: Direction | None = None
    show: tuple[str, ...] = SHOWN_OF_ORDERS

    @property
    def nth(self) -> int:
        """The rank, or `LATEST`. Raises `InvalidInput`."""
        if self.which == "first":
            return 1
        if self.which == "latest":
            return LATEST
        if self.which.isascii() and self.which.isdigit() and 0 < int(self.which[:9]) <= HIGHEST_RANK:
            return int(self.which)
        raise InvalidInput(
            f"{self.which or 'Nothing'} is no order of a customer.",
            remedy="Give first, latest, or a whole number from 1.",
            field="which",
        )


@dataclass(frozen=True)
class FiguresQuestion:
    """How many, how much, the largest and smallest; by a label when ``group`` names one."""

    group: str = ""


@dataclass(frozen=True)
class PairsQuestion:
    """Earliest and latest order for pairs of attributes; rows may be customers."""

    rows: str = CUSTOMER
    columns: str = "rep"
    extreme: Extreme = Extreme.BOTH


@dataclass(frozen=True)
class BackdatedQuestion:
    """The customers for whom, within one source, number order and date order disagree."""


def usual_direction(kind: Kind) -> Direction:
    """The sequence that people ask for most: names and dates up, quantities down."""
    return Direction.UP if kind in (Kind.TEXT, Kind.LABEL, Kind.DATE) else Direction.DOWN
