"""How well a column fits a meaning: by its name, taken apart into words, and by what stands in it."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from goldthread.intake import words
from goldthread.intake.meanings import Meaning
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
NO_WORD_KNOWN = 0.5
OTHER_NUMBERS = frozenset(["tax", "discount", "shipping", "cost", "unit", "quantity"])
_CODE = re.compile(r"#?[A-Za-z]{0,4}[-/. ]?[0-9][0-9A-Za-z./-]*")
_NAME_SCORE, SENSE_SCORE, _PART_SCORE, _CONTENT_SCORE = 4.0, 3.9, 1.5, 2.0
FEW_ROWS = 12
"""With fewer rows than this, what repeats and what does not says nothing."""


@dataclass(frozen=True)
class Sample:
    """The first rows as columns: ``cells`` each as long as there are rows, ``filled`` without the blank ones."""

    header: tuple[str, ...]
    cells: list[list[str]]
    filled: list[list[str]]

    def of(self, name: str | None) -> list[str]:
        return [] if name is None else self.cells[self.header.index(name)]


def is_code(text: str) -> bool:
    """Whether a text is a number or a code, such as #1001 or SO-2024/17, and no name of somebody."""
    return _CODE.fullmatch(text) is not None


def known_names(row: Sequence[str]) -> int:
    """How many cells of a row are names that columns usually bear."""
    return sum(_is_known(cell) for cell in row)


def _is_known(name: str) -> bool:
    if plain_name(name) in _ALL_KNOWN:
        return True
    senses, unknown = senses_of(name)
    return not unknown and len(senses) > 1 and senses in _ALL_SENSES


def unused(table: Sample, columns: Mapping[Meaning, str]) -> list[tuple[str, list[str]]]:
    """Columns that carry no meaning, by name."""
    used = set(columns.values())
    return [(name, texts) for name, texts in zip(table.header, table.cells, strict=True) if name not in used]


def fitting(table: Sample, meaning: Meaning, columns: Mapping[Meaning, str], above: float) -> list[str]:
    """Columns that carry no meaning and fit one better than a score."""
    used = set(columns.values())
    return [
        name
        for name, filled in zip(table.header, table.filled, strict=True)
        if name not in used and score(meaning, name, filled) > above
    ]


def repeats(texts: Sequence[str]) -> bool:
    filled = [text for text in texts if text]
    return len(set(filled)) < len(filled)


def is_constant_inside(keys: Sequence[str], texts: Sequence[str]) -> bool:
    """Whether rows that share a key share a text too; blank texts say nothing."""
    seen: dict[str, str] = {}
    return all(seen.setdefault(key, text) == text for key, text in zip(keys, texts, strict=True) if key and text)


def plain_name(name: str) -> str:
    """A column's name as names are compared: words of small letters."""
    return " ".join(re.sub(r"[^a-zà-ÿ0-9]+", " ", re.sub(r"([a-z])([A-Z])", r"\1 \2", name).lower()).split())


def score(meaning: Meaning, name: str, sample: Sequence[str]) -> float:
    named = name_score(meaning, name)
    by_content_alone = meaning in (Meaning.DATE, Meaning.EMAIL)
    if not named and not by_content_alone:
        return 0.0
    content = _content(meaning, sample)
    if content == 0 and sample:
        return 0.0
    if meaning is Meaning.STATUS and plain_name(name) in _ALSO_A_PLACE and content <= NO_WORD_KNOWN and sample:
        return 0.0
    return named + content * _CONTENT_SCORE if named or (by_content_alone and content > 0.8 and sample) else 0.0


def name_score(meaning: Meaning, name: str) -> float:
    """How well a name fits a meaning; 0 where it does not."""
    senses, unknown = senses_of(name)
    score = 0.0
    plain = plain_name(name)
    if plain and plain in _KNOWN[meaning]:
        score = _NAME_SCORE
    elif not unknown and senses in _KNOWN_SENSES.get(meaning, ()):
        score = SENSE_SCORE
    elif unknown and senses in _KNOWN_SENSES.get(meaning, ()):
        score = _PART_SCORE
    if meaning is Meaning.AMOUNT and senses & OTHER_NUMBERS:
        return 0.0
    return score - sum(less for sense, less in _LESS_LIKELY.get(meaning, ()) if sense in senses) if score else 0.0


def _content(meaning: Meaning, sample: Sequence[str]) -> float:
    """How well a column's first values fit a meaning, 0 … 1; 0 rules it out."""
    if meaning is Meaning.DATE:
        return share(sample, is_date)
    if meaning in (Meaning.AMOUNT, Meaning.QUANTITY, Meaning.UNIT_PRICE):
        return share(sample, is_amount)
    if meaning is Meaning.EMAIL:
        return share(sample, is_email)
    if meaning in (Meaning.ORDER_NUMBER, Meaning.CUSTOMER, Meaning.CUSTOMER_NUMBER, Meaning.REFERENCE):
        return 1 - share(sample, is_date)
    if meaning is Meaning.STATUS:
        return 0.5 + share(sample, lambda text: words.usual_status(text) is not None) / 2
    if meaning is Meaning.MONTH:
        return share(sample, is_month)
    if meaning is Meaning.UNTIL:
        return share(sample, is_date)
    if meaning is Meaning.NAME:
        return 1 - share(sample, is_code)
    if meaning is Meaning.CLOSED:
        return share(sample, lambda text: fits(words.closed, text))
    if meaning is Meaning.DO_NOT_CONTACT:
        return share(sample, lambda text: fits(words.flag, text))
    return 0.5


def share(sample: Sequence[str], fits: Callable[[str], bool]) -> float:
    return sum(map(fits, sample)) / len(sample) if sample else 0.0
