"""Which column means what, and what a row is: by names first, then by what stands in the columns, and said in words."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from goldthread.core.records import OF_ORDERS, FileKind, KeyKind
from goldthread.intake import words
from goldthread.intake.content import add_by_content, has_own_codes, prefer_codes
from goldthread.intake.dates import has_time
from goldthread.intake.matching import (
    FEW_MISTAKES,
    FEW_ROWS,
    NO_WORD_KNOWN,
    SENSE_SCORE,
    Sample,
    fitting,
    name_score,
    path_of,
    plain_name,
    score,
    share,
    unused,
)
from goldthread.intake.meanings import DATE_PARTS, KINDS, NEEDED, REASON_COLUMN, Meaning, meanings_of, missing_meanings
from goldthread.intake.names import senses_of
from goldthread.intake.numbers import number_key
from goldthread.intake.profiles import Profile, profile_of
from goldthread.intake.values import is_email

_LINE_MARKS = frozenset({Meaning.LINE_NUMBER, Meaning.PRODUCT, Meaning.CATEGORY, Meaning.QUANTITY})
_FEW_ORDERS, _FEW_WORDS = 5, 12
_PARTS = frozenset(DATE_PARTS)
_SIDES = frozenset({Meaning.DEBIT, Meaning.CREDIT})
_HOW_IT_WAS_PAID = re.compile("pay|paid|zahl|paga|pagos|betaal|platno|card|karte|tender|method|modo")
"""Of a column that says how somebody paid, debit and credit are cards."""
_UNREAD_SHOWN, _OF_A_PART, _OF_A_PAYMENT = 3, 0.5, 0.8


@dataclass(frozen=True)
class Guess:
    """What a file seems to be, and why.

    ``columns`` gives the column that carries each meaning found; ``others`` what the rows would be, read as each
    other kind; ``names_only`` is the column of customers' names, where nothing else tells who ordered. ``by_content``
    are meanings whose column was found by what stands in it, and not by its name: somebody should look. ``unread`` are
    columns whose names speak of a meaning that is missing, each with some of its values that cannot be read so.
    """

    kind: FileKind
    columns: dict[Meaning, str]
    customer_key: KeyKind
    why: str = ""
    others: dict[FileKind, str] = field(default_factory=dict)
    names_only: str = ""
    by_content: tuple[Meaning, ...] = ()
    unread: dict[Meaning, tuple[str, tuple[str, ...]]] = field(default_factory=dict)

    @property
    def missing(self) -> list[Meaning]:
        """Needed meanings that no column seems to carry."""
        return missing_meanings(self.kind, self.columns)


def sample_of(header: Sequence[str], rows: Sequence[Sequence[str]], profile: Profile | None = None) -> Sample:
    """A file to guess from: its first rows, and what is known of all of them; of these alone where nothing is given."""
    places = [place for place, name in enumerate(header) if name != REASON_COLUMN]
    profile = profile or profile_of(rows, len(header))
    cells = [[row[place].strip() if place < len(row) else "" for row in rows] for place in places]
    filled = [
        [text for text in column if text] + profile.columns[place].spread
        for place, column in zip(places, cells, strict=True)
    ]
    return Sample(tuple(header[place] for place in places), cells, filled, profile, tuple(places))


def guess(
    header: Sequence[str],
    rows: Sequence[Sequence[str]],
    kind: FileKind | None = None,
    profile: Profile | None = None,
) -> Guess:
    """Guess the kind of a file (unless given), its columns' meanings and what it knows customers by.

    ``rows`` are the first ones; what repeats and what does not is asked of all rows, by their ``profile``.
    """
    table = sample_of(header, rows, profile)
    found = {each: _match(table, each) for each in KINDS}
    names = {each: _names_only(table, each, columns) for each, columns in found.items()}
    for each, name in names.items():
        if name:
            found[each].pop(Meaning.NAME, None)
            found[each][Meaning.CUSTOMER] = name
    by_content = {each: add_by_content(table, each, found[each]) for each in OF_ORDERS}
    for each in OF_ORDERS:
        prefer_codes(table, found[each])
        names[each] = names[each] if found[each].get(Meaning.CUSTOMER) == names[each] else ""
        _settle_number(table, found[each])
        _settle_return(table, found[each])
    if Meaning.ORDER_NUMBER in by_content[FileKind.LINES]:
        _settle_lines(table, found[FileKind.LINES])
    guessed, why = _kind_of(table, found)
    kind = kind or guessed
    columns = found[kind]
    sample = table.values(columns[Meaning.CUSTOMER]) if Meaning.CUSTOMER in columns else []
    key = KeyKind.EMAIL if share(sample, is_email) > 0.5 else KeyKind.NUMBER
    others = {each: _would_be(table, each, found[each]) for each in KINDS if each is not kind}
    unread = {
        meaning: (name, tuple(dict.fromkeys(table.values(name)))[:_UNREAD_SHOWN])
        for meaning in missing_meanings(kind, columns)
        if (name := _speaks_of(table, meaning, columns))
    }
    is_sure = why if kind is guessed else ""
    return Guess(kind, columns, key, is_sure, others, names[kind], by_content.get(kind, ()), unread)


def _speaks_of(table: Sample, meaning: Meaning, columns: Mapping[Meaning, str]) -> str:
    """The column that has no meaning and whose name speaks of one; empty where there is none."""
    named = [name for name in unused(table, columns) if name_score(meaning, name) > 0]
    return max(named, key=lambda name: name_score(meaning, name), default="")


def _settle_number(table: Sample, columns: dict[Meaning, str]) -> None:
    """Order numbers that begin anew in every shop or at every till: their column belongs to the number."""
    key = number_key(table, columns)
    if key.beside:
        columns[Meaning.NUMBER_WITH] = key.beside


def _settle_return(table: Sample, columns: dict[Meaning, str]) -> None:
    """A column of few words, one of them for returns, where no amount is below 0."""
    amount = columns.get(Meaning.AMOUNT) or columns.get(Meaning.UNIT_PRICE)
    if amount is None or table.column(amount).amounts.negative:
        return
    used = set(columns.values()) - {columns.get(Meaning.CATEGORY), columns.get(Meaning.CHANNEL)}
    for name in table.header:
        if _HOW_IT_WAS_PAID.search(plain_name(name)):
            continue
        kinds = table.column(name).statuses.counts
        if name not in used and 1 < len(kinds) <= _FEW_WORDS and 0 < len(words.return_words(kinds, name)) < len(kinds):
            for meaning in [each for each, other in columns.items() if other == name]:
                del columns[meaning]
            columns[Meaning.RETURN] = name
            return


def _settle_lines(table: Sample, columns: dict[Meaning, str]) -> None:
    """Look at amounts and prices once more, now that it is known which lines are one order."""
    prices = fitting(table, Meaning.UNIT_PRICE, columns, 0)
    if len(prices) == 1:
        columns[Meaning.UNIT_PRICE] = prices[0]
    _take_amount_of_lines(table, columns)
    _settle_prices(table, columns)


def _kind_of(table: Sample, found: Mapping[FileKind, Mapping[Meaning, str]]) -> tuple[FileKind, str]:
    """What a row seems to be, and by what it is seen."""
    orders = found[FileKind.LINES]
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
    why = _customers_by(table, found)
    return (FileKind.CUSTOMERS, why) if why else _orders_or_lines(table, orders)


def _customers_by(table: Sample, found: Mapping[FileKind, Mapping[Meaning, str]]) -> str:
    """By what each row is seen to be a customer; empty where it is none.

    A file that names an order, a date or an amount is none because one of them cannot be read, and customers whose key
    comes again with other details are no customers' rows.
    """
    orders, customers = found[FileKind.LINES], found[FileKind.CUSTOMERS]
    if missing_meanings(FileKind.CUSTOMERS, customers) and Meaning.NAME not in customers:
        return ""
    has_amount = Meaning.AMOUNT in orders or {Meaning.QUANTITY, Meaning.UNIT_PRICE} <= set(orders)
    named = senses_of(orders.get(Meaning.ORDER_NUMBER, ""))[0] & {"order", "receipt", "invoice"}
    is_dated = Meaning.DATE in orders or set(orders) >= _PARTS
    keys = [customers[each] for each in (Meaning.CUSTOMER_NUMBER, Meaning.EMAIL) if each in customers]
    comes_again = bool(keys) and all(map(table.repeats, keys)) and not _repeats_whole(table, keys[0])
    if not is_dated or not (has_amount or named):
        other = [each for each in (Meaning.DATE, Meaning.AMOUNT) if each not in orders and _speaks_of(table, each, {})]
        is_of_orders = len(other) == 2 or (other and (named or (is_dated or has_amount)))
        return "" if comes_again or is_of_orders else "There is no date with an amount, so each row is a customer."
    if Meaning.ORDER_NUMBER not in orders and Meaning.NAME in customers and _is_key(table, orders):
        return "No customer comes twice, and there is no order number: each row is a customer."
    return ""


def _repeats_whole(table: Sample, key: str) -> bool:
    """Whether rows with one key are the same in all columns, but for a few; of few rows nothing can be said."""
    return table.rows < FEW_ROWS or table.compared.repeated_rows(table.place(key)) <= FEW_MISTAKES * table.rows


def _orders_or_lines(table: Sample, orders: Mapping[Meaning, str]) -> tuple[FileKind, str]:
    """Whether each row is an order or a line of one, over all rows."""
    marks = [orders[mark] for mark in orders if mark in _LINE_MARKS]
    number = orders.get(Meaning.ORDER_NUMBER)
    key = number_key(table, orders)
    if number and not key.is_open:
        shared = table.compared.repeated_rows(*key.places)
        few = max(2, FEW_MISTAKES * table.rows)
        is_more = shared > 0 if marks else table.rows >= FEW_ROWS and shared > few
        others = [place for place in key.held_places if place not in key.places]
        found = [table.compared.inside(key.places, place) for place in others]
        if is_more and all(each.differing <= FEW_MISTAKES * each.compared for each in found):
            return FileKind.LINES, f"{shared} rows share an {key.words} with others, so each row is a line of an order."
    if Meaning.UNIT_PRICE in orders:
        return FileKind.LINES, "Each row has a quantity and a unit price, so each row is a line of an order."
    if len(marks) >= 2:
        return FileKind.LINES, f"Each row has “{marks[0]}” and “{marks[1]}”, so each row is a line of an order."
    if number and not key.is_open and not table.compared.repeated_rows(*key.places):
        return FileKind.ORDERS, f"No {key.words} comes twice, so each row is an order."
    if number:
        return FileKind.ORDERS, "Each row has a date and an amount, and hardly any order number comes twice."
    if any(has_own_codes(table, name) for name in unused(table, orders)):
        return FileKind.ORDERS, "Each row has a date and an amount of its own."
    return FileKind.LINES, "Each row has a date and an amount, and no column an order number."


def _speaks_of_payments(name: str) -> bool:
    """Whether a column has a day, a number or an amount of a payment; how an order was paid is said of the order."""
    senses, _ = senses_of(name)
    return "payment" in senses and bool(senses & {"date", "number", "amount"} or _is_day_paid(name))


def _is_day_paid(name: str) -> bool:
    return plain_name(name) in {"paid on", "paid at", "received on", "zahldatum", "bezahlt am"}


def _is_key(table: Sample, columns: Mapping[Meaning, str]) -> bool:
    """Whether every row has a customer of its own, over enough rows to say so."""
    key = columns.get(Meaning.CUSTOMER)
    return key is not None and table.rows >= FEW_ROWS and table.is_own(key)


def _names_only(table: Sample, kind: FileKind, columns: Mapping[Meaning, str]) -> str:
    """The one column of names that has to tell who ordered; empty where there is none, or where there are several."""
    if Meaning.CUSTOMER not in NEEDED[kind] or Meaning.CUSTOMER in columns:
        return ""
    used = {column for meaning, column in columns.items() if meaning is not Meaning.NAME}
    free = [name for name in table.header if name not in used]
    named = [name for name in free if name_score(Meaning.NAME, name) >= SENSE_SCORE]
    return named[0] if len(named) == 1 else ""


def _would_be(table: Sample, kind: FileKind, columns: Mapping[Meaning, str]) -> str:
    """What the rows would be as another kind, or what they lack."""
    missing = missing_meanings(kind, columns)
    if missing:
        return f"no {missing[0].replace('_', ' ')}"
    if kind is FileKind.LINES:
        key = number_key(table, columns)
        names = [columns[each] for each in (Meaning.CUSTOMER, Meaning.DATE) if each in columns]
        places = key.places if Meaning.ORDER_NUMBER in columns else tuple(map(table.place, names))
        return f"{table.compared.distinct(*places)} orders in {table.rows} rows"
    if kind is FileKind.CUSTOMERS:
        own = columns.get(Meaning.CUSTOMER_NUMBER) or columns[Meaning.EMAIL]
        return f"{table.distinct(own)} customers in {table.rows} rows"
    return f"{table.rows} {kind}"


def _match(table: Sample, kind: FileKind) -> dict[Meaning, str]:
    """The best pairs of meaning and column, each used once."""
    meanings = meanings_of(kind)

    def weight(meaning: Meaning, name: str) -> float:
        if kind in OF_ORDERS and meaning is Meaning.DATE and "payment" in senses_of(name)[0]:
            # an order is dated by itself before it is by its payment
            return _OF_A_PAYMENT
        return _OF_A_PART if meaning in _PARTS and kind is not FileKind.SPEND else 1.0

    scored = sorted(
        (
            (-score(meaning, name, table.filled[place]) * weight(meaning, name), order, place)
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
    _settle_parts(table, found)
    if kind in OF_ORDERS:
        _prefer_number(table, found)
    if kind is FileKind.LINES:
        _take_amount_of_lines(table, found)
        _settle_prices(table, found)
    return found


def _settle_parts(table: Sample, found: dict[Meaning, str]) -> None:
    """Year, month and day are a date where no column has it whole, a time belongs to a date without one; debit and
    credit are the amount where no column has it."""
    if Meaning.CUSTOMER in found and (Meaning.DATE in found or not set(found) >= _PARTS):
        for part in _PARTS:
            found.pop(part, None)
    date = found.get(Meaning.DATE)
    if date is not None and share(table.values(date), has_time) > 0:
        found.pop(Meaning.TIME, None)
    if Meaning.AMOUNT in found or not set(found) >= _SIDES:
        for side in _SIDES:
            found.pop(side, None)
    elif table.filled_rows(found[Meaning.CREDIT]) > table.filled_rows(found[Meaning.DEBIT]):
        # the account of the revenue is credited what that of the customer is debited
        found[Meaning.DEBIT], found[Meaning.CREDIT] = found[Meaning.CREDIT], found[Meaning.DEBIT]


def _prefer_number(table: Sample, found: dict[Meaning, str]) -> None:
    """Where a file has both, customers are known by their number, and the e-mail is said of them."""
    key = found.get(Meaning.CUSTOMER)
    if key is None or Meaning.EMAIL in found or share(table.values(key), is_email) <= NO_WORD_KNOWN:
        return
    numbers = fitting(table, Meaning.CUSTOMER, found, SENSE_SCORE)
    if len(numbers) == 1:
        found[Meaning.CUSTOMER], found[Meaning.EMAIL] = numbers[0], key


def _take_amount_of_lines(table: Sample, found: dict[Meaning, str]) -> None:
    """The order's total stands on each of its lines; an amount that differs between them is the line's own.

    Where there is none, quantity times unit price is, and else the total, once for each order.
    """
    number, amount = found.get(Meaning.ORDER_NUMBER), found.get(Meaning.AMOUNT)
    if amount is None or number is None or not table.repeats(number):
        return
    inside = table.inside((number,), amount)
    if inside.differing > FEW_MISTAKES * inside.compared:
        return
    amounts = fitting(table, Meaning.AMOUNT, found, SENSE_SCORE)
    own = [
        name
        for name in amounts
        if not table.is_constant_inside(number, name) and not _is_bare_price(table, name, found)
    ]
    if len(own) == 1:
        found[Meaning.AMOUNT] = own[0]
    elif set(found) >= {Meaning.QUANTITY, Meaning.UNIT_PRICE} and inside.compared >= _FEW_ORDERS:
        # summed up over the lines, the order's total would count once for each of them
        del found[Meaning.AMOUNT]


def _settle_prices(table: Sample, found: dict[Meaning, str]) -> None:
    """A unit price counts where no column has the amount; a bare price beside quantities is neither until said so."""
    amount = found.get(Meaning.AMOUNT)
    if amount is not None and Meaning.UNIT_PRICE not in found and _is_bare_price(table, amount, found):
        del found[Meaning.AMOUNT]
    elif amount is not None:
        found.pop(Meaning.UNIT_PRICE, None)


def _is_bare_price(table: Sample, name: str, found: Mapping[Meaning, str]) -> bool:
    """Whether a column beside quantities is called a price, and nothing says of what."""
    quantities = set(table.values(found[Meaning.QUANTITY])) if Meaning.QUANTITY in found else set()
    senses, _ = senses_of(path_of(name)[-1])
    return bool(quantities - {"1"}) and "price" in senses and not senses & {"total", "line", "order"}
