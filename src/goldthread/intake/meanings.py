"""What a column can mean, and which column means what: by its name first, by its content where that says more."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from goldthread.core.records import FileKind, KeyKind
from goldthread.intake import words
from goldthread.intake.values import fits, is_amount, is_date, is_email, is_month


class Meaning(StrEnum):
    """What a column of a file holds."""

    ORDER_NUMBER = "order_number"
    CUSTOMER = "customer"
    DATE = "date"
    AMOUNT = "amount"
    STATUS = "status"
    CURRENCY = "currency"
    LINE_NUMBER = "line_number"
    PRODUCT = "product"
    CATEGORY = "category"
    QUANTITY = "quantity"
    CUSTOMER_NUMBER = "customer_number"
    EMAIL = "email"
    NAME = "name"
    TOWN = "town"
    CLOSED = "closed"
    DO_NOT_CONTACT = "do_not_contact"
    REP = "rep"
    CHANNEL = "channel"
    REFERENCE = "reference"
    MONTH = "month"
    UNTIL = "until"
    LABEL = "label"


NEEDED: Mapping[FileKind, tuple[Meaning, ...]] = {
    FileKind.ORDERS: (Meaning.ORDER_NUMBER, Meaning.CUSTOMER, Meaning.DATE, Meaning.AMOUNT),
    FileKind.LINES: (Meaning.ORDER_NUMBER, Meaning.CUSTOMER, Meaning.DATE, Meaning.AMOUNT),
    FileKind.CUSTOMERS: (),
    FileKind.PAYMENTS: (Meaning.CUSTOMER, Meaning.DATE, Meaning.AMOUNT),
    FileKind.SPEND: (Meaning.MONTH, Meaning.CHANNEL, Meaning.AMOUNT),
    FileKind.EVENTS: (Meaning.DATE, Meaning.LABEL),
}
_OF_AN_ORDER = (Meaning.STATUS, Meaning.CURRENCY, Meaning.REP, Meaning.CHANNEL)
OPTIONAL: Mapping[FileKind, tuple[Meaning, ...]] = {
    FileKind.ORDERS: _OF_AN_ORDER,
    FileKind.LINES: (
        *_OF_AN_ORDER,
        Meaning.LINE_NUMBER,
        Meaning.PRODUCT,
        Meaning.CATEGORY,
        Meaning.QUANTITY,
    ),
    FileKind.CUSTOMERS: (
        Meaning.CUSTOMER_NUMBER,
        Meaning.EMAIL,
        Meaning.NAME,
        Meaning.TOWN,
        Meaning.CLOSED,
        Meaning.DO_NOT_CONTACT,
    ),
    FileKind.PAYMENTS: (Meaning.REFERENCE, Meaning.ORDER_NUMBER, Meaning.CURRENCY),
    FileKind.SPEND: (Meaning.CURRENCY,),
    FileKind.EVENTS: (Meaning.UNTIL,),
}
KINDS = tuple(NEEDED)
"""The kinds of file; matches come in by hand alone."""

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
_PAYMENT_DATES = frozenset(
    ["paid on", "paid at", "payment date", "date paid", "paid", "received on", "zahldatum", "bezahlt am"]
)
_KNOWN = {meaning: frozenset(names.split("|")) for meaning, names in _NAMES.items()}
REASON_COLUMN = "reason it was rejected"
"""The column that is put beside rejected rows when they are taken out as a file; it is never read back."""
_ALL_KNOWN = frozenset().union(*_KNOWN.values())
_LINE_MARKS = frozenset({Meaning.LINE_NUMBER, Meaning.PRODUCT, Meaning.CATEGORY, Meaning.QUANTITY})
_NAME_SCORE, _PART_SCORE, _CONTENT_SCORE = 4.0, 1.5, 2.0


@dataclass(frozen=True)
class Guess:
    """What a file seems to be. ``columns`` gives the column that carries each meaning found."""

    kind: FileKind
    columns: dict[Meaning, str]
    customer_key: KeyKind

    @property
    def missing(self) -> list[Meaning]:
        """Needed meanings that no column seems to carry."""
        return missing_meanings(self.kind, self.columns)


def missing_meanings(kind: FileKind, columns: Iterable[Meaning]) -> list[Meaning]:
    """Needed meanings that are not among some; of a customer, a number or an e-mail is enough."""
    known = set(columns)
    if kind is FileKind.CUSTOMERS:
        return [] if known & {Meaning.CUSTOMER_NUMBER, Meaning.EMAIL} else [Meaning.CUSTOMER_NUMBER]
    return [meaning for meaning in NEEDED[kind] if meaning not in known]


def meanings_of(kind: FileKind) -> tuple[Meaning, ...]:
    """Every meaning that a column of this kind of file can carry."""
    return NEEDED[kind] + OPTIONAL[kind]


def guess(header: Sequence[str], rows: Sequence[Sequence[str]], kind: FileKind | None = None) -> Guess:
    """Guess the kind of a file (unless given), its columns' meanings and what it knows customers by."""
    samples = [[row[place] for row in rows if place < len(row) and row[place].strip()] for place in range(len(header))]
    header = [name for name in header if name != REASON_COLUMN]
    kind = kind or _guess_kind(header, samples)
    columns = _match(header, samples, meanings_of(kind))
    customer = columns.get(Meaning.CUSTOMER)
    sample = samples[header.index(customer)] if customer is not None else []
    return Guess(kind, columns, KeyKind.EMAIL if _share(sample, is_email) > 0.5 else KeyKind.NUMBER)


def _guess_kind(header: Sequence[str], samples: Sequence[Sequence[str]]) -> FileKind:
    found = {kind: _match(header, samples, meanings_of(kind)) for kind in KINDS}
    orders, customers = found[FileKind.LINES], found[FileKind.CUSTOMERS]
    whole = {kind for kind in KINDS if all(meaning in found[kind] for meaning in NEEDED[kind])}
    named = {plain_name(name) for name in header}
    if FileKind.PAYMENTS in whole and (
        named & _PAYMENT_DATES or Meaning.ORDER_NUMBER not in orders or any("payment" in name for name in named)
    ):
        return FileKind.PAYMENTS
    if Meaning.CUSTOMER not in orders and Meaning.ORDER_NUMBER not in orders:
        for kind in (FileKind.SPEND, FileKind.EVENTS):
            if kind in whole:
                return kind
    no_orders = any(meaning not in orders for meaning in (Meaning.ORDER_NUMBER, Meaning.DATE))
    no_orders = no_orders or (Meaning.AMOUNT not in orders and Meaning.NAME in customers)
    if no_orders and (Meaning.NAME in customers or Meaning.EMAIL in customers):
        return FileKind.CUSTOMERS
    return FileKind.LINES if len(_LINE_MARKS & set(orders)) >= 2 else FileKind.ORDERS


def plain_name(name: str) -> str:
    """A column's name as names are compared: words of small letters."""
    return " ".join(re.sub(r"[^a-zà-ÿ0-9]+", " ", re.sub(r"([a-z])([A-Z])", r"\1 \2", name).lower()).split())


def known_names(row: Sequence[str]) -> int:
    """How many cells of a row are names that columns usually bear."""
    return sum(plain_name(cell) in _ALL_KNOWN for cell in row)


def _match(header: Sequence[str], samples: Sequence[Sequence[str]], meanings: Sequence[Meaning]) -> dict[Meaning, str]:
    """The best pairs of meaning and column, each used once."""
    scored = sorted(
        (
            (-_score(meaning, name, samples[place]), order, place)
            for order, meaning in enumerate(meanings)
            for place, name in enumerate(header)
        ),
    )
    found: dict[Meaning, str] = {}
    used: set[int] = set()
    for score, order, place in scored:
        if score < 0 and place not in used and meanings[order] not in found:
            found[meanings[order]] = header[place]
            used.add(place)
    return found


def _score(meaning: Meaning, name: str, sample: Sequence[str]) -> float:
    plain = plain_name(name)
    words = set(plain.split())
    named = 0.0
    if plain in _KNOWN[meaning]:
        named = _NAME_SCORE
    elif any(set(known.split()) <= words for known in _KNOWN[meaning]):
        named = _PART_SCORE
    fits = _content(meaning, sample)
    if fits == 0 and sample:
        return 0.0
    by_content_alone = meaning in (Meaning.DATE, Meaning.EMAIL)
    return named + fits * _CONTENT_SCORE if named or (by_content_alone and fits > 0.8 and sample) else 0.0


def _content(meaning: Meaning, sample: Sequence[str]) -> float:
    """How well a column's first values fit a meaning, 0 … 1; 0 rules it out."""
    if meaning is Meaning.DATE:
        return _share(sample, is_date)
    if meaning in (Meaning.AMOUNT, Meaning.QUANTITY):
        return _share(sample, is_amount)
    if meaning is Meaning.EMAIL:
        return _share(sample, is_email)
    if meaning in (Meaning.ORDER_NUMBER, Meaning.CUSTOMER, Meaning.CUSTOMER_NUMBER, Meaning.REFERENCE):
        return 1 - _share(sample, is_date)
    if meaning is Meaning.MONTH:
        return _share(sample, is_month)
    if meaning is Meaning.UNTIL:
        return _share(sample, is_date)
    if meaning is Meaning.CLOSED:
        return _share(sample, lambda text: fits(words.closed, text))
    if meaning is Meaning.DO_NOT_CONTACT:
        return _share(sample, lambda text: fits(words.flag, text))
    return 0.5


def _share(sample: Sequence[str], fits: Callable[[str], bool]) -> float:
    return sum(map(fits, sample)) / len(sample) if sample else 0.0
