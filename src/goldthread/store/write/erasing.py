"""Erase a person: what names them goes from everything on record of a book, and does not come back with a later file.

Orders stay, under a number that says nothing. What the person was known by is kept as keyed hashes alone, so that a
later delivery that names them again is met by that number (GDPR, article 17).
"""

from __future__ import annotations

import hashlib
import hmac
import json
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any
from urllib.parse import quote, quote_plus

from sqlalchemy import Connection, Engine, exists, func, insert, select, text, update

from goldthread.core.records import FileKind, KeyKind, Piece, Problem, Rows
from goldthread.errors import Conflict, NotFound
from goldthread.store.revisions import keep_others_out, lock_book, step_to
from goldthread.store.schema.models import Book, Delivery, Erased, RejectedCells
from goldthread.store.server.engine import transaction
from goldthread.store.server.faults import tried_again
from goldthread.store.write import identity

WITHOUT = "(erased)"
_KNOWING = ("customer", "customer_number", "email")
"""What columns of a file mean by which a customer is known."""
_NAMES_LEAST = 3
"""Characters of a name that is looked for in words of others: a shorter one stands in many."""


@dataclass(frozen=True)
class Erasure:
    """What an erasure found: orders and payments that stay, records of the customer that say nothing any more."""

    label: str
    orders: int
    payments: int
    records: int


def digest_of(secret: str, kind: str, value: str) -> str:
    """The keyed hash that a key of an erased person is known by."""
    return hmac.new(secret.encode(), f"{kind} {value}".encode(), hashlib.sha256).hexdigest()


def label_of(key_id: int) -> str:
    """What stands in the place of a key."""
    return f"erased-{key_id}"


class ErasedPeople:
    """Who was erased from a book: what a delivery says of them is left out before it is written anywhere."""

    def __init__(self, connection: Connection, book_id: int, secret: str) -> None:
        found = connection.execute(select(Erased.digest, Erased.key_id).where(Erased.book_id == book_id))
        self._labels = {digest: label_of(key_id) for digest, key_id in found}
        self._secret = secret
        self._known: dict[tuple[str, str], str | None] = {}

    def __bool__(self) -> bool:
        return bool(self._labels)

    def label(self, kind: str, value: str) -> str | None:
        """What a key is called whose person was erased; None for any other."""
        if not value:
            return None
        if (kind, value) not in self._known:
            self._known[kind, value] = self._labels.get(digest_of(self._secret, kind, value))
        return self._known[kind, value]

    def left_out_of(self, piece: Piece, kind: FileKind, key: KeyKind) -> Piece:
        """A piece without what it says of them."""
        problems = [self.left_out(each) for each in piece.problems]
        columns = dict(piece.rows.columns)
        match kind:
            case FileKind.CUSTOMERS:
                rows = self._of_customers(piece.rows)
            case FileKind.MATCHES:
                for which, value in (("kind", "customer"), ("other_kind", "other")):
                    named = zip(columns[which], columns[value], strict=True)
                    columns[value] = [self.label(each, known) or known for each, known in named]
                rows = replace(piece.rows, columns=columns)
            case _ if "customer" in columns:
                rows = self._of_orders(piece.rows, key)
            case _:
                rows = piece.rows
        return replace(piece, rows=rows, problems=problems)

    def left_out(self, problem: Problem) -> Problem:
        """A problem without what it says of them."""
        return replace(problem, value=WITHOUT) if self.are_in([problem.value]) else problem

    def are_in(self, cells: Sequence[str]) -> bool:
        """Whether a row of a file, as it stands there, names one of them."""
        return any(self.label(kind, cell.strip()) for kind in KeyKind for cell in cells)

    def _of_customers(self, rows: Rows) -> Rows:
        columns = {name: list(values) for name, values in rows.columns.items()}
        for row, (number, email) in enumerate(zip(columns["number"], columns["email"], strict=True)):
            labels = (self.label(KeyKind.NUMBER, number), self.label(KeyKind.EMAIL, email))
            if labels == (None, None):
                continue
            # of whom the e-mail alone is known, a number that came since would tell who it is
            columns["number"][row], columns["email"][row] = labels[0] or "", labels[1] or ""
            for name, blank in (("name", ""), ("town", ""), ("attributes", "{}")):
                columns[name][row] = blank
        return replace(rows, columns=columns)

    def _of_orders(self, rows: Rows, key: KeyKind) -> Rows:
        customers = list(rows.columns["customer"])
        labels = [self.label(key, value) for value in customers]
        if not any(labels):
            return rows
        columns = dict(rows.columns) | {
            "customer": [label or value for label, value in zip(labels, customers, strict=True)]
        }

        def blanked(given: Mapping[str, Sequence[str]]) -> dict[str, Sequence[str]]:
            return {
                name: ["" if label else value for label, value in zip(labels, values, strict=True)]
                for name, values in given.items()
            }

        about, further = blanked(rows.about_customer), blanked(rows.customer_attributes)
        own = blanked(rows.attributes)
        return replace(rows, columns=columns, attributes=own, about_customer=about, customer_attributes=further)


def erase(engine: Engine, book_id: int, customer_id: int, secret: str) -> Erasure:
    """Erase a customer of a book, all in one transaction. Raises `NotFound`."""
    return tried_again(lambda: _erase(engine, book_id, customer_id, secret))


_KEYS = "SELECT id, kind, value FROM customer_keys WHERE book_id = :book AND customer_id = :customer"
_MINE = f"(SELECT id FROM ({_KEYS}) mine)"
_RECORDS = """
UPDATE customer_records SET name = '', town = '', attributes = '{}', do_not_contact = TRUE
WHERE book_id = :book AND (key_id IN __MINE__ OR email_key_id IN __MINE__)
""".replace("__MINE__", _MINE)
_FILES_BY_HAND = f"""
UPDATE deliveries d SET d.file_name = CONCAT(d.kind, ' {WITHOUT}') WHERE d.book_id = :book AND d.by_hand AND d.id IN (
  SELECT delivery_id FROM customer_records WHERE book_id = :book AND (key_id IN {_MINE} OR email_key_id IN {_MINE})
  UNION SELECT delivery_id FROM matches WHERE book_id = :book AND (key_id IN {_MINE} OR other_key_id IN {_MINE}))
"""
_COUNTS = {
    "orders": f"SELECT COUNT(*) FROM orders WHERE book_id = :book AND current AND customer_key_id IN {_MINE}",
    "payments": f"SELECT COUNT(*) FROM payments WHERE book_id = :book AND current AND customer_key_id IN {_MINE}",
}
_OWN_CODES = (
    f"DELETE c FROM own_codes c JOIN orders o ON o.book_id = c.book_id AND o.id = c.order_id "
    f"WHERE c.book_id = :book AND o.customer_key_id IN {_MINE}"
)
_MAILS = (
    "UPDATE list_mails m JOIN customer_lists l ON l.id = m.list_id SET m.email = CONCAT('erased-', m.customer_id), "
    "m.problem = '' WHERE COALESCE(l.book_id, l.deleted_from) = :book AND m.customer_id IN " + _MINE
)
_NOTES = (
    "UPDATE list_changes c JOIN customer_lists l ON l.id = c.list_id SET c.value = '' WHERE c.field = 'note' "
    "AND COALESCE(l.book_id, l.deleted_from) = :book AND c.customer_id IN " + _MINE
)
_WRITTEN = f"DELETE FROM notes WHERE book_id = :book AND customer_key_id IN {_MINE}"
_PAYMENTS = (
    "UPDATE payments p JOIN customer_keys k ON k.id = p.customer_key_id SET p.identity = "
    "CONCAT('alike erased-', k.id, SUBSTRING(p.identity, CHAR_LENGTH(CONCAT('alike ', k.value)) + 1)) "
    f"WHERE p.book_id = :book AND k.id IN {_MINE} AND p.identity LIKE 'alike %'"
)
_NEW_KEYS = (
    "UPDATE customer_keys SET value = CONCAT('erased-', id) WHERE book_id = :book "
    "AND id IN (SELECT key_id FROM erased WHERE book_id = :book)"
)
_ENDED = "state NOT IN ('waiting', 'running')"
_JOBS = f"DELETE FROM jobs WHERE {_ENDED} AND JSON_VALUE(arguments, '$.book') = CAST(:book AS CHAR)"
_MADE = "COALESCE(book_id, deleted_from) = :book"
_DELIVERED = "delivery_id IN (SELECT id FROM deliveries WHERE book_id = :book)"
_OF_BRIEFS = "brief_id IN (SELECT id FROM briefs WHERE book_id = :book)"
_WORDS = (
    *((table, column, _MADE) for table in ("customer_lists", "saved_views") for column in ("name", "query")),
    ("customer_lists", "rule", _MADE),
    ("saved_views", "words", _MADE),
    ("shared_links", "name", "book_id = :book"),
    ("shared_links", "query", "book_id = :book"),
    ("notes", "text", "book_id = :book"),
    ("briefs", "name", "book_id = :book"),
    *(("findings", column, _OF_BRIEFS) for column in ("heading", "words", "pinned")),
    ("log", "subject", "book_id = :book"),
    ("log", "details", "book_id = :book"),
    ("delivery_problems", "value", _DELIVERED),
    ("rejected_cells", "cells", _DELIVERED),
)
"""Words of others, and rows that were rejected, in which a name or an e-mail may stand."""


def _erase(engine: Engine, book_id: int, customer_id: int, secret: str) -> Erasure:
    values: dict[str, Any] = {"book": book_id, "customer": customer_id}
    with transaction(engine) as connection:
        keep_others_out(connection, book_id, by_hand=True)
        lock_book(connection, book_id)
        keys = [(int(key), KeyKind(kind), str(value)) for key, kind, value in connection.execute(text(_KEYS), values)]
        if not keys:
            raise NotFound("There is no such customer in this book.", remedy="Find the customer by name.")
        fresh = [
            {"book_id": book_id, "digest": digest_of(secret, kind, value), "key_id": key}
            for key, kind, value in keys
            if value != label_of(key)
        ]
        if not fresh:
            raise Conflict("This person was erased already.", remedy="Nothing is left to erase.")
        named = _names(connection, values) | {value for _, kind, value in keys if kind is KeyKind.EMAIL}
        counts = {name: int(connection.execute(text(query), values).scalar_one()) for name, query in _COUNTS.items()}
        identity.gather(connection, f"SELECT id FROM ({_KEYS}) mine", values)
        _drop_own_values(connection, values)
        for statement in (_FILES_BY_HAND, _OWN_CODES, _MAILS, _NOTES, _WRITTEN, _PAYMENTS, _JOBS):
            connection.execute(text(statement), values)
        records = connection.execute(text(_RECORDS), values).rowcount
        connection.execute(insert(Erased), fresh)
        connection.execute(text(_NEW_KEYS), values)
        _take_out_of_rejected(connection, book_id, [value for _, _, value in keys])
        _end_links(connection, named, [value for _, _, value in keys], values)
        _take_out_of_words(connection, named, values)
        identity.settle(connection)
        revision = connection.execute(select(Book.revision).where(Book.id == book_id)).scalar_one()
        step_to(connection, book_id, revision + 1)
        connection.commit()
    return Erasure(label_of(keys[0][0]), counts["orders"], counts["payments"], int(records))


def _drop_own_values(connection: Connection, values: dict[str, Any]) -> None:
    """Drop the values of own attributes that only orders of the customer have."""
    slots = text("SELECT slot FROM own_attributes WHERE book_id = :book")
    for slot in map(int, connection.execute(slots, values).scalars().all()):
        with_code = (
            f"SELECT o.delivery_id, c.own_{slot} FROM orders o JOIN own_codes c ON c.book_id = o.book_id "
            f"AND c.order_id = o.id WHERE o.book_id = :book AND c.own_{slot} IS NOT NULL AND o.customer_key_id"
        )
        theirs = f"(v.delivery_id, v.code) IN ({with_code} IN {_MINE})"
        others = f"(v.delivery_id, v.code) NOT IN ({with_code} NOT IN {_MINE})"
        drop = f"DELETE v FROM own_values v WHERE v.book_id = :book AND v.slot = {slot} AND {theirs} AND {others}"
        connection.execute(text(drop), values)


def _take_out_of_rejected(connection: Connection, book_id: int, keys: Sequence[str]) -> None:
    """Blank the rejected rows whose customer it was, as the columns of their file were read."""
    read = select(Delivery.id, Delivery.header, Delivery.reading).where(
        Delivery.book_id == book_id, exists().where(RejectedCells.delivery_id == Delivery.id)
    )
    for delivery, header, reading in connection.execute(read).all():
        columns = reading.get("columns", {})
        places = [header.index(columns[each]) for each in _KNOWING if columns.get(each) in header]
        for place in places:
            blank = update(RejectedCells).where(
                RejectedCells.delivery_id == delivery,
                func.trim(func.json_value(RejectedCells.cells, f"$[{place}]")).in_(keys),
            )
            connection.execute(blank.values(cells=[WITHOUT] * len(header)))


def _names(connection: Connection, values: dict[str, Any]) -> set[str]:
    """Every name that the customer is or was known by."""
    query = text(f"SELECT DISTINCT name FROM customer_records WHERE book_id = :book AND key_id IN {_MINE}")
    return {name for name in connection.execute(query, values).scalars() if len(name) >= _NAMES_LEAST}


def _end_links(connection: Connection, named: set[str], keys: Sequence[str], values: dict[str, Any]) -> None:
    """End what shows, as it was, an answer in which the customer stands: links for somebody outside, and what findings
    of briefs kept, which are live from now on."""
    queries = (
        "DELETE FROM shared_links WHERE book_id = :book AND LOCATE(:form, frozen)",
        f"UPDATE findings SET live = TRUE, kept = NULL WHERE {_OF_BRIEFS} AND LOCATE(:form, kept)",
    )
    written = {json.dumps(name, ensure_ascii=ascii)[1:-1] for name in named for ascii in (False, True)}
    # a number of a customer may be short, so that only a text that is nothing else is taken for it
    for form in written | {json.dumps(key) for key in keys}:
        for query in queries:
            connection.execute(text(query), {**values, "form": form})


def _take_out_of_words(connection: Connection, named: set[str], values: dict[str, Any]) -> None:
    """Take names out of texts, as they stand there: plain, in the query of an address, in JSON."""
    written = {form for name in named for form in (name, quote_plus(name), quote(name), json.dumps(name)[1:-1])}
    for form in sorted(written, key=len, reverse=True):
        # in the query of an address a mark stands before it as two digits
        pattern = f"(?i)(?:(?<![[:alnum:]])|(?<=%[[:xdigit:]]{{2}})){re.escape(form)}(?![[:alnum:]])"
        for table, column, where in _WORDS:
            replaced = f"REGEXP_REPLACE({column}, :pattern, '{WITHOUT}')"
            query = f"UPDATE {table} SET {column} = {replaced} WHERE {where} AND {column} REGEXP :pattern"
            connection.execute(text(query), {**values, "pattern": pattern})
