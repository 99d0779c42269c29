"""A delimited file and the meanings of its columns become checked rows and problems, piece by piece."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Generator, Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from zoneinfo import ZoneInfo

from goldthread.core.limits import AMOUNT_BELOW, ATTRIBUTE_NAME_LENGTH
from goldthread.core.records import (
    ABOUT_CUSTOMER,
    COLUMNS,
    OF_ORDERS,
    AttributeType,
    FileKind,
    KeyKind,
    OrderStatus,
    Piece,
    Problem,
    Rows,
    unguarded,
)
from goldthread.errors import InvalidInput
from goldthread.intake import values, words
from goldthread.intake.composed import (
    OncePerOrder,
    date_columns,
    dates_of,
    difference,
    in_units,
    left_out,
    negated,
    numbers_of,
    returns_by_quantity,
    returns_of,
)
from goldthread.intake.delimited import ROWS_PER_PIECE, DelimitedFile, RawRows, rows_of
from goldthread.intake.formats import DateForm, DecimalMark, TwoDigitYears
from goldthread.intake.further import Further, own_parser
from goldthread.intake.layout import file_value
from goldthread.intake.meanings import (
    KINDS,
    REASON_COLUMN,
    Choice,
    KeptAt,
    Meaning,
    OrdersBy,
    meanings_of,
    missing_meanings,
)
from goldthread.intake.numbers import NumbersPer

_KEPT_VALUES = 200_000
_OF_ORDER = (KeptAt.ORDER, KeptAt.LINE)
_DATED = (*OF_ORDERS, FileKind.PAYMENTS)
_DIGEST_LENGTH = 12
_DATE_LENGTH = len("2026-03-14")


@dataclass(frozen=True)
class Reading:
    """How a file is to be read: what a row is, which column carries each meaning, what customers are known by, how
    dates, amounts and years of two digits are written, what each status word comes down to, what makes lines one order
    where no column has its number, in which columns a blank cell repeats the one above, how further columns of
    orders and lines are kept (those not named are not), and what was said of what columns alone do not settle.
    ``typed`` are further columns of customers that hold numbers, dates or marks; all others are texts."""

    kind: FileKind
    columns: Mapping[Meaning, str]
    customer_key: KeyKind
    dates: DateForm = DateForm.ISO
    decimal: DecimalMark = DecimalMark.POINT
    years: TwoDigitYears | None = None
    statuses: Mapping[str, OrderStatus] = field(default_factory=dict)
    orders_by: OrdersBy = OrdersBy.TIME
    fill_down: tuple[str, ...] = ()
    further: Mapping[str, Further] = field(default_factory=dict)
    choices: Mapping[Choice, str] = field(default_factory=dict)
    typed: Mapping[str, Further] = field(default_factory=dict)

    @property
    def attributes(self) -> dict[str, AttributeType]:
        """The own attributes of the orders, by name."""
        return {name: each.type for name, each in self.further.items() if each.at in _OF_ORDER}

    @property
    def customer_attributes(self) -> dict[str, AttributeType]:
        """Further columns of orders that say something of the customer, by name."""
        return {name: each.type for name, each in self.further.items() if each.at is KeptAt.CUSTOMER}

    @property
    def about_customer(self) -> list[str]:
        """The fields of customers that orders and lines say something of; an e-mail that is the key is no field."""
        if self.kind not in OF_ORDERS:
            return []
        keyed = self.customer_key is KeyKind.EMAIL
        return [name for name in ABOUT_CUSTOMER if Meaning(name) in self.columns and not (keyed and name == "email")]

    @property
    def makes_orders(self) -> bool:
        """Whether orders are made of lines by customer and date, because no column has their number."""
        return self.kind is FileKind.LINES and Meaning.ORDER_NUMBER not in self.columns

    def validated(self, file: DelimitedFile) -> Reading:
        """Self, when it can be applied to the file. Raises `InvalidInput` naming what is missing or wrong."""
        if self.kind not in KINDS:
            raise InvalidInput(f"A file cannot hold {self.kind}.", remedy=f"It can hold {', '.join(KINDS)}.")
        missing = missing_meanings(self.kind, self.columns)
        if missing:
            raise InvalidInput(
                f"No column is chosen for: {', '.join(_words(self.kind, meaning) for meaning in missing)}.",
                remedy=f"The file's columns are: {', '.join(file.header)}.",
                field="columns",
            )
        for meaning, column in self.columns.items():
            if meaning not in meanings_of(self.kind):
                raise InvalidInput(f"A row of this kind has no {meaning.replace('_', ' ')}.", field="columns")
            if column not in file.header:
                raise InvalidInput(
                    f"The file has no column called {column}.",
                    remedy=f"Its columns are: {', '.join(file.header)}.",
                    field="columns",
                )
        for name, each in self.further.items():
            if self.kind not in OF_ORDERS or name not in file.header or name in self.columns.values():
                raise InvalidInput(f"{name} is no further column of this file.", field="further")
            if each.at in _OF_ORDER and len(name) > ATTRIBUTE_NAME_LENGTH:
                raise InvalidInput(
                    f"The name of the column {name[:40]}… is longer than {ATTRIBUTE_NAME_LENGTH} characters.",
                    remedy="Shorten it in the file, or do not keep it.",
                    field="further",
                )
            if each.at is KeptAt.LINE and self.kind is not FileKind.LINES:
                raise InvalidInput(f"A file of orders has no lines for {name} to speak of.", field="further")
        return self


def _words(kind: FileKind, meaning: Meaning) -> str:
    return "customer number or an e-mail" if kind is FileKind.CUSTOMERS else meaning.replace("_", " ")


def read_pieces(
    file: DelimitedFile, reading: Reading, currency: str, zone: ZoneInfo, advance: Callable[[int], None]
) -> Generator[Piece]:
    """Check every row of a file; memory is bounded by one piece. ``advance`` is called with the rows done."""
    parsers = _parsers(reading, currency, zone, file.typed)
    place = {meaning: file.header.index(column) for meaning, column in reading.columns.items()}

    def needed(meaning: Meaning) -> bool:
        return reading.kind not in OF_ORDERS or meaning.value not in ABOUT_CUSTOMER

    columns = {
        meaning: _Column(meaning, file.header[place[meaning]], place[meaning], parser, needed=needed(meaning))
        for meaning, parser in parsers.items()
        if meaning in place
    }
    dated = date_columns(reading.columns) if reading.kind in _DATED else ()
    if dated and dated != (Meaning.DATE,):
        parts = ", ".join(reading.columns[each] for each in dated)
        columns[Meaning.DATE] = _Column(Meaning.DATE, parts, -1, parsers[Meaning.DATE], needed=True)
        columns.pop(Meaning.MONTH, None)
    if reading.kind in OF_ORDERS:
        own = {
            name: _Column(
                None,
                name,
                file.header.index(name),
                own_parser(each, zone, reading.dates, reading.decimal, typed=file.typed),
                needed=False,
            )
            for name, each in reading.further.items()
            if each.at is not KeptAt.NOWHERE
        }
        further: list[_OfCustomer] = []
    else:
        own = {}
        names = {name: at for at, name in enumerate(file.header) if at not in place.values() and name != REASON_COLUMN}
        further = [_of_customer(name, at, reading, zone, typed=file.typed) for name, at in names.items()]
    plan = _Plan(reading, columns, own, further, place, [place[each] for each in dated], OncePerOrder(reading.choices))
    for raw in rows_of(file, ROWS_PER_PIECE, advance, reading.fill_down):
        yield _piece(raw, plan)


@dataclass(frozen=True)
class _Plan:
    """How pieces are read: the columns by meaning, further ones, and the places of what makes a date."""

    reading: Reading
    columns: Mapping[Meaning, _Column]
    own: Mapping[str, _Column]
    further: Sequence[_OfCustomer]
    place: Mapping[Meaning, int]
    dated: Sequence[int]
    once: OncePerOrder

    def returns(self, raw: RawRows) -> Sequence[bool]:
        """Which rows are returns: by the column that says so, else by quantities below 0; none where nobody asked."""
        if Choice.RETURNS in self.reading.choices and Meaning.RETURN in self.place:
            place = self.place[Meaning.RETURN]
            return returns_of(raw.column(place), self.reading.columns[Meaning.RETURN])
        if Choice.RETURNS in self.reading.choices and Meaning.QUANTITY in self.place:
            place = self.place[Meaning.QUANTITY]
            return returns_by_quantity(raw.column(place))
        return [False] * len(raw.cells)

    def texts(self, meaning: Meaning, raw: RawRows, read: Mapping[Meaning, Sequence[str]]) -> Sequence[str]:
        """What is read as a meaning, row by row, before it is checked."""
        if meaning is Meaning.DATE:
            parts = [raw.column(place) for place in self.dated or [self.columns[meaning].place]]
            return dates_of(parts, Meaning.TIME in self.reading.columns and len(self.dated) > 1)
        texts = raw.column(self.columns[meaning].place)
        if meaning is not Meaning.ORDER_NUMBER or self.reading.kind not in OF_ORDERS:
            return texts
        beside = self.place.get(Meaning.NUMBER_WITH)
        others = None if beside is None else raw.column(beside)
        per = self.reading.choices.get(Choice.NUMBERS, NumbersPer.ALONE)
        return numbers_of(texts, others, read.get(Meaning.DATE, ()), per)


class _Column:
    """One column being read; every distinct value is parsed once. Where it is not ``needed``, a value that cannot be
    read is left blank, and its row kept."""

    def __init__(self, meaning: Meaning | None, name: str, place: int, parse: values.Parser, *, needed: bool) -> None:
        self.meaning, self.name, self.place, self._needed = meaning, name, place, needed
        self._parse = parse
        self._good: dict[str, str] = {}
        self._bad: dict[str, values.BadValue] = {}

    def read(self, texts: Sequence[str], numbers: Sequence[int], problems: list[Problem]) -> Sequence[str]:
        """Canonical texts, one per row; rows that have none are reported in ``problems``."""
        if self.meaning is Meaning.ORDER_NUMBER and values.PLAIN_KEY.fullmatch("\x1f".join(texts)):
            return texts
        for kept in (self._good, self._bad):
            if len(kept) > _KEPT_VALUES:
                kept.clear()
        for text in set(texts).difference(self._good):
            if text not in self._bad:
                self._parse_one(text)
        if not self._bad:
            return list(map(self._good.__getitem__, texts))
        for number, text in zip(numbers, texts, strict=True):
            if text in self._bad:
                bad = self._bad[text]
                remedy = bad.remedy if self._needed else f"{bad.remedy} The row is imported without it."
                problems.append(Problem(number, self.name, text[:200], bad.reason, remedy, rejected=self._needed))
        return [self._good.get(text, "") for text in texts]

    def _parse_one(self, text: str) -> None:
        try:
            self._good[text] = self._parse(unguarded(text))
        except values.BadValue as bad:
            self._bad[text] = bad


def _parsers(reading: Reading, currency: str, zone: ZoneInfo, typed: bool) -> dict[Meaning, values.Parser]:
    """Parsers in the order in which a row's problems are reported."""
    kind, form, years = reading.kind, reading.dates, reading.years
    day = values.day_parser(zone, form, years)
    of_orders = kind in OF_ORDERS
    number = values.order_number if of_orders else values.text_parser(values.ORDER_NUMBER_LENGTH)
    return {
        Meaning.CUSTOMER_NUMBER: _padded(values.text_parser(values.CUSTOMER_LENGTH), reading),
        Meaning.EMAIL: values.optional_email,
        Meaning.NAME: values.text_parser(255),
        Meaning.TOWN: values.text_parser(120),
        Meaning.CLOSED: words.closed,
        Meaning.DO_NOT_CONTACT: words.flag,
        Meaning.DATE: values.date_parser(zone, form, years) if of_orders else day,
        Meaning.ORDER_NUMBER: number,
        Meaning.REFERENCE: values.text_parser(values.ORDER_NUMBER_LENGTH),
        Meaning.CUSTOMER: _padded(values.customer_parser(reading.customer_key), reading),
        Meaning.UNTIL: values.optional(day),
        Meaning.MONTH: values.month_parser(zone, form, years),
        Meaning.LABEL: values.needed_text(255),
        Meaning.CHANNEL: values.needed_text(120) if kind is FileKind.SPEND else values.text_parser(120),
        Meaning.CURRENCY: values.currency_parser(currency),
        Meaning.AMOUNT: values.amount_parser(currency, reading.decimal, typed),
        Meaning.STATUS: words.status_parser(reading.statuses),
        Meaning.REP: values.text_parser(120),
        Meaning.LINE_NUMBER: values.text_parser(32),
        Meaning.PRODUCT: values.text_parser(255),
        Meaning.CATEGORY: values.text_parser(120),
        Meaning.QUANTITY: values.optional(values.amount_parser("", reading.decimal, typed)),
        Meaning.UNIT_PRICE: values.optional(values.amount_parser(currency, reading.decimal, typed)),
        Meaning.DEBIT: values.optional(values.amount_parser(currency, reading.decimal, typed)),
        Meaning.CREDIT: values.optional(values.amount_parser(currency, reading.decimal, typed)),
    }


def _padded(parse: values.Parser, reading: Reading) -> values.Parser:
    """Parser of customers' numbers; digits are filled up with zeros where somebody said so."""
    width = int(reading.choices.get(Choice.PAD, "0"))

    def padded(text: str) -> str:
        key = parse(text)
        return (key.lstrip("0") or "0").zfill(width) if key.isdecimal() else key

    return padded if width else parse


def _piece(raw: RawRows, plan: _Plan) -> Piece:
    reading = plan.reading
    kind, problems = reading.kind, list(raw.problems)
    returns = plan.returns(raw)
    out = left_out(raw.numbers, raw.cells, returns, reading.choices)
    if out:
        problems += out
        returned = {problem.row for problem in out}
        kept_at = [at for at, number in enumerate(raw.numbers) if number not in returned]
        raw = RawRows([raw.numbers[at] for at in kept_at], [raw.cells[at] for at in kept_at], raw.problems)
    read: dict[Meaning, Sequence[str]] = {}
    for meaning, column in plan.columns.items():
        read[meaning] = column.read(plan.texts(meaning, raw, read), raw.numbers, problems)
    more = {name: column.read(raw.column(column.place), raw.numbers, problems) for name, column in plan.own.items()}
    amounts = _amounts(kind, read, reading)
    if amounts is not None:
        read[Meaning.AMOUNT] = negated(amounts, returns, reading.choices)
    rejected = {problem.row for problem in problems if problem.rejected}
    _check_together(raw, kind, read, rejected, problems)
    kept: Sequence[int] = range(len(raw.numbers))
    if rejected:
        kept = [at for at, row_number in enumerate(raw.numbers) if row_number not in rejected]
    problems.sort(key=lambda problem: problem.row)
    rows_read = len(raw.numbers) + sum(problem.rejected for problem in raw.problems)
    rows = _typed_rows(raw, plan, read, more, kept)
    return Piece(rows, problems, rows_read, _amount_of(read, raw, rejected))


def _amount_of(read: Mapping[Meaning, Sequence[str]], raw: RawRows, rejected: set[int]) -> Decimal:
    """What the amounts of rejected rows come to, whatever their signs, as far as they can be read."""
    if not rejected or Meaning.AMOUNT not in read:
        return Decimal(0)
    pairs = zip(raw.numbers, read[Meaning.AMOUNT], strict=True)
    return sum((abs(Decimal(amount)) for number, amount in pairs if amount and number in rejected), Decimal(0))


def _amounts(kind: FileKind, read: Mapping[Meaning, Sequence[str]], reading: Reading) -> Sequence[str] | None:
    """The amounts of rows in units: as they stand, of two sides, or quantity times unit price; None where a row has
    none."""
    if Meaning.AMOUNT in read:
        return in_units(read[Meaning.AMOUNT], reading.choices)
    if Meaning.DEBIT in read and Meaning.CREDIT in read:
        return in_units(difference(read[Meaning.DEBIT], read[Meaning.CREDIT]), reading.choices)
    return in_units(_products(read), reading.choices) if kind is FileKind.LINES else None


def _check_together(
    raw: RawRows,
    kind: FileKind,
    read: Mapping[Meaning, Sequence[str]],
    rejected: set[int],
    problems: list[Problem],
) -> None:
    """What no single column can show: a customer without key, an event that ends too early, a product that fails."""
    if kind is FileKind.CUSTOMERS:
        number, email = _texts(read, Meaning.CUSTOMER_NUMBER, raw), _texts(read, Meaning.EMAIL, raw)
        reason, remedy = (
            "There is neither a customer number nor an e-mail.",
            "Give one of the two, or leave the row out.",
        )
        wrong = [at for at in range(len(raw.numbers)) if not number[at] and not email[at]]
    elif kind is FileKind.EVENTS:
        begins, until = _texts(read, Meaning.DATE, raw), _texts(read, Meaning.UNTIL, raw)
        reason, remedy = "The event ends before it begins.", "Correct one of the two dates."
        wrong = [at for at in range(len(raw.numbers)) if until[at] and until[at] < begins[at]]
    elif kind is FileKind.LINES and Meaning.UNIT_PRICE in read:
        reason, remedy = "Quantity times unit price gives no amount.", "Give both, as numbers of fewer digits."
        wrong = [at for at, amount in enumerate(read[Meaning.AMOUNT]) if not amount]
    elif Meaning.DEBIT in read:
        reason, remedy = "There is no amount.", "Give the amount on one of the two sides, or leave the row out."
        wrong = [at for at, amount in enumerate(read[Meaning.AMOUNT]) if not amount]
    else:
        return
    for at in wrong:
        if raw.numbers[at] not in rejected:
            problems.append(Problem(raw.numbers[at], "", file_value(raw.cells[at]), reason, remedy))
            rejected.add(raw.numbers[at])


def _texts(read: Mapping[Meaning, Sequence[str]], meaning: Meaning, raw: RawRows) -> Sequence[str]:
    return read.get(meaning) or [""] * len(raw.cells)


def _typed_rows(
    raw: RawRows,
    plan: _Plan,
    read: Mapping[Meaning, Sequence[str]],
    more: Mapping[str, Sequence[str]],
    kept: Sequence[int],
) -> Rows:
    reading, kind = plan.reading, plan.reading.kind

    def chosen(texts: Sequence[str]) -> Sequence[str]:
        return texts if len(kept) == len(texts) else [texts[at] for at in kept]

    def column(meaning: Meaning) -> Sequence[str]:
        return chosen(_texts(read, meaning, raw))

    columns: dict[str, Sequence[str]] = {}
    if kind is FileKind.CUSTOMERS:
        columns["number"] = column(Meaning.CUSTOMER_NUMBER)
        columns["attributes"] = [_attributes(raw.cells[at], plan.further) for at in kept]
    elif kind is FileKind.EVENTS:
        columns["date"] = column(Meaning.DATE)
        ends = column(Meaning.UNTIL)
        columns["until"] = [end or start for end, start in zip(ends, columns["date"], strict=True)]
    elif kind in OF_ORDERS:
        columns["date"], columns["time"] = _dates_and_times(column(Meaning.DATE))
        if reading.makes_orders:
            times = columns["time"] if reading.orders_by is OrdersBy.TIME else [""] * len(kept)
            columns["order_number"] = _made_numbers(columns["date"], times, column(Meaning.CUSTOMER))
        if Meaning.STATUS not in read:
            columns["status"] = [OrderStatus.PAID.value] * len(kept)
    for name in COLUMNS[kind]:
        if name not in columns:
            columns[name] = column(Meaning(name))
    if kind is FileKind.LINES:
        columns["amount"] = plan.once.of(columns["order_number"], columns["amount"])
    numbers = raw.numbers if len(kept) == len(raw.numbers) else [raw.numbers[at] for at in kept]
    return Rows(
        numbers,
        columns,
        attributes={name: chosen(more[name]) for name in reading.attributes},
        about_customer={name: column(Meaning(name)) for name in reading.about_customer},
        customer_attributes={name: chosen(more[name]) for name in reading.customer_attributes},
    )


def _made_numbers(dates: Sequence[str], times: Sequence[str], customers: Sequence[str]) -> list[str]:
    """A number for the order of a customer at a time, the same in every export; a long customer is shortened."""
    numbers = []
    for date, time, customer in zip(dates, times, customers, strict=True):
        number = " ".join(filter(None, (date, time, customer)))
        if len(number) > values.ORDER_NUMBER_LENGTH:
            digest = hashlib.sha256(customer.encode()).hexdigest()[:_DIGEST_LENGTH]
            number = f"{number[: values.ORDER_NUMBER_LENGTH - _DIGEST_LENGTH - 1]}-{digest}"
        numbers.append(number)
    return numbers


def _products(read: Mapping[Meaning, Sequence[str]]) -> list[str]:
    """Quantity times unit price of every row, rounded half to even at four decimals; empty where that is no amount."""
    pairs = zip(read[Meaning.QUANTITY], read[Meaning.UNIT_PRICE], strict=True)
    known: dict[tuple[str, str], str] = {}
    return [known[pair] if pair in known else known.setdefault(pair, _product(*pair)) for pair in pairs]


def _product(quantity: str, price: str) -> str:
    if not quantity or not price:
        return ""
    product = (Decimal(quantity) * Decimal(price)).quantize(Decimal("0.0001"))
    return f"{product.normalize() + 0:f}" if abs(product) < AMOUNT_BELOW else ""


@dataclass(frozen=True)
class _OfCustomer:
    """A further column of customers, and what makes JSON of a cell that is filled in: a number, or a text."""

    name: str
    place: int
    as_json: Callable[[str], str]


def _of_customer(name: str, place: int, reading: Reading, zone: ZoneInfo, *, typed: bool) -> _OfCustomer:
    def as_text(cell: str) -> str:
        return json.dumps(unguarded(cell), ensure_ascii=False)

    known = reading.typed.get(name)
    if known is None:
        return _OfCustomer(name, place, as_text)
    parser = own_parser(known, zone, reading.dates, reading.decimal, typed=typed)

    def as_value(cell: str) -> str:
        try:
            value = parser(cell)
        except values.BadValue:
            return as_text(cell)
        return value if known.type is AttributeType.NUMBER else json.dumps(value)

    return _OfCustomer(name, place, as_value)


def _attributes(cells: Sequence[str], further: Sequence[_OfCustomer]) -> str:
    filled = [(each, cell) for each in further if (cell := cells[each.place].strip())]
    pairs = (f"{json.dumps(each.name, ensure_ascii=False)}: {each.as_json(cell)}" for each, cell in filled)
    return f"{{{', '.join(pairs)}}}"


def _dates_and_times(moments: Sequence[str]) -> tuple[Sequence[str], Sequence[str]]:
    """ISO dates, and ISO times or empty texts, from what the date parser gives."""
    if set(map(len, moments)) <= {_DATE_LENGTH}:
        return moments, [""] * len(moments)
    return [moment[:_DATE_LENGTH] for moment in moments], [moment[_DATE_LENGTH + 1 :] for moment in moments]
