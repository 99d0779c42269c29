"""Everything that an order or a customer can be asked for by name: in conditions, columns, groups and sortings.

The names are those of condition texts and of exported columns. What a file gave stands beside what its thread shows;
a field of the first order belongs to the customer.
"""

from __future__ import annotations

import datetime as dt
import difflib
import functools
import re
import unicodedata
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import Attribute
from goldthread.core.book.days import to_day
from goldthread.core.book.order_book import OrderBook
from goldthread.core.book.payments import NO_DAY, Payments
from goldthread.core.calendar_words import date_words
from goldthread.core.choices import Kind
from goldthread.core.history import facts
from goldthread.core.history.bands import Bands, months, number_bands
from goldthread.core.history.conditions import Level, Mask, Numbers, Values
from goldthread.core.history.lapse import NINETY_DAYS, LapseRule
from goldthread.core.history.slowed import slowed_down
from goldthread.core.history.standing import STANDING_LABELS, standing
from goldthread.core.money import decimal_minor
from goldthread.core.parts import MadeLater
from goldthread.core.records import AttributeType
from goldthread.core.threads.gaps import NO_GAP, average_gap_days, gap_days, rank
from goldthread.errors import InvalidInput


@dataclass(frozen=True)
class Field:
    """A field: ``name`` as conditions write it, ``title`` as people read it; one that is ``hidden`` is not offered.

    ``own`` is the name of the own attribute of orders that it reads, empty for every other field. ``bought`` is the
    product or category whose lines it counts, as ``category:clay``, likewise; ``dated`` the first and the last day of
    the orders that it counts, both inside. ``is_filed``: it is an attribute that files give, of orders or customers, so
    that numbers and dates group by bands and months.
    """

    name: str
    title: str
    kind: Kind
    level: Level
    hidden: bool = False
    own: str = ""
    bought: str = ""
    dated: tuple[int, int] | None = None
    is_filed: bool = False


@dataclass(frozen=True, eq=False)
class FieldSource(MadeLater):
    """What fields are read from: the counted orders, all that are on record, the as-of day and the lapse rule."""

    book: OrderBook
    whole: OrderBook
    as_of_day: int
    lapse: LapseRule


_BOUGHT = re.compile(r"(orders|revenue|lines):(product|category):(.{1,255})", re.DOTALL)
_RANGE = re.compile(r"(orders|revenue):dated:([0-9]{4}-[0-9]{2}-[0-9]{2})/([0-9]{4}-[0-9]{2}-[0-9]{2})")
_FILED = "own."
_PLAIN_NAME = re.compile(r"[A-Za-z_][A-Za-z0-9_.:]*")
_ORDER_LABELS = {
    "source": "source",
    "status": "status",
    "rep": "sales rep",
    "channel": "channel",
    "category": "category",
}
_LABELS_AT = {"first": facts.first_label, "latest": facts.latest_label}
"""The orders whose labels a customer carries."""
_CUSTOMER_TEXTS = {"name": "name", "number": "customer number", "email": "e-mail"}
_CUSTOMER_LABELS = {"town": "town", "closed": "closed", "do_not_contact": "do not contact"}
_OWN_KINDS = {
    AttributeType.TEXT: Kind.LABEL,
    AttributeType.MARK: Kind.LABEL,
    AttributeType.NUMBER: Kind.NUMBER,
    AttributeType.DATE: Kind.DATE,
}
_Make = Callable[[FieldSource], Numbers]


def _or_no_day(days: NDArray[np.int32]) -> Numbers:
    return Numbers(days, days == NO_DAY)


def _or_none(values: NDArray[np.float64]) -> Numbers:
    return Numbers(values, np.isnan(values))


def _days(make: Callable[[FieldSource], NDArray[np.int32]]) -> _Make:
    return lambda reading: _or_no_day(make(reading))


def _durations(make: Callable[[FieldSource], NDArray[np.float64]]) -> _Make:
    return lambda reading: _or_none(make(reading))


def _days_until(days: NDArray[np.int32], day: int) -> Numbers:
    """Whole days from each of some days until another one."""
    missing = days == NO_DAY
    return Numbers(np.where(missing, np.int32(0), np.int32(day) - days), missing)


def _money_of_ordering(make: Callable[[OrderBook], NDArray[np.int64]]) -> _Make:
    return lambda reading: Numbers(make(reading.book), reading.book.counts == 0)


def _gaps(reading: FieldSource) -> Numbers:
    gaps = gap_days(reading.book)
    return Numbers(gaps, gaps == NO_GAP)


def _balance(book: OrderBook, payments: Payments) -> Numbers:
    """None for whom no payment is on record: nobody said that what they ordered is owed."""
    return Numbers(facts.balance_minor(book, payments), ~payments.known(book.customer_count))


_OF_ORDERS: dict[str, tuple[str, Kind, _Make]] = {
    "date": ("order date", Kind.DATE, lambda r: Numbers(r.book.day)),
    "amount": ("amount", Kind.MONEY, lambda r: Numbers(r.book.amount_minor)),
    "rank": ("rank", Kind.COUNT, lambda r: Numbers(rank(r.book))),
    "gap": ("gap before it", Kind.DAYS, _gaps),
    "revenue_to_date": ("revenue to date", Kind.MONEY, lambda r: Numbers(facts.revenue_to_date_minor(r.book))),
}
_OF_CUSTOMERS: dict[str, tuple[str, Kind, _Make]] = {
    "first_date": ("first order", Kind.DATE, _days(lambda r: facts.first_day(r.book))),
    "first_amount": ("first amount", Kind.MONEY, _money_of_ordering(facts.first_amount_minor)),
    "latest_date": ("latest order", Kind.DATE, _days(lambda r: facts.latest_day(r.book))),
    "days_since": (
        "days since latest order",
        Kind.DAYS,
        lambda r: _days_until(facts.latest_day(r.book), r.as_of_day),
    ),
    "orders": ("orders", Kind.COUNT, lambda r: Numbers(r.book.counts)),
    "revenue": ("revenue", Kind.MONEY, lambda r: Numbers(facts.revenue_minor(r.book))),
    "average_order_value": ("average order value", Kind.MONEY, _money_of_ordering(facts.average_order_value_minor)),
    "usual_gap": ("usual gap", Kind.DAYS, _durations(lambda r: facts.median_gap_days(r.book))),
    "average_gap": ("average gap", Kind.DAYS, _durations(lambda r: average_gap_days(r.book))),
    "widest_gap": ("widest gap", Kind.DAYS, _durations(lambda r: facts.widest_gap_days(r.book))),
    "last_activity": (
        "last activity",
        Kind.DATE,
        _days(lambda r: facts.last_activity_day(r.book, r.book.payments.up_to(r.as_of_day))),
    ),
    "balance": (
        "balance",
        Kind.MONEY,
        lambda r: _balance(r.book, r.book.payments.up_to(r.as_of_day)),
    ),
    "next_due": ("next order due", Kind.DATE, _days(lambda r: facts.next_due_day(r.book))),
    "overdue": ("overdue ratio", Kind.RATIO, _durations(lambda r: facts.overdue_ratio(r.book, r.as_of_day))),
}
_OF_A_FEW: dict[str, Callable[[FieldSource, NDArray[np.int64]], Numbers]] = {
    "usual_gap": lambda r, some: _or_none(facts.median_gap_days_of(r.book, some)),
    "widest_gap": lambda r, some: _or_none(facts.widest_gap_days_of(r.book, some)),
    "next_due": lambda r, some: _or_no_day(facts.next_due_day_of(r.book, some)),
    "overdue": lambda r, some: _or_none(facts.overdue_ratio_of(r.book, r.as_of_day, some)),
}
"""Fields of customers that take sorting everybody's gaps."""
_LABELS_OF_CUSTOMERS: dict[str, tuple[str, Callable[[FieldSource], Attribute]]] = {
    "standing": (
        "standing",
        lambda r: Attribute(standing(r.whole, r.book, r.as_of_day, r.lapse).astype(np.uint16), STANDING_LABELS),
    ),
    "slowed_down": ("slowed down", lambda r: slowed_down(r.book, r.as_of_day)),
}


class FieldValues:
    """The fields of one reading; each is worked out when first asked for, and kept with the book."""

    def __init__(self, reading: FieldSource) -> None:
        self.reading = reading
        self.by_name = fields_by_name(reading.whole)

    @classmethod
    def of_names(cls, book: OrderBook) -> FieldValues:
        """The fields of a book, of which nothing but names and levels is asked."""
        return cls(FieldSource(book, book, 0, NINETY_DAYS))

    @property
    def fields(self) -> list[Field]:
        """The fields that are offered."""
        return [field for field in self.by_name.values() if not field.hidden]

    def field(self, name: str, of: str = "where") -> Field:
        """A field by its name. Raises `InvalidInput`, which names the choice that it was given in."""
        if name not in self.by_name:
            raise InvalidInput(f"There is no field {name}.", remedy=nearest_names(name, self.by_name), field=of)
        return self.by_name[name]

    def level(self, name: str, /) -> Level:
        return self.field(name).level

    def values(self, name: str, /) -> Values:
        known, book = self.field(name), self.reading.book
        key = ("field", known.name, self.reading.as_of_day, self.reading.lapse)
        return book.derived(key, lambda: _values(known, self.reading))

    def of_a_few(self, name: str, rows: NDArray[np.int64], /) -> tuple[Values, NDArray[np.int64]]:
        """A field for a few rows, and where each stands in it: worked out for these alone where that takes less."""
        make = _OF_A_FEW.get(self.field(name).name)
        return (self.values(name), rows) if make is None else (make(self.reading, rows), np.arange(rows.size))

    def grouping(self, name: str, /) -> Attribute:
        """A field as groups: its labels, or own numbers and dates in bands. Raises `InvalidInput` for any other."""
        bands = self.bands(name)
        if bands is None:
            return self.labels(name, None)
        return self.reading.book.derived(("bands", name), lambda: self.labels(name, bands))

    def labels(self, name: str, bands: Bands | None, /) -> Attribute:
        """The values of a field as labels, numbers and dates in bands that are known. Raises `InvalidInput` for a field
        without either."""
        field, values = self.field(name), self.values(name)
        if isinstance(values, Attribute):
            return values
        if bands is None or not isinstance(values, Numbers):
            raise InvalidInput(
                f"{field.title} has no labels to group by.",
                remedy="Choose a field such as source or region.",
                field="by",
            )
        return bands.of(values)

    def bands(self, name: str, /) -> Bands | None:
        """Between which values of a field its groups lie, of all that are on record; None for a field without bands."""
        field = self.field(name)
        if field.kind not in (Kind.NUMBER, Kind.DATE) or not is_grouping(field):
            return None
        whole, among = self.reading.whole, number_bands if field.kind is Kind.NUMBER else months

        def on_record() -> Bands:
            of_customers = whole.customers.attributes
            found = whole.own_attribute(field.own) if field.own else of_customers[field.name]
            return among(_numbers(found, field.kind))

        return whole.derived(("bands on record", field.own, "" if field.own else field.name), on_record)

    def to_orders(self, of_customers: Mask, /) -> Mask:
        return np.repeat(of_customers, self.reading.book.counts)


def is_grouping(field: Field) -> bool:
    """Whether a field divides orders or customers into groups."""
    return field.kind is Kind.LABEL or field.is_filed


def fields_of(book: OrderBook) -> list[Field]:
    """Every field of a book, what identifies a customer first; an own one whose name is taken gets a longer one."""
    attributes = book.customers.attributes
    ours = [
        *(Field(n, t, Kind.TEXT, Level.CUSTOMER) for n, t in _CUSTOMER_TEXTS.items() if n in book.customers.texts),
        *(Field(n, t, Kind.LABEL, Level.CUSTOMER) for n, t in _CUSTOMER_LABELS.items() if n in attributes),
        *(
            Field(n, _filed_title(n), _OWN_KINDS[book.customers.type(n)], Level.CUSTOMER, is_filed=True)
            for n in attributes
            if n not in _CUSTOMER_LABELS
        ),
        *(Field(n, t, Kind.LABEL, Level.ORDER) for n, t in _ORDER_LABELS.items() if n in book.attributes),
        *(Field(name, title, kind, Level.ORDER) for name, (title, kind, _) in _OF_ORDERS.items()),
        *(Field(name, title, kind, Level.CUSTOMER) for name, (title, kind, _) in _OF_CUSTOMERS.items()),
        *(
            Field(f"{which}_{name}", f"{which} {title}", Kind.LABEL, Level.CUSTOMER)
            for which in _LABELS_AT
            for name, title in _ORDER_LABELS.items()
            if name in book.attributes
        ),
        *(Field(name, title, Kind.LABEL, Level.CUSTOMER) for name, (title, _) in _LABELS_OF_CUSTOMERS.items()),
    ]
    taken = {field.name for field in ours} | _reserved()
    own = list(book.own.columns.items())
    names = {name: f"order.{name}" if name in taken else name for name, _ in own}
    of_orders = [
        Field(names[name], column.title, _OWN_KINDS[column.type], Level.ORDER, column.hidden, name, is_filed=True)
        for name, column in own
    ]
    firsts = [replace(f, name=f"first_{f.name}", title=f"first {f.title}", level=Level.CUSTOMER) for f in of_orders]
    return [*ours, *of_orders, *(field for field in firsts if field.name not in taken)]


_NAMES_KEPT = 4_096
"""Of so many fields and words that are taken for one: each question compares all that a book has."""


class FieldsByName(Mapping[str, Field]):
    """The fields of a book by name. Beside those that are listed there is one for the orders, one for the revenue, and
    one for the lines in each order, of every product and category, as ``revenue:category:clay``, and one for the orders
    and one for the revenue of every range of dates, as ``orders:dated:2026-03-01/2026-03-31``. A name is found whatever
    its case and accents, and with blanks for underscores, where it can be one field only."""

    def __init__(self, listed: Sequence[Field]) -> None:
        self._listed = {field.name: field for field in listed}
        alike = Counter(map(_plain_name, self._listed))
        self._plain = {plain: name for name in self._listed if alike[plain := _plain_name(name)] == 1}

    def __getitem__(self, name: str) -> Field:
        if name in self._listed:
            return self._listed[name]
        plain = self._plain.get(_plain_name(name))
        if plain is not None:
            return self._listed[plain]
        found = _RANGE.fullmatch(name)
        return _bought_field(name) if found is None else _dated_field(name, *found.groups())

    def __contains__(self, name: object) -> bool:
        if not isinstance(name, str):
            return False
        made = _BOUGHT.fullmatch(name) or _RANGE.fullmatch(name)
        return made is not None or name in self._listed or _plain_name(name) in self._plain

    def __iter__(self) -> Iterator[str]:
        return iter(self._listed)

    def __len__(self) -> int:
        return len(self._listed)


@functools.lru_cache(_NAMES_KEPT)
def _plain_name(name: str) -> str:
    """A name without regard to case, accents, blanks and underscores."""
    letters = unicodedata.normalize("NFKD", name.casefold().replace("_", " ").replace("-", " "))
    return " ".join("".join(each for each in letters if not unicodedata.combining(each)).split())


def nearest_names(name: str, fields: Mapping[str, Field]) -> str:
    """What to do about a name that is no field's: the three that are most like it."""
    plain = {_plain_name(each): each for each in fields}
    close = difflib.get_close_matches(_plain_name(name), plain, 3, 0)
    return f"Did you mean {' or '.join(plain[each] for each in close)}?"


def fields_by_name(book: OrderBook) -> FieldsByName:
    """Every field of a book by its name, in the same sequence."""
    return FieldsByName(fields_of(book))


def _bought_field(name: str) -> Field:
    found = _BOUGHT.fullmatch(name)
    if found is None:
        raise KeyError(name)
    kind = Kind.MONEY if found[1] == "revenue" else Kind.COUNT
    level = Level.ORDER if found[1] == "lines" else Level.CUSTOMER
    title = f"{found[1]} {'with' if kind is Kind.COUNT else 'from'} {found[2]} {found[3]}"
    return Field(name, title, kind, level, hidden=True, bought=f"{found[2]}:{found[3]}")


def _dated_field(name: str, of: str, begins: str, ends: str) -> Field:
    """Orders or revenue of a range of dates. Raises `InvalidInput` for one that is none."""
    try:
        first, last = (to_day(dt.date.fromisoformat(date)) for date in (begins, ends))
    except ValueError:
        first, last = 1, 0
    if last < first:
        raise InvalidInput(
            f"{begins}/{ends} is no range of dates.",
            remedy="Give the first and the last day, such as 2026-03-01/2026-03-31.",
            field="where",
        )
    title = f"{of} from {date_words(first)} to {date_words(last)}"
    kind = Kind.COUNT if of == "orders" else Kind.MONEY
    return Field(name, title, kind, Level.CUSTOMER, hidden=True, dated=(first, last))


def _filed_title(name: str) -> str:
    title = name.removeprefix(_FILED).replace("_", " ")
    return f"{title} (file of customers)" if name.startswith(_FILED) else title


def _reserved() -> set[str]:
    """The names of fields that are ours, whatever a book has."""
    carried = {f"{which}_{each}" for which in _LABELS_AT for each in _ORDER_LABELS}
    of_customers = {*_CUSTOMER_TEXTS, *_CUSTOMER_LABELS, *_OF_CUSTOMERS, *_LABELS_OF_CUSTOMERS}
    return {*_ORDER_LABELS, *_OF_ORDERS, *of_customers, *carried}


def own_field_name(name: str) -> str:
    """The field name of a customer's own attribute: its own, unless a field of ours has it already."""
    return f"{_FILED}{name}" if is_taken(name) else name


def is_taken(name: str) -> bool:
    """Whether a field of ours has a name that a file gives a column of its own."""
    return name in _reserved()


def written_name(name: str) -> str:
    """A field name as a condition text writes it: in duplicate quotes where it is not plain."""
    return name if _PLAIN_NAME.fullmatch(name) else '"' + name.replace('"', '""') + '"'


def _values(field: Field, reading: FieldSource) -> Values:
    book = reading.book
    if field.own:
        of_orders = field.level is Level.ORDER
        attribute = book.own_attribute(field.own) if of_orders else facts.first_own_label(book, field.own)
        return _typed(attribute, field.kind)
    if field.bought:
        return _bought(field, book)
    if field.dated is not None:
        orders, revenue = facts.dated_by_customer(book, *field.dated)
        return Numbers(orders if field.kind is Kind.COUNT else revenue)
    if field.name in _OF_ORDERS:
        return _OF_ORDERS[field.name][2](reading)
    if field.name in _OF_CUSTOMERS:
        return _OF_CUSTOMERS[field.name][2](reading)
    if field.kind is Kind.TEXT:
        return book.customers.texts[field.name]
    if field.level is Level.ORDER:
        return book.attributes[field.name]
    if field.name in _LABELS_OF_CUSTOMERS:
        return _LABELS_OF_CUSTOMERS[field.name][1](reading)
    if field.name in book.customers.attributes:
        return _typed(book.customers.attributes[field.name], field.kind)
    which, _, label = field.name.partition("_")
    return _LABELS_AT[which](book, label)


def _bought(field: Field, book: OrderBook) -> Numbers:
    """Orders or revenue of a product or category of each customer, or lines of each order. Raises `InvalidInput`."""
    of, _, label = field.bought.partition(":")
    try:
        if field.level is Level.ORDER:
            return Numbers(facts.lines_of_orders(book, of, label))
        orders, revenue = facts.bought_by_customer(book, of, label)
    except KeyError:
        raise InvalidInput(
            f"No order line has {of} {label[:80]}.",
            remedy=f"Ask for what is bought by {of} to see what there is.",
            field="where",
        ) from None
    return Numbers(orders if field.kind is Kind.COUNT else revenue)


def _typed(attribute: Attribute, kind: Kind) -> Values:
    """An own attribute as what its labels are: numbers, days, or the labels."""
    return attribute if kind is Kind.LABEL else _numbers(attribute, kind)


def _numbers(attribute: Attribute, kind: Kind) -> Numbers:
    """Labels as numbers in ten-thousandths, or as days since 1970-01-01."""
    read = decimal_minor if kind is Kind.NUMBER else _iso_day
    numbers = np.array([read(label) if label else 0 for label in attribute.labels] or [0], np.int64)
    blank = np.array([label == "" for label in attribute.labels] or [True], np.bool_)
    values = numbers if kind is Kind.NUMBER else numbers.astype(np.int32)
    return Numbers(values.take(attribute.codes), blank.take(attribute.codes))


def _iso_day(text: str) -> int:
    return to_day(dt.date.fromisoformat(text))
