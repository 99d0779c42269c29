"""Words that a file uses for what we know by a word of our own: statuses, yes and no, closed or not."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping

from goldthread.core.records import OrderStatus
from goldthread.intake.dates import plain_text
from goldthread.intake.formats import status_word
from goldthread.intake.values import BadValue, Parser

_STATUS_WORDS = {
    OrderStatus.OPEN: "open|pending|unpaid|new|processing|in progress|awaiting payment|on hold|draft|offen|en cours|"
    "pendiente",
    OrderStatus.PAID: "paid|complete|completed|done|shipped|delivered|dispatched|sent|fulfilled|invoiced|settled|"
    "bezahlt|geliefert|versandt|payé|livré|pagado|entregado",
    OrderStatus.CANCELLED: "cancelled|canceled|void|voided|storniert|annulé|cancelado|anulado",
    OrderStatus.REFUNDED: "refunded|refund|returned|credited|erstattet|retourniert|remboursé|reembolsado|devuelto",
}
_KNOWN_STATUS = {word: status for status, words in _STATUS_WORDS.items() for word in words.split("|")}
_YES = frozenset(["1", "y", "yes", "true", "t", "x", "ja", "oui", "si", "sí", "sim"])
_NO = frozenset(["0", "n", "no", "false", "f", "nein", "non", "não"])
_CLOSED = frozenset(
    ["closed", "inactive", "moved", "moved away", "died", "deceased", "ceased", "ceased trading", "gone", "dissolved"]
)
_NOT_CLOSED = frozenset(["open", "active", "current", "trading"])

_RETURN_WORDS = (
    "return|returns|returned|refund|refunded|refunds|credit note|credit memo|credit|cr|c|h|haben|reversal|chargeback|"
    "rma|"
    "retoure|ruckgabe|gutschrift|erstattung|rucksendung|storno|stornorechnung|gs|ruckerstattung|"
    "avoir|retour|remboursement|note de credit|devolucion|abono|nota de credito|reembolso|devuelto|"
    "reso|nota di credito|nota credito|rimborso|creditnota|creditfactuur|terugbetaling|teruggave|"
    "devolucao|estorno|zwrot|korekta|faktura korygujaca|nota kredytowa|nota korygujaca"
)
_RETURNS = frozenset(_RETURN_WORDS.split("|"))
_SIDES = ({"s", "h"}, {"d", "c"}, {"dr", "cr"}, {"debit", "credit"}, {"soll", "haben"})
_SHORT_SIDES = frozenset(["c", "h", "cr", "credit", "haben"])


def return_words(words: Iterable[str], name: str = "") -> list[str]:
    """Of the words of a column those for a return, a refund or a credit note; a side of an account beside the other;
    yes where the name of the column speaks of returns."""
    words = list(words)
    if _speaks_of_returns(name) and all(plain_text(word) in _YES | _NO | {""} for word in words):
        return [word for word in words if plain_text(word) in _YES]
    found = {word: plain_text(word).strip(" .") for word in words}
    sides = any(set(found.values()) == pair for pair in _SIDES)
    return [word for word, plain in found.items() if plain in _RETURNS and (sides or plain not in _SHORT_SIDES)]


def _speaks_of_returns(name: str) -> bool:
    return any(word in _RETURNS and word not in _SHORT_SIDES for word in re.findall("[a-z]+", plain_text(name)))


def status_parser(statuses: Mapping[str, OrderStatus]) -> Parser:
    """Parser of status labels by what was said of each word; a row without one is a completed sale."""

    def parse(text: str) -> str:
        word = status_word(text)
        if not word:
            return OrderStatus.PAID.value
        if word not in statuses:
            raise BadValue("Nobody has said what this status means.", f"Say which it is: {', '.join(OrderStatus)}.")
        return statuses[word].value

    return parse


def usual_status(word: str) -> OrderStatus | None:
    """What a status label commonly means; None where that is not plain."""
    return _KNOWN_STATUS.get(status_word(word))


def flag(text: str) -> str:
    """Yes as 1, no as 0, nothing as nothing."""
    plain = text.strip().casefold()
    if not plain:
        return ""
    if plain not in _YES | _NO:
        raise BadValue("This is neither yes nor no.", "Write yes or no, or leave it empty.")
    return "1" if plain in _YES else "0"


def closed(text: str) -> str:
    """Whether a customer is closed, as yes or no or as a word for it; nothing as nothing."""
    plain = " ".join(text.split()).casefold()
    if plain in _CLOSED or plain in _NOT_CLOSED:
        return "1" if plain in _CLOSED else "0"
    try:
        return flag(text)
    except BadValue:
        raise BadValue("This does not say whether the customer is closed.", "Write open or closed.") from None
