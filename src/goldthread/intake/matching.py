"""How well a column fits a meaning: by its name, taken apart into words, and by what stands in it."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from goldthread.intake import words
from goldthread.intake.compared import CellHashes, Inside
from goldthread.intake.dates import is_date, is_date_anyhow, is_month_alone
from goldthread.intake.meanings import Meaning
from goldthread.intake.names import senses_of
from goldthread.intake.profiles import ColumnProfile, Profile
from goldthread.intake.values import fits, is_amount, is_email, is_month

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
    "net amount|line total|line amount|turnover|revenue|paid amount|"
    "eur|euro|usd|gbp|chf|pln|summe|betrag|gesamt|montant|importe|valor",
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
    Meaning.MONTH: "month|period|spend month|monat|mois|mes|mês|mese|maand|miesiac|miesiąc|date",
    Meaning.UNTIL: "until|to|end|ends|ends on|end date|last day|till|bis",
    Meaning.YEAR: "year|order year|jahr|annee|année|ano|año|anno|jaar|rok",
    Meaning.DAY: "day|day of month|tag|jour|dia|día|giorno|dag|dzien|dzień",
    Meaning.TIME: "time|order time|time of day|uhrzeit|zeit|heure|hora|ora|tijd|godzina",
    Meaning.DEBIT: "debit|debit amount|soll|débit|debe|debito|débito|dare|debet|winien",
    Meaning.CREDIT: "credit|credit amount|haben|crédit|haber|credito|crédito|avere|kredit|ma",
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
_OF_A_PART = 0.3
_PARTS_THAT_SAY_NOTHING = frozenset(
    [
        "data",
        "attributes",
        "relationships",
        "node",
        "edges",
        "items",
        "item",
        "properties",
        "fields",
        "record",
        "records",
    ]
)
"""What paths of nested objects are made of beside the names of fields."""
_HOLDERS, _OF_MONEY = (
    frozenset(["value", "amount", "text"]),
    frozenset(["amount", "total", "gross", "net", "price", "sales"]),
)
_BY_LAST_PART = frozenset(Meaning) - {Meaning.ORDER_NUMBER, Meaning.CUSTOMER_NUMBER, Meaning.NAME, Meaning.REFERENCE}
"""What the last part of a path says whatever stands before it; a number or a name may be of anything."""
FEW_MISTAKES = 0.02
"""Up to this share of a file's rows may contradict what all others say: they are mistakes, and are rejected."""
_NAME_SCORE, SENSE_SCORE, _PART_SCORE, _CONTENT_SCORE = 4.0, 3.9, 1.5, 2.0
_PART_FORMS = {
    Meaning.YEAR: re.compile("(?:19|20)[0-9]{2}"),
    Meaning.DAY: re.compile(r"0?[1-9]|[12][0-9]|3[01]"),
    Meaning.TIME: re.compile(r"[0-9]{1,2}[:.h][0-9]{2}(?::[0-9]{2})?(?: ?[AaPp]\.?[Mm]\.?)?(?: ?Uhr)?"),
}
FEW_ROWS = 12
"""With fewer rows than this, what repeats and what does not says nothing."""


@dataclass(frozen=True)
class Sample:
    """A file to guess from: ``cells`` are its first rows as columns, each as long as there are rows; ``filled`` values
    of each column that are not blank, from all over the file. What repeats and what does not is asked of all rows."""

    header: tuple[str, ...]
    cells: list[list[str]]
    filled: list[list[str]]
    profile: Profile
    places: tuple[int, ...]

    def of(self, name: str | None) -> list[str]:
        return [] if name is None else self.cells[self.header.index(name)]

    def values(self, name: str) -> list[str]:
        return self.filled[self.header.index(name)]

    def place(self, name: str) -> int:
        return self.places[self.header.index(name)]

    def column(self, name: str) -> ColumnProfile:
        return self.profile.columns[self.place(name)]

    @property
    def compared(self) -> CellHashes:
        return self.profile.compared

    @property
    def rows(self) -> int:
        return self.compared.rows

    def distinct(self, name: str) -> int:
        return self.compared.distinct(self.place(name))

    def filled_rows(self, name: str) -> int:
        return int(self.compared.filled(self.place(name)).sum())

    def is_own(self, name: str) -> bool:
        """Whether every row has a value of its own in a column."""
        return self.rows > 0 and self.distinct(name) == self.filled_rows(name) == self.rows

    def repeats(self, name: str) -> bool:
        return self.distinct(name) < self.filled_rows(name)

    def inside(self, keys: Sequence[str], name: str) -> Inside:
        return self.compared.inside([self.place(key) for key in keys], self.place(name))

    def is_constant_inside(self, key: str, name: str) -> bool:
        """Whether rows that share a key share a value too, but for a few mistakes."""
        found = self.inside((key,), name)
        return found.differing <= FEW_MISTAKES * found.compared


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


def unused(table: Sample, columns: Mapping[Meaning, str]) -> list[str]:
    """Columns that carry no meaning."""
    used = set(columns.values())
    return [name for name in table.header if name not in used]


def fitting(table: Sample, meaning: Meaning, columns: Mapping[Meaning, str], above: float) -> list[str]:
    """Columns that carry no meaning and fit one better than a score."""
    return [name for name in unused(table, columns) if score(meaning, name, table.values(name)) > above]


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
    if not named and meaning is Meaning.DATE:
        # a bare number is a date only where a name says so
        content = share(sample, is_date)
    return named + content * _CONTENT_SCORE if named or (by_content_alone and content > 0.8 and sample) else 0.0


def path_of(name: str) -> list[str]:
    """The parts of a path that say something: without words of containers, and without a last one that only holds a
    value."""
    parts = [part for part in name.split(".") if part.casefold() not in _PARTS_THAT_SAY_NOTHING]
    if len(parts) > 1 and parts[-1].strip().casefold() in _HOLDERS and senses_of(parts[-2])[0] & _OF_MONEY:
        del parts[-1]
    return parts or [name]


def name_score(meaning: Meaning, name: str) -> float:
    """How well a name fits a meaning; 0 where it does not. Of a path, such as lines.title, its last part says it
    too."""
    name = ".".join(path_of(name))
    own = _own_score(meaning, name)
    _, dot, last = name.rpartition(".")
    return (
        max(own, _own_score(meaning, last) - _OF_A_PART) if dot and last.strip() and meaning in _BY_LAST_PART else own
    )


def _own_score(meaning: Meaning, name: str) -> float:
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
        return share(sample, is_date_anyhow)
    if meaning in (Meaning.AMOUNT, Meaning.QUANTITY, Meaning.UNIT_PRICE, Meaning.DEBIT, Meaning.CREDIT):
        return share(sample, is_amount)
    if meaning in _PART_FORMS:
        return float(share(sample, lambda text: _PART_FORMS[meaning].fullmatch(text) is not None) > NO_WORD_KNOWN)
    if meaning is Meaning.EMAIL:
        return share(sample, is_email)
    if meaning in (Meaning.ORDER_NUMBER, Meaning.CUSTOMER, Meaning.CUSTOMER_NUMBER, Meaning.REFERENCE):
        return 1 - share(sample, is_date)
    if meaning is Meaning.STATUS:
        return 0.5 + share(sample, lambda text: words.usual_status(text) is not None) / 2
    if meaning is Meaning.MONTH:
        return max(share(sample, is_month), share(sample, is_month_alone))
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
