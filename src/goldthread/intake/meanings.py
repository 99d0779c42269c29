"""What a column can mean, and which column means what: by its name first, by its content where that tells more."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from goldthread.core.records import FileKind, KeyKind
from goldthread.intake.values import is_amount, is_date, is_email


class Meaning(StrEnum):
    """What a column of a file tells."""

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


NEEDED: Mapping[FileKind, tuple[Meaning, ...]] = {
    FileKind.ORDERS: (Meaning.ORDER_NUMBER, Meaning.CUSTOMER, Meaning.DATE, Meaning.AMOUNT),
    FileKind.LINES: (Meaning.ORDER_NUMBER, Meaning.CUSTOMER, Meaning.DATE, Meaning.AMOUNT),
    FileKind.CUSTOMERS: (),
}
OPTIONAL: Mapping[FileKind, tuple[Meaning, ...]] = {
    FileKind.ORDERS: (Meaning.STATUS, Meaning.CURRENCY),
    FileKind.LINES: (
        Meaning.STATUS,
        Meaning.CURRENCY,
        Meaning.LINE_NUMBER,
        Meaning.PRODUCT,
        Meaning.CATEGORY,
        Meaning.QUANTITY,
    ),
    FileKind.CUSTOMERS: (Meaning.CUSTOMER_NUMBER, Meaning.EMAIL, Meaning.NAME),
}

_NAMES: Mapping[Meaning, str] = {
    Meaning.ORDER_NUMBER: "order|order number|order no|order id|order ref|receipt|receipt no|receipt number|invoice|"
    "invoice no|invoice number|docket|docket no|reference|ref|"
    "beleg|belegnummer|rechnung|bestellung|bestellnummer|commande|pedido|sale|sale no|number",
    Meaning.CUSTOMER: "customer|customer number|customer no|customer id|customer key|customer email|client|client no|"
    "client id|cust|cust no|cust id|kunde|kundennummer|kd nr|cliente|"
    "account|account no|account number|buyer|email|e mail|mail|email address|member no",
    Meaning.DATE: "date|order date|ordered|ordered on|ordered at|order time|sold on|sold at|sale date|day|placed on|"
    "placed at|created|created at|invoice date|booked on|when|datum|bestelldatum|fecha|data",
    Meaning.AMOUNT: "amount|total|order total|order amount|sum|value|order value|gross|gross amount|price|net|"
    "net amount|line total|line amount|turnover|revenue|paid amount|summe|betrag|gesamt|montant|importe|valor",
    Meaning.STATUS: "status|state|order status|order state|standing",
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
}
_KNOWN = {meaning: frozenset(names.split("|")) for meaning, names in _NAMES.items()}
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
        return [meaning for meaning in NEEDED[self.kind] if meaning not in self.columns]


def meanings_of(kind: FileKind) -> tuple[Meaning, ...]:
    """Every meaning that a column of this kind of file can carry."""
    return NEEDED[kind] + OPTIONAL[kind]


def guess(header: Sequence[str], rows: Sequence[Sequence[str]], kind: FileKind | None = None) -> Guess:
    """Guess the kind of a file (unless given), its columns' meanings and what it knows customers by."""
    samples = [[row[place] for row in rows if place < len(row) and row[place].strip()] for place in range(len(header))]
    kind = kind or _guess_kind(header, samples)
    columns = _match(header, samples, meanings_of(kind))
    customer = columns.get(Meaning.CUSTOMER)
    sample = samples[header.index(customer)] if customer is not None else []
    return Guess(kind, columns, KeyKind.EMAIL if _share(sample, is_email) > 0.5 else KeyKind.NUMBER)


def _guess_kind(header: Sequence[str], samples: Sequence[Sequence[str]]) -> FileKind:
    as_lines = _match(header, samples, meanings_of(FileKind.LINES))
    if any(meaning not in as_lines for meaning in (Meaning.ORDER_NUMBER, Meaning.DATE)) or (
        Meaning.AMOUNT not in as_lines and Meaning.NAME in _match(header, samples, meanings_of(FileKind.CUSTOMERS))
    ):
        as_customers = _match(header, samples, meanings_of(FileKind.CUSTOMERS))
        if Meaning.NAME in as_customers or Meaning.EMAIL in as_customers:
            return FileKind.CUSTOMERS
    return FileKind.LINES if len(_LINE_MARKS & set(as_lines)) >= 2 else FileKind.ORDERS


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
    plain = " ".join(re.sub(r"[^a-z0-9]+", " ", re.sub(r"([a-z])([A-Z])", r"\1 \2", name).lower()).split())
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
    if meaning in (Meaning.ORDER_NUMBER, Meaning.CUSTOMER, Meaning.CUSTOMER_NUMBER):
        return 1 - _share(sample, is_date)
    return 0.5


def _share(sample: Sequence[str], fits: object) -> float:
    return sum(1 for value in sample if fits(value)) / len(sample) if sample and callable(fits) else 0.0
