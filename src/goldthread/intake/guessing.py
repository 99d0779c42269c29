"""Which column means what, and what a row is: by names first, then by what stands in the columns, and said in words."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from goldthread.core.records import OF_ORDERS, FileKind, KeyKind
from goldthread.intake.content import add_by_content, has_cents
from goldthread.intake.matching import (
    FEW_ROWS,
    NO_WORD_KNOWN,
    SENSE_SCORE,
    Sample,
    fitting,
    is_code,
    is_constant_inside,
    name_score,
    plain_name,
    repeats,
    score,
    share,
    unused,
)
from goldthread.intake.meanings import KINDS, NEEDED, REASON_COLUMN, Meaning, meanings_of, missing_meanings
from goldthread.intake.names import senses_of
from goldthread.intake.values import is_email

_LINE_MARKS = frozenset({Meaning.LINE_NUMBER, Meaning.PRODUCT, Meaning.CATEGORY, Meaning.QUANTITY})
_MANY_SHARED = 0.3
_FEW_ORDERS = 5


@dataclass(frozen=True)
class Guess:
    """What a file seems to be, and why.

    ``columns`` gives the column that carries each meaning found; ``others`` what the first rows would be, read as each
    other kind; ``names_only`` is the column of customers' names, where nothing else tells who ordered. ``by_content``
    are meanings whose column was found by what stands in it, and not by its name: somebody should look.
    """

    kind: FileKind
    columns: dict[Meaning, str]
    customer_key: KeyKind
    why: str = ""
    others: dict[FileKind, str] = field(default_factory=dict)
    names_only: str = ""
    by_content: tuple[Meaning, ...] = ()

    @property
    def missing(self) -> list[Meaning]:
        """Needed meanings that no column seems to carry."""
        return missing_meanings(self.kind, self.columns)


def guess(header: Sequence[str], rows: Sequence[Sequence[str]], kind: FileKind | None = None) -> Guess:
    """Guess the kind of a file (unless given), its columns' meanings and what it knows customers by."""
    places = [place for place, name in enumerate(header) if name != REASON_COLUMN]
    cells = [[row[place].strip() if place < len(row) else "" for row in rows] for place in places]
    table = Sample(tuple(header[place] for place in places), cells, [[c for c in column if c] for column in cells])
    found = {each: _match(table, each) for each in KINDS}
    guessed, why = _kind_of(table, found)
    kind = kind or guessed
    names = {each: _names_only(table, each, columns) for each, columns in found.items()}
    for each, name in names.items():
        if name:
            found[each].pop(Meaning.NAME, None)
            found[each][Meaning.CUSTOMER] = name
    columns = found[kind]
    by_content = add_by_content(table, kind, columns) if kind in OF_ORDERS else ()
    if Meaning.ORDER_NUMBER in by_content:
        _settle_lines(table, columns)
    sample = [text for text in table.of(columns.get(Meaning.CUSTOMER)) if text]
    key = KeyKind.EMAIL if share(sample, is_email) > 0.5 else KeyKind.NUMBER
    others = {each: _would_be(table, each, found[each]) for each in KINDS if each is not kind}
    return Guess(kind, columns, key, why if kind is guessed else "", others, names[kind], by_content)


def _settle_lines(table: Sample, columns: dict[Meaning, str]) -> None:
    """Look at amounts and prices once more, now that it is known which lines are one order."""
    prices = fitting(table, Meaning.UNIT_PRICE, columns, 0)
    if len(prices) == 1:
        columns[Meaning.UNIT_PRICE] = prices[0]
    _take_amount_of_lines(table, columns)
    _settle_prices(table, columns)


def _kind_of(table: Sample, found: Mapping[FileKind, Mapping[Meaning, str]]) -> tuple[FileKind, str]:
    """What a row seems to be, and by what it is seen."""
    orders, customers = found[FileKind.LINES], found[FileKind.CUSTOMERS]
    whole = {kind for kind in KINDS if not missing_meanings(kind, found[kind])}
    paid = [name for name in table.header if _speaks_of_payments(name)]
    if Meaning.ORDER_NUMBER in orders:
        # a file of orders may say when each was paid; one of payments has no other day, or numbers of its own
        paid = [name for name in paid if name == orders.get(Meaning.DATE) or "number" in senses_of(name)[0]]
    if FileKind.PAYMENTS in whole and paid:
        return FileKind.PAYMENTS, f"“{paid[0]}” speaks of payments, so each row is a payment."
    if Meaning.CUSTOMER not in orders and Meaning.ORDER_NUMBER not in orders:
        if FileKind.SPEND in whole:
            return FileKind.SPEND, "Each row has a month, a channel and an amount, and no customer."
        if FileKind.EVENTS in whole and Meaning.AMOUNT not in orders:
            return FileKind.EVENTS, "Each row has a day and a label, and neither a customer nor an amount."
    if not missing_meanings(FileKind.CUSTOMERS, customers) or Meaning.NAME in customers:
        has_amount = Meaning.AMOUNT in orders or {Meaning.QUANTITY, Meaning.UNIT_PRICE} <= set(orders)
        named = senses_of(orders.get(Meaning.ORDER_NUMBER, ""))[0] & {"order", "receipt", "invoice"}
        if Meaning.DATE not in orders or not (has_amount or named):
            return FileKind.CUSTOMERS, "There is no date with an amount, so each row is a customer."
        if Meaning.ORDER_NUMBER not in orders and Meaning.NAME in customers and _is_key(table, orders):
            return (
                FileKind.CUSTOMERS,
                "No customer comes twice, and there is no order number: each row is a customer.",
            )
    marks = [orders[mark] for mark in orders if mark in _LINE_MARKS]
    number = table.of(orders.get(Meaning.ORDER_NUMBER))
    if _stands_over_lines(table, number, bool(marks)):
        others = [table.of(orders.get(meaning)) for meaning in (Meaning.CUSTOMER, Meaning.DATE)]
        if all(is_constant_inside(number, other) for other in others if other):
            return FileKind.LINES, "Several rows share an order number, so each row is a line of an order."
    if Meaning.UNIT_PRICE in orders:
        return FileKind.LINES, "Each row has a quantity and a unit price, so each row is a line of an order."
    if len(marks) >= 2:
        return FileKind.LINES, f"Each row has “{marks[0]}” and “{marks[1]}”, so each row is a line of an order."
    if number and not repeats(number):
        return FileKind.ORDERS, "No order number comes twice, so each row is an order."
    if number:
        return FileKind.ORDERS, "Each row has a date and an amount, and nearly every one an order number of its own."
    if any(_is_like_own_numbers(texts) for name, texts in unused(table, orders)):
        return FileKind.ORDERS, "Each row has a date and an amount of its own."
    return FileKind.LINES, "Each row has a date and an amount, and no column an order number."


def _is_like_own_numbers(texts: Sequence[str]) -> bool:
    """Codes that every row has one of its own of, as orders do; a number of units or an amount is none."""
    is_own = len(set(texts)) == len(texts) and all(texts)
    return is_own and share(texts, is_code) == 1 and share(texts, has_cents) == 0


def _speaks_of_payments(name: str) -> bool:
    """Whether a column has a day, a number or an amount of a payment; how an order was paid is said of the order."""
    senses, _ = senses_of(name)
    return "payment" in senses and bool(senses & {"date", "number", "amount"} or _is_day_paid(name))


def _is_day_paid(name: str) -> bool:
    return plain_name(name) in {"paid on", "paid at", "received on", "zahldatum", "bezahlt am"}


def _is_key(table: Sample, columns: Mapping[Meaning, str]) -> bool:
    """Whether every row has a customer of its own, over enough rows to say so."""
    keys = table.of(columns.get(Meaning.CUSTOMER))
    return len(keys) >= FEW_ROWS and len(set(keys)) == len(keys)


def _stands_over_lines(table: Sample, number: Sequence[str], is_marked: bool) -> bool:
    """Whether rows that differ share order numbers: many of them, unless a column speaks of lines.

    A number that comes twice in a file of orders is a mistake in one row, and a row that comes again says nothing.
    """
    rows = [row for row in dict.fromkeys(zip(number, *table.cells, strict=True)) if row[0]] if number else []
    counts = Counter(row[0] for row in rows)
    shared = sum(count for count in counts.values() if count > 1)
    return shared > 0 if is_marked else len(rows) >= FEW_ROWS and shared >= _MANY_SHARED * len(rows)


def _names_only(table: Sample, kind: FileKind, columns: Mapping[Meaning, str]) -> str:
    """The one column of names that has to tell who ordered; empty where there is none, or where there are several."""
    if Meaning.CUSTOMER not in NEEDED[kind] or Meaning.CUSTOMER in columns:
        return ""
    used = {column for meaning, column in columns.items() if meaning is not Meaning.NAME}
    free = [name for name in table.header if name not in used]
    named = [name for name in free if name_score(Meaning.NAME, name) >= SENSE_SCORE]
    return named[0] if len(named) == 1 else ""


def _would_be(table: Sample, kind: FileKind, columns: Mapping[Meaning, str]) -> str:
    """What the first rows would be as another kind, or what they lack."""
    missing = missing_meanings(kind, columns)
    if missing:
        return f"no {missing[0].replace('_', ' ')}"
    rows = len(table.cells[0]) if table.cells else 0
    if kind is FileKind.LINES:
        number = columns.get(Meaning.ORDER_NUMBER)
        keys = (number,) if number else (columns[Meaning.CUSTOMER], columns[Meaning.DATE])
        orders = len(set(zip(*map(table.of, keys), strict=True)) - {("",)})
        return f"{orders} orders in the first {rows} rows"
    if kind is FileKind.CUSTOMERS:
        key = columns.get(Meaning.CUSTOMER_NUMBER) or columns.get(Meaning.EMAIL)
        return f"{len({text for text in table.of(key) if text})} customers in the first {rows} rows"
    return f"{rows} {kind} in the first {rows} rows"


def _match(table: Sample, kind: FileKind) -> dict[Meaning, str]:
    """The best pairs of meaning and column, each used once."""
    meanings = meanings_of(kind)
    scored = sorted(
        (
            (-score(meaning, name, table.filled[place]), order, place)
            for order, meaning in enumerate(meanings)
            for place, name in enumerate(table.header)
        ),
    )
    found: dict[Meaning, str] = {}
    used: set[int] = set()
    for cost, order, place in scored:
        if cost < 0 and place not in used and meanings[order] not in found:
            found[meanings[order]] = table.header[place]
            used.add(place)
    if kind in OF_ORDERS:
        _prefer_number(table, found)
    if kind is FileKind.LINES:
        _take_amount_of_lines(table, found)
        _settle_prices(table, found)
    return found


def _prefer_number(table: Sample, found: dict[Meaning, str]) -> None:
    """Where a file has both, customers are known by their number, and the e-mail is said of them."""
    key = found.get(Meaning.CUSTOMER)
    if key is None or Meaning.EMAIL in found or share([t for t in table.of(key) if t], is_email) <= NO_WORD_KNOWN:
        return
    numbers = fitting(table, Meaning.CUSTOMER, found, SENSE_SCORE)
    if len(numbers) == 1:
        found[Meaning.CUSTOMER], found[Meaning.EMAIL] = numbers[0], key


def _take_amount_of_lines(table: Sample, found: dict[Meaning, str]) -> None:
    """The order's total stands on each of its lines; an amount that differs between them is the line's own."""
    number, amount = table.of(found.get(Meaning.ORDER_NUMBER)), found.get(Meaning.AMOUNT)
    if amount is None or not repeats(number) or not is_constant_inside(number, table.of(amount)):
        return
    amounts = fitting(table, Meaning.AMOUNT, found, SENSE_SCORE)
    own = [name for name in amounts if not is_constant_inside(number, table.of(name))]
    repeated = sum(count > 1 for count in Counter(text for text in number if text).values())
    if len(own) == 1:
        found[Meaning.AMOUNT] = own[0]
    elif repeated >= _FEW_ORDERS:
        # summed up over the lines, the order's total would count once for each of them
        del found[Meaning.AMOUNT]


def _settle_prices(table: Sample, found: dict[Meaning, str]) -> None:
    """A unit price counts where no column has the amount; a bare price beside quantities is neither until said so."""
    amount = found.get(Meaning.AMOUNT)
    quantities = [text for text in table.of(found.get(Meaning.QUANTITY)) if text]
    if amount is not None and Meaning.UNIT_PRICE not in found and set(quantities) - {"1"}:
        senses, _ = senses_of(amount)
        if "price" in senses and not senses & {"total", "line", "order"}:
            del found[Meaning.AMOUNT]
    elif amount is not None:
        found.pop(Meaning.UNIT_PRICE, None)
