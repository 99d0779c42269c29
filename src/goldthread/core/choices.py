"""The words that a question can be asked in: nothing but names, so that a command is read without any arithmetic."""

from __future__ import annotations

import re
from enum import StrEnum
from typing import Self

from goldthread.core.records import OrderStatus

COUNTED_BY_DEFAULT = frozenset(OrderStatus) - {OrderStatus.CANCELLED}
"""The statuses that count until somebody says otherwise."""


SMALL_BELOW = 30
"""Below how many customers a group is called small until somebody says otherwise."""


class Blank(str):
    """The name of a group whose label is empty; a label that reads so is none."""

    __slots__ = ()


BLANK = Blank("blank")
"""What a group is called whose label is empty."""
CUSTOMER = "customer"
"""In place of a field: every customer is a group."""
_IN_A_CALENDAR = re.compile(r"(fiscal-(?:quarter|year))-([2-9]|1[0-2])|(week)-sunday")
LATEST = 0
"""In place of a rank: the latest order, whatever its rank."""


class _OfCalendar(StrEnum):
    """A length of time that has its place in a calendar. What depends on the calendar of a book has a member for each:
    ``fiscal-year-4`` begins in April, ``week-sunday`` on Sundays; they are none of those that are listed."""

    @classmethod
    def _missing_(cls, value: object) -> Self | None:
        if not isinstance(value, str) or not _IN_A_CALENDAR.fullmatch(value):
            return None
        member = str.__new__(cls, value)
        member._name_ = value.upper().replace("-", "_")
        member._value_ = value
        found: Self = cls._value2member_map_.setdefault(value, member)  # type: ignore[assignment]
        return found

    def __reduce_ex__(self, _protocol: object) -> tuple[type[Self], tuple[str]]:
        return type(self), (self._value_,)

    @property
    def kind(self) -> Self:
        """The same in no calendar of its own, as it is asked for."""
        found = _IN_A_CALENDAR.fullmatch(self._value_)
        return self if found is None else type(self)(found[1] or found[3])

    @property
    def noun(self) -> str:
        """What people call one: month, fiscal year."""
        return self.kind._value_.replace("-", " ")

    @property
    def first_month(self) -> int:
        """The month in which a fiscal year begins, 1 … 12; 1 for a calendar year."""
        found = _IN_A_CALENDAR.fullmatch(self._value_)
        return int(found[2]) if found is not None and found[2] else 1

    @property
    def is_fiscal(self) -> bool:
        return self._value_.startswith("fiscal")

    @property
    def begins_on_sunday(self) -> bool:
        return self._value_ == "week-sunday"

    @property
    def is_iso(self) -> bool:
        """Whether its name alone says its days, to everybody."""
        return not self.is_fiscal and not self.begins_on_sunday

    def within(self, first_month: int, *, sundays: bool) -> Self:
        """The same in the calendar of a book: by the first month of its fiscal year, and the first day of its weeks."""
        kind = self.kind
        if kind.is_fiscal:
            return kind if first_month == 1 else type(self)(f"{kind._value_}-{first_month}")
        return type(self)("week-sunday") if sundays and kind._value_ == "week" else kind


class Period(_OfCalendar):
    """The length of a cohort's period."""

    WEEK = "week"
    MONTH = "month"
    QUARTER = "quarter"
    YEAR = "year"
    FISCAL_QUARTER = "fiscal-quarter"
    FISCAL_YEAR = "fiscal-year"


CALENDAR_PERIODS = (Period.WEEK, Period.MONTH, Period.QUARTER, Period.YEAR)
"""Those that every book has."""


class FirstDay(StrEnum):
    """The day on which weeks begin."""

    MONDAY = "monday"
    SUNDAY = "sunday"


class AgeKind(StrEnum):
    """How the periods since the first order are counted.

    ``CALENDAR``: period index of the order − period index of the first order.
    ``ELAPSED``: floor(days since the first order / L), L as in `elapsed_days`.
    """

    CALENDAR = "calendar"
    ELAPSED = "elapsed"


class CohortFigure(StrEnum):
    """What the cells of the cohort table show."""

    RETENTION = "retention"
    CHURN = "churn"
    STILL_BUYING = "still_buying"
    CAME_BACK = "came_back"
    CUSTOMERS = "customers"
    ORDERS = "orders"
    REVENUE = "revenue"
    AVERAGE_ORDER_VALUE = "average_order_value"
    REVENUE_PER_CUSTOMER = "revenue_per_customer"
    PROFIT_PER_CUSTOMER = "profit_per_customer"
    REVENUE_RETENTION = "revenue_retention"


class Average(StrEnum):
    """How the values of several cohorts are averaged: by customers, or one cohort one vote."""

    WEIGHTED = "weighted"
    PLAIN = "plain"


class OrderUnit(StrEnum):
    """What counts as one: every order, or all of a customer's orders on one date."""

    ORDER = "order"
    PURCHASE_DAY = "purchase-day"


class Firsts(StrEnum):
    """Where a condition on orders stands: ``ALL``, firsts are those of all orders and the condition chooses what is
    shown; ``MATCHING``, matching orders alone make up the threads."""

    ALL = "all"
    MATCHING = "matching"


class Span(_OfCalendar):
    """The length of a period in which new and returning are split."""

    DAY = "day"
    WEEK = "week"
    MONTH = "month"
    QUARTER = "quarter"
    YEAR = "year"
    FISCAL_QUARTER = "fiscal-quarter"
    FISCAL_YEAR = "fiscal-year"


class Measure(StrEnum):
    """What of a period is split."""

    ORDERS = "orders"
    CUSTOMERS = "customers"
    REVENUE = "revenue"


class Side(StrEnum):
    """One part of a period. ``WON_BACK`` is a part of ``RETURNING``; ``ALL`` is everything."""

    NEW = "new"
    RETURNING = "returning"
    WON_BACK = "won_back"
    ALL = "all"


class Kind(StrEnum):
    """What a field's values are."""

    TEXT = "text"
    LABEL = "label"
    NUMBER = "number"
    COUNT = "count"
    DAYS = "days"
    RATIO = "ratio"
    MONEY = "money"
    DATE = "date"


class Waiting(StrEnum):
    """Where a customer is some days after an order: ordered again, still to order, or not so far yet."""

    ORDERED = "ordered"
    WAITING = "waiting"
    NOT_YET = "not_yet"


class LapseBy(StrEnum):
    """What keeps a customer from lapsing: orders alone, or payments too."""

    ORDERS = "orders"
    ACTIVITY = "activity"


class Direction(StrEnum):
    """The sequence of a list."""

    UP = "up"
    DOWN = "down"


class Flow(StrEnum):
    """What a customer did between the ends of two periods, as the standings at both show."""

    BEGAN = "began"
    BECAME_LAPSED = "became_lapsed"
    WON_BACK = "won_back"
    CAME_ON_FILE = "came_on_file"
    NONE_COUNTED = "none_counted"


class Who(StrEnum):
    """Why somebody is followed up."""

    LAPSED = "lapsed"
    NEVER_ORDERED = "never_ordered"
    NONE_COUNTED = "none_counted"
    OVERDUE = "overdue"
    ONE_ORDER = "one_order"


class Stands(StrEnum):
    """Where a customer stands; every customer is in exactly one."""

    ACTIVE = "active"
    LAPSED = "lapsed"
    NEVER_ORDERED = "never_ordered"
    NONE_COUNTED = "none_counted"


class MemberState(StrEnum):
    """How far a member of a list is worked."""

    TO_DO = "to_do"
    CONTACTED = "contacted"
    LEFT_OUT = "left_out"


class Became(StrEnum):
    """What became of a member in the days after: ordered again, not, or the days are not over yet."""

    ORDERED = "ordered"
    NOT_ORDERED = "not_ordered"
    OPEN = "open"


class WorkField(StrEnum):
    """What is put down of a member of a list; ``HELD_BACK`` when the list is made, and never after."""

    STATE = "state"
    CONTACTED_ON = "contacted_on"
    CHANNEL = "channel"
    CONTACTED_BY = "contacted_by"
    CALL_ON = "call_on"
    NOTE = "note"
    HELD_BACK = "held_back"


class PartKind(StrEnum):
    """How the part of a list is described that somebody works."""

    WHOLE = "whole"
    LETTERS = "letters"
    ATTRIBUTE = "attribute"
    EVERY = "every"


class MailState(StrEnum):
    """How a message to one member stands: being handed over, taken by the server, refused by it."""

    SENDING = "sending"
    SENT = "sent"
    REFUSED = "refused"


class JobState(StrEnum):
    """How a piece of work stands."""

    WAITING = "waiting"
    RUNNING = "running"
    DONE = "done"
    FAILED = "failed"
    STOPPED = "stopped"


class Lane(StrEnum):
    """What waits for its turn together: mailings mostly wait for their pace, and hold nothing else up."""

    WORK = "work"
    MAIL = "mail"


class ScheduleKind(StrEnum):
    """What a schedule does: takes files out of a folder, takes rows of a query, sends a letter, watches a figure."""

    FOLDER = "folder"
    QUERY = "query"
    LETTER = "letter"
    WATCH = "watch"


class NoteOn(StrEnum):
    """What a note is about."""

    CUSTOMER = "customer"
    DELIVERY = "delivery"
    LIST = "list"
    COHORT = "cohort"
    CELL = "cell"
    PERIOD = "period"


class Beyond(StrEnum):
    """On which side of its bound a figure that is watched is told of."""

    BELOW = "below"
    ABOVE = "above"


class RunState(StrEnum):
    """What came of a run of a schedule: it is under way, did something, found nothing to do, left a file that waits for
    an answer, found that a figure has turned, or failed."""

    RUNNING = "running"
    DONE = "done"
    NOTHING = "nothing"
    WAITS = "waits"
    TURNED = "turned"
    FAILED = "failed"
