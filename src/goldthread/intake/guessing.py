"""Which column means what, and what a row is: by names first, then by what stands in the columns, and said in words."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from goldthread.core.records import OF_ORDERS, FileKind, KeyKind
from goldthread.intake import words
from goldthread.intake.meanings import KINDS, NEEDED, REASON_COLUMN, Meaning, meanings_of, missing_meanings
from goldthread.intake.names import senses_of
from goldthread.intake.values import fits, is_amount, is_date, is_email, is_month

_NAMES: Mapping[Meaning, str] = {
    Meaning.ORDER_NUMBER: "order|order number|order no|order id|order ref|receipt|receipt no|receipt number|invoice|"
    "invoice no|invoice number|docket|docket no|reference|ref|"
    "beleg|belegnummer|rechnung|bestellung|bestellnummer|commande|pedido|sale|sale no|number",
    Meaning.CUSTOMER: "customer|customer number|customer no|customer id|customer key|customer email|client|client no|"
    "client id|cust|cust no|cust id|kunde|kundennummer|kd nr|cliente|"
    "account|account no|account number|buyer|email|e mail|mail|email address|member no",
    Meaning.DATE: "paid on|paid at|payment date|date paid|received on|zahldatum|from|start|starts|begins|starts on|"
    "begins on|first day|date|order date|ordered|ordered on|ordered at|order time|sold on|sold at|sale date|day|"
    "placed on|placed at|created|created at|invoice date|booked on|when|datum|bestelldatum|fecha|data",
    Meaning.AMOUNT: "amount|total|order total|order amount|sum|value|order value|gross|gross amount|price|net|"
    "net amount|line total|line amount|turnover|revenue|paid amount|summe|betrag|gesamt|montant|importe|valor",
    Meaning.STATUS: "status|state|order status|order state|payment status|standing|stage|stand|zustand|statut|estado",
    Meaning.CURRENCY: "currency|currency code|cur",
    Meaning.LINE_NUMBER: "line|line no|line number|position|pos|item no|row",
    Meaning.PRODUCT: "product|product name|item|item name|article|goods|description|title",
    Meaning.CATEGORY: "category|product category|group|product group|department|range",
    Meaning.QUANTITY: "qty|quantity|pieces|units|count|number of items",
    Meaning.CUSTOMER_NUMBER: "customer|customer number|customer no|customer id|client no|client id|cust|cust no|"
    "cust id|account|"
    "account no|account number|number|member no|id",
    Meaning.EMAIL: "email|e mail|mail|email address|customer email",
    Meaning.NAME: "name|customer name|full name|client name|firm|company",
    Meaning.TOWN: "town|city|place|ort|stadt|ville|ciudad|localidade",
    Meaning.CLOSED: "standing|closed|account standing|account closed|customer status",
    Meaning.DO_NOT_CONTACT: "do not contact|no contact|dnc|opted out|opt out|unsubscribed",
    Meaning.REP: "rep|sales rep|sales person|salesperson|seller|sold by|served by|agent|clerk|wer|verkäufer",
    Meaning.CHANNEL: "channel|sales channel|medium|via|kanal",
    Meaning.REFERENCE: "payment|payment id|payment no|payment number|payment reference|payment ref|transaction|"
    "transaction id|receipt|reference|ref",
    Meaning.MONTH: "month|period|spend month|monat|mois|mes|date",
    Meaning.UNTIL: "until|to|end|ends|ends on|end date|last day|till|bis",
    Meaning.LABEL: "label|event|what|title|campaign|description|name|note|reason",
}
"""Names as they are, in small letters."""
_SENSES: Mapping[Meaning, str] = {
    Meaning.ORDER_NUMBER: "order|order number|receipt|receipt number|invoice|invoice number|sales number|sales order|"
    "sales order number|sales receipt|sales invoice|sales invoice number|order receipt number|customer order number",
    Meaning.CUSTOMER: "customer|customer number|customer email|email",
    Meaning.DATE: "date|order date|receipt date|invoice date|made|order made|made date|order made date|invoice made|"
    "receipt made|sales date|invoice made date",
    Meaning.AMOUNT: "amount|total|gross|sales|sales amount|order total|order amount|order total amount|total amount|"
    "gross amount|gross total|gross sales|sales total|receipt total|receipt amount|invoice total|invoice amount|"
    "invoice total amount|line total|line amount|line total amount|line gross|total price|line price total|order gross|"
    "net|net amount|net total|net sales|net sales amount|net total amount|order net|order net amount|invoice net|"
    "line net|line net amount|receipt net|invoice net amount|price|line price|product price|gross price|net price|"
    "order price|line gross amount|order gross amount|invoice gross|invoice gross amount|product amount|product total|"
    "product sales|order sales|gross total amount|payment amount|payment total",
    Meaning.STATUS: "status|order status|payment status|sales status|invoice status|receipt status",
    Meaning.CURRENCY: "currency|order currency|currency number",
    Meaning.LINE_NUMBER: "line|line number|order line|order line number|product line number|invoice line|"
    "invoice line number|receipt line|receipt line number",
    Meaning.PRODUCT: "product|product name|product line|product number|product name line",
    Meaning.CATEGORY: "category|product category|category name|product about",
    Meaning.QUANTITY: "quantity|quantity product line|order quantity|product quantity|line quantity|sales quantity|"
    "quantity unit",
    Meaning.UNIT_PRICE: "unit|unit price|unit amount|unit price product|unit price line|unit price net|unit net|"
    "unit gross|unit price gross|unit price sales|price product line",
    Meaning.CUSTOMER_NUMBER: "customer|customer number|number",
    Meaning.EMAIL: "email|customer email",
    Meaning.NAME: "name|customer name",
    Meaning.TOWN: "town|customer town",
    Meaning.REP: "rep|rep name|rep number|sales rep",
    Meaning.CHANNEL: "channel|sales channel|order channel",
}
"""The senses that a name may have, all of them together."""
_KNOWN = {meaning: frozenset(_NAMES.get(meaning, "").split("|")) for meaning in Meaning}
_ALL_KNOWN = frozenset().union(*_KNOWN.values()) - {""}
_KNOWN_SENSES = {
    meaning: frozenset(frozenset(senses.split()) for senses in listed.split("|")) for meaning, listed in _SENSES.items()
}
_ALL_SENSES = frozenset().union(*_KNOWN_SENSES.values())
_LESS_LIKELY = {
    Meaning.AMOUNT: (("net", 0.3), ("price", 0.6)),
    Meaning.PRODUCT: (("number", 0.4), ("line", 0.2)),
    Meaning.CATEGORY: (("about", 0.6),),
}
"""Of several columns that could carry a meaning: the amount in all before that without tax, before a price."""
_ALSO_A_PLACE = frozenset(["state", "estado"])
_NO_WORD_KNOWN = 0.5
_OTHER_NUMBERS = frozenset(["tax", "discount", "shipping", "cost", "unit", "quantity"])
_LINE_MARKS = frozenset({Meaning.LINE_NUMBER, Meaning.PRODUCT, Meaning.CATEGORY, Meaning.QUANTITY})
_NAME_SCORE, _SENSE_SCORE, _PART_SCORE, _CONTENT_SCORE = 4.0, 3.9, 1.5, 2.0
_MANY_SHARED = 0.3
_FEW_CUSTOMERS, _MANY_KINDS, _HALF, _NEARLY_ALL = 5, 0.15, 0.5, 0.9
_FEW_ORDERS = 5
_NO_CUSTOMER = frozenset(
    ["product", "category", "status", "town", "about", "channel", "rep", "line", "date", "shipping"]
)
_FEW_ROWS = 12
"""With fewer rows than this, what repeats and what does not says nothing."""


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


@dataclass(frozen=True)
class _Table:
    """The first rows as columns: ``cells`` each as long as there are rows, ``filled`` without the blank ones."""

    header: tuple[str, ...]
    cells: list[list[str]]
    filled: list[list[str]]

    def of(self, name: str | None) -> list[str]:
        return [] if name is None else self.cells[self.header.index(name)]


def guess(header: Sequence[str], rows: Sequence[Sequence[str]], kind: FileKind | None = None) -> Guess:
    """Guess the kind of a file (unless given), its columns' meanings and what it knows customers by."""
    places = [place for place, name in enumerate(header) if name != REASON_COLUMN]
    cells = [[row[place].strip() if place < len(row) else "" for row in rows] for place in places]
    table = _Table(tuple(header[place] for place in places), cells, [[c for c in column if c] for column in cells])
    found = {each: _match(table, each) for each in KINDS}
    guessed, why = _kind_of(table, found)
    kind = kind or guessed
    names = {each: _names_only(table, each, columns) for each, columns in found.items()}
    for each, name in names.items():
        if name:
            found[each].pop(Meaning.NAME, None)
            found[each][Meaning.CUSTOMER] = name
    columns = found[kind]
    by_content = _add_by_content(table, kind, columns) if kind in OF_ORDERS else ()
    if Meaning.ORDER_NUMBER in by_content:
        _settle_lines(table, columns)
    sample = [text for text in table.of(columns.get(Meaning.CUSTOMER)) if text]
    key = KeyKind.EMAIL if _share(sample, is_email) > 0.5 else KeyKind.NUMBER
    others = {each: _would_be(table, each, found[each]) for each in KINDS if each is not kind}
    return Guess(kind, columns, key, why if kind is guessed else "", others, names[kind], by_content)


def _add_by_content(table: _Table, kind: FileKind, columns: dict[Meaning, str]) -> tuple[Meaning, ...]:
    """Find the customer, the amount and the number over lines by what stands in the columns, where no name says so and
    one column fits."""
    if Meaning.DATE not in columns or len(table.cells[0]) < _FEW_ROWS:
        return ()
    tests: dict[Meaning, Callable[[str, Sequence[str]], bool]]
    tests = {Meaning.CUSTOMER: _is_like_customers, Meaning.AMOUNT: _is_like_money}
    if kind is FileKind.LINES:
        tests[Meaning.ORDER_NUMBER] = lambda _name, texts: _is_like_numbers_over_lines(table, columns, texts)
    added = []
    for meaning, is_like in tests.items():
        fitting = [name for name, texts in _unused(table, columns) if is_like(name, texts)]
        is_priced = {Meaning.QUANTITY, Meaning.UNIT_PRICE} <= set(columns)
        if meaning not in columns and len(fitting) == 1 and not (meaning is Meaning.AMOUNT and is_priced):
            columns[meaning] = fitting[0]
            added.append(meaning)
    return tuple(added)


def _settle_lines(table: _Table, columns: dict[Meaning, str]) -> None:
    """Look at amounts and prices once more, now that it is known which lines are one order."""
    prices = [name for name, texts in _unused(table, columns) if _score(Meaning.UNIT_PRICE, name, texts) > 0]
    if len(prices) == 1:
        columns[Meaning.UNIT_PRICE] = prices[0]
    _take_amount_of_lines(table, columns)
    _settle_prices(table, columns)


def _is_like_customers(name: str, texts: Sequence[str]) -> bool:
    """Many different texts that come again and again, as those who order do; some rows may have none."""
    senses, _ = senses_of(name)
    filled = [text for text in texts if text]
    distinct = len(set(filled))
    return (
        not senses & _NO_CUSTOMER
        and len(filled) >= _HALF * len(texts)
        and distinct >= _FEW_CUSTOMERS
        and _MANY_KINDS * len(filled) <= distinct <= _NEARLY_ALL * len(filled)
        and _share(filled, is_amount) + _share(filled, is_date) == 0
    )


def _is_like_numbers_over_lines(table: _Table, columns: Mapping[Meaning, str], texts: Sequence[str]) -> bool:
    """Codes that come again in rows of one customer and one date, as an order's number does over its lines."""
    inside = [table.of(columns.get(meaning)) for meaning in (Meaning.CUSTOMER, Meaning.DATE)]
    return (
        all(texts)
        and _repeats(texts)
        and len(set(texts)) >= _MANY_KINDS * len(texts)
        and _share(texts, _is_code) == 1
        and all(other and _is_constant_inside(texts, other) for other in inside)
    )


def _is_code(text: str) -> bool:
    """Whether a text is a number or a code and no name: it has digits, and no word of letters."""
    return any(map(str.isdigit, text)) and not is_email(text) and re.search(r"[^\W\d_]{4}", text) is None


def _is_like_money(name: str, texts: Sequence[str]) -> bool:
    """Numbers with two decimals, not all alike."""
    senses, _ = senses_of(name)
    filled = [text for text in texts if text]
    return not senses & _OTHER_NUMBERS and len(set(filled)) > 1 and _share(filled, _has_cents) == 1


def _has_cents(text: str) -> bool:
    return is_amount(text) and re.search(r"[.,][0-9]{2}(?![0-9])", text) is not None


def known_names(row: Sequence[str]) -> int:
    """How many cells of a row are names that columns usually bear."""
    return sum(_is_known(cell) for cell in row)


def _is_known(name: str) -> bool:
    if plain_name(name) in _ALL_KNOWN:
        return True
    senses, unknown = senses_of(name)
    return not unknown and len(senses) > 1 and senses in _ALL_SENSES


def _kind_of(table: _Table, found: Mapping[FileKind, Mapping[Meaning, str]]) -> tuple[FileKind, str]:
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
        if all(_is_constant_inside(number, other) for other in others if other):
            return FileKind.LINES, "Several rows share an order number, so each row is a line of an order."
    if Meaning.UNIT_PRICE in orders:
        return FileKind.LINES, "Each row has a quantity and a unit price, so each row is a line of an order."
    if len(marks) >= 2:
        return FileKind.LINES, f"Each row has “{marks[0]}” and “{marks[1]}”, so each row is a line of an order."
    if number and not _repeats(number):
        return FileKind.ORDERS, "No order number comes twice, so each row is an order."
    if number:
        return FileKind.ORDERS, "Each row has a date and an amount, and nearly every one an order number of its own."
    if any(_is_like_own_numbers(texts) for name, texts in _unused(table, orders)):
        return FileKind.ORDERS, "Each row has a date and an amount of its own."
    return FileKind.LINES, "Each row has a date and an amount, and no column an order number."


def _unused(table: _Table, columns: Mapping[Meaning, str]) -> list[tuple[str, list[str]]]:
    """Columns that carry no meaning, by name."""
    used = set(columns.values())
    return [(name, texts) for name, texts in zip(table.header, table.cells, strict=True) if name not in used]


def _is_like_own_numbers(texts: Sequence[str]) -> bool:
    """Codes that every row has one of its own of, as orders do; a number of units or an amount is none."""
    is_own = len(set(texts)) == len(texts) and all(texts)
    return is_own and _share(texts, _is_code) == 1 and _share(texts, _has_cents) == 0


def _speaks_of_payments(name: str) -> bool:
    """Whether a column has a day, a number or an amount of a payment; how an order was paid is said of the order."""
    senses, _ = senses_of(name)
    return "payment" in senses and bool(senses & {"date", "number", "amount"} or _is_day_paid(name))


def _is_day_paid(name: str) -> bool:
    return plain_name(name) in {"paid on", "paid at", "received on", "zahldatum", "bezahlt am"}


def _is_key(table: _Table, columns: Mapping[Meaning, str]) -> bool:
    """Whether every row has a customer of its own, over enough rows to say so."""
    keys = table.of(columns.get(Meaning.CUSTOMER))
    return len(keys) >= _FEW_ROWS and len(set(keys)) == len(keys)


def _stands_over_lines(table: _Table, number: Sequence[str], is_marked: bool) -> bool:
    """Whether rows that differ share order numbers: many of them, unless a column speaks of lines.

    A number that comes twice in a file of orders is a mistake in one row, and a row that comes again says nothing.
    """
    rows = [row for row in dict.fromkeys(zip(number, *table.cells, strict=True)) if row[0]] if number else []
    counts = Counter(row[0] for row in rows)
    shared = sum(count for count in counts.values() if count > 1)
    return shared > 0 if is_marked else len(rows) >= _FEW_ROWS and shared >= _MANY_SHARED * len(rows)


def _repeats(texts: Sequence[str]) -> bool:
    filled = [text for text in texts if text]
    return len(set(filled)) < len(filled)


def _is_constant_inside(keys: Sequence[str], texts: Sequence[str]) -> bool:
    """Whether rows that share a key share a text too; blank texts say nothing."""
    seen: dict[str, str] = {}
    return all(seen.setdefault(key, text) == text for key, text in zip(keys, texts, strict=True) if key and text)


def _names_only(table: _Table, kind: FileKind, columns: Mapping[Meaning, str]) -> str:
    """The one column of names that has to tell who ordered; empty where there is none, or where there are several."""
    if Meaning.CUSTOMER not in NEEDED[kind] or Meaning.CUSTOMER in columns:
        return ""
    used = {column for meaning, column in columns.items() if meaning is not Meaning.NAME}
    free = [name for name in table.header if name not in used]
    named = [name for name in free if _named(Meaning.NAME, name) >= _SENSE_SCORE]
    return named[0] if len(named) == 1 else ""


def _would_be(table: _Table, kind: FileKind, columns: Mapping[Meaning, str]) -> str:
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


def plain_name(name: str) -> str:
    """A column's name as names are compared: words of small letters."""
    return " ".join(re.sub(r"[^a-zà-ÿ0-9]+", " ", re.sub(r"([a-z])([A-Z])", r"\1 \2", name).lower()).split())


def _match(table: _Table, kind: FileKind) -> dict[Meaning, str]:
    """The best pairs of meaning and column, each used once."""
    meanings = meanings_of(kind)
    scored = sorted(
        (
            (-_score(meaning, name, table.filled[place]), order, place)
            for order, meaning in enumerate(meanings)
            for place, name in enumerate(table.header)
        ),
    )
    found: dict[Meaning, str] = {}
    used: set[int] = set()
    for score, order, place in scored:
        if score < 0 and place not in used and meanings[order] not in found:
            found[meanings[order]] = table.header[place]
            used.add(place)
    if kind in OF_ORDERS:
        _prefer_number(table, found)
    if kind is FileKind.LINES:
        _take_amount_of_lines(table, found)
        _settle_prices(table, found)
    return found


def _prefer_number(table: _Table, found: dict[Meaning, str]) -> None:
    """Where a file has both, customers are known by their number, and the e-mail is said of them."""
    key = found.get(Meaning.CUSTOMER)
    if key is None or Meaning.EMAIL in found or _share([t for t in table.of(key) if t], is_email) <= _NO_WORD_KNOWN:
        return
    used = set(found.values())
    numbers = [
        name
        for place, name in enumerate(table.header)
        if name not in used and _score(Meaning.CUSTOMER, name, table.filled[place]) > _SENSE_SCORE
    ]
    if len(numbers) == 1:
        found[Meaning.CUSTOMER], found[Meaning.EMAIL] = numbers[0], key


def _take_amount_of_lines(table: _Table, found: dict[Meaning, str]) -> None:
    """The order's total stands on each of its lines; an amount that differs between them is the line's own."""
    number, amount = table.of(found.get(Meaning.ORDER_NUMBER)), found.get(Meaning.AMOUNT)
    if amount is None or not _repeats(number) or not _is_constant_inside(number, table.of(amount)):
        return
    used = set(found.values())
    own = [
        name
        for place, name in enumerate(table.header)
        if name not in used
        and _score(Meaning.AMOUNT, name, table.filled[place]) > _SENSE_SCORE
        and not _is_constant_inside(number, table.of(name))
    ]
    repeated = sum(count > 1 for count in Counter(text for text in number if text).values())
    if len(own) == 1:
        found[Meaning.AMOUNT] = own[0]
    elif repeated >= _FEW_ORDERS:
        # summed up over the lines, the order's total would count once for each of them
        del found[Meaning.AMOUNT]


def _settle_prices(table: _Table, found: dict[Meaning, str]) -> None:
    """A unit price counts where no column has the amount; a bare price beside quantities is neither until said so."""
    amount = found.get(Meaning.AMOUNT)
    quantities = [text for text in table.of(found.get(Meaning.QUANTITY)) if text]
    if amount is not None and Meaning.UNIT_PRICE not in found and set(quantities) - {"1"}:
        senses, _ = senses_of(amount)
        if "price" in senses and not senses & {"total", "line", "order"}:
            del found[Meaning.AMOUNT]
    elif amount is not None:
        found.pop(Meaning.UNIT_PRICE, None)


def _score(meaning: Meaning, name: str, sample: Sequence[str]) -> float:
    named = _named(meaning, name)
    by_content_alone = meaning in (Meaning.DATE, Meaning.EMAIL)
    if not named and not by_content_alone:
        return 0.0
    content = _content(meaning, sample)
    if content == 0 and sample:
        return 0.0
    if meaning is Meaning.STATUS and plain_name(name) in _ALSO_A_PLACE and content <= _NO_WORD_KNOWN and sample:
        return 0.0
    return named + content * _CONTENT_SCORE if named or (by_content_alone and content > 0.8 and sample) else 0.0


def _named(meaning: Meaning, name: str) -> float:
    """How well a name fits a meaning; 0 where it does not."""
    senses, unknown = senses_of(name)
    score = 0.0
    plain = plain_name(name)
    if plain and plain in _KNOWN[meaning]:
        score = _NAME_SCORE
    elif not unknown and senses in _KNOWN_SENSES.get(meaning, ()):
        score = _SENSE_SCORE
    elif unknown and senses in _KNOWN_SENSES.get(meaning, ()):
        score = _PART_SCORE
    if meaning is Meaning.AMOUNT and senses & _OTHER_NUMBERS:
        return 0.0
    return score - sum(less for sense, less in _LESS_LIKELY.get(meaning, ()) if sense in senses) if score else 0.0


def _content(meaning: Meaning, sample: Sequence[str]) -> float:
    """How well a column's first values fit a meaning, 0 … 1; 0 rules it out."""
    if meaning is Meaning.DATE:
        return _share(sample, is_date)
    if meaning in (Meaning.AMOUNT, Meaning.QUANTITY, Meaning.UNIT_PRICE):
        return _share(sample, is_amount)
    if meaning is Meaning.EMAIL:
        return _share(sample, is_email)
    if meaning in (Meaning.ORDER_NUMBER, Meaning.CUSTOMER, Meaning.CUSTOMER_NUMBER, Meaning.REFERENCE):
        return 1 - _share(sample, is_date)
    if meaning is Meaning.STATUS:
        return 0.5 + _share(sample, lambda text: words.usual_status(text) is not None) / 2
    if meaning is Meaning.MONTH:
        return _share(sample, is_month)
    if meaning is Meaning.UNTIL:
        return _share(sample, is_date)
    if meaning is Meaning.NAME:
        return 1 - _share(sample, _is_code)
    if meaning is Meaning.CLOSED:
        return _share(sample, lambda text: fits(words.closed, text))
    if meaning is Meaning.DO_NOT_CONTACT:
        return _share(sample, lambda text: fits(words.flag, text))
    return 0.5


def _share(sample: Sequence[str], fits: Callable[[str], bool]) -> float:
    return sum(map(fits, sample)) / len(sample) if sample else 0.0
