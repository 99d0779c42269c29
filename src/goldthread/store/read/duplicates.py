"""Customers that look like one: one e-mail claimed under two numbers, or one name in one town."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from itertools import combinations

from sqlalchemy import BindParameter, Connection, Engine, bindparam, text

from goldthread.core.limits import SAID_OF_MOST
from goldthread.core.records import KeyKind, Verdict
from goldthread.errors import NotFound
from goldthread.store.server.engine import transaction


class Likeness(StrEnum):
    """Why customers look like one."""

    EMAIL = "email"
    NAME_AND_TOWN = "name_and_town"


@dataclass(frozen=True)
class Known:
    """A customer as a list shows it: every key, how many current orders and the newest of their dates."""

    id: int
    name: str
    town: str
    keys: list[str]
    orders: int
    latest: str


@dataclass(frozen=True)
class Duplicate:
    """Customers that look like one, and in what. ``word``: as `newest_match` gives it. Of many, as many are shown as
    something can be said of at once, those first of whom nothing was said; ``customer_count`` is how many there are."""

    likeness: Likeness
    alike: str
    customers: list[Known]
    customer_count: int
    word: int


_BY_EMAIL = """
SELECT MIN(e.value) AS alike, GROUP_CONCAT(DISTINCT owner ORDER BY owner LIMIT {members}), COUNT(DISTINCT owner) FROM (
  SELECT r.email_key_id AS email, k.customer_id AS owner FROM customer_records r JOIN customer_keys k ON k.id = r.key_id
  WHERE r.book_id = :book AND r.email_key_id IS NOT NULL
  UNION SELECT r.email_key_id, k.customer_id FROM customer_records r JOIN customer_keys k ON k.id = r.email_key_id
  WHERE r.book_id = :book AND r.email_key_id IS NOT NULL) claims
JOIN customer_keys e ON e.id = claims.email GROUP BY claims.email HAVING COUNT(DISTINCT owner) > 1
ORDER BY claims.email LIMIT {groups}
"""
_BY_NAME = """
SELECT CONCAT(MIN(name), ', ', MIN(town)), GROUP_CONCAT(id ORDER BY id LIMIT {members}), COUNT(*) FROM customers
WHERE book_id = :book AND town <> '' GROUP BY name, town HAVING COUNT(*) > 1 ORDER BY name, town LIMIT {groups}
"""
_SAID = """
SELECT a.customer_id, b.customer_id, m.verdict, m.delivery_id FROM matches m JOIN customer_keys a ON a.id = m.key_id
JOIN customer_keys b ON b.id = m.other_key_id WHERE m.book_id = :book ORDER BY m.delivery_id, m.file_row
"""
_NEWEST_WORD = """
SELECT COALESCE(MAX(m.delivery_id), 0) FROM matches m JOIN customer_keys a ON a.id = m.key_id
JOIN customer_keys b ON b.id = m.other_key_id
WHERE m.book_id = :book AND a.customer_id IN :ids AND b.customer_id IN :ids
"""
_KNOWN = """
SELECT c.id, c.name, c.town, (SELECT COUNT(*) FROM customer_keys k JOIN orders o ON o.customer_key_id = k.id
    WHERE k.customer_id = c.id AND o.current),
  (SELECT MAX(o.ordered_on) FROM customer_keys k JOIN orders o ON o.customer_key_id = k.id
    WHERE k.customer_id = c.id AND o.current)
FROM customers c WHERE c.id IN :ids
"""
_KEYS = """
SELECT customer_id, value FROM customer_keys WHERE customer_id IN :ids ORDER BY kind DESC, value
"""


GROUPS_MOST, MEMBERS_MOST = 10_000, 1_000
"""Groups of each likeness, and members of each group, that are looked at."""


def possible_duplicates(engine: Engine, book_id: int, offset: int, limit: int) -> tuple[int, list[Duplicate]]:
    """How many groups of customers look like one, and some of them; pairs that were said to be two are left out."""
    with transaction(engine) as connection:
        connection.execute(text("SET SESSION group_concat_max_len = 1000000"))
        said = _said(connection, book_id)
        spoken_of = {customer for pair in said for customer in pair}
        groups: dict[tuple[int, ...], tuple[Likeness, str, int]] = {}
        for likeness, query in ((Likeness.EMAIL, _BY_EMAIL), (Likeness.NAME_AND_TOWN, _BY_NAME)):
            bounded = text(query.format(groups=GROUPS_MOST, members=MEMBERS_MOST))
            for alike, listed, count in connection.execute(bounded, {"book": book_id}):
                ids = tuple(int(each) for each in listed.split(","))
                if _is_open(ids, said):
                    groups.setdefault(ids, (likeness, alike, int(count)))
        chosen = [
            (sorted(sorted(ids, key=lambda customer: (customer in spoken_of, customer))[:SAID_OF_MOST]), about)
            for ids, about in list(groups.items())[offset : offset + limit]
        ]
        known = known_customers(connection, [each for ids, _ in chosen for each in ids])
    duplicates = [
        Duplicate(
            likeness,
            alike,
            [known[each] for each in ids],
            count,
            max(said.get(frozenset(pair), (None, 0))[1] for pair in combinations(ids, 2)),
        )
        for ids, (likeness, alike, count) in chosen
    ]
    return len(groups), duplicates


def _is_open(ids: tuple[int, ...], said: Mapping[frozenset[int], tuple[str, int]]) -> bool:
    """Whether something can still be said of some customers: not every pair was said to be two."""
    return any(said.get(frozenset(pair), (None, 0))[0] != Verdict.APART for pair in combinations(ids, 2))


def _said(connection: Connection, book_id: int) -> dict[frozenset[int], tuple[str, int]]:
    """The newest word on each pair of customers, and the delivery that brought it."""
    return {
        frozenset((int(one), int(other))): (verdict, int(delivery))
        for one, other, verdict, delivery in connection.execute(text(_SAID), {"book": book_id})
    }


def known_customers(connection: Connection, ids: Iterable[int]) -> dict[int, Known]:
    """Customers by id, with their keys and how often they ordered."""
    listed = sorted(set(ids))
    if not listed:
        return {}
    wanted: BindParameter[Sequence[int]] = bindparam("ids", listed, expanding=True)
    keys: dict[int, list[str]] = {}
    for customer, value in connection.execute(text(_KEYS).bindparams(wanted)):
        keys.setdefault(customer, []).append(value)
    rows = connection.execute(text(_KNOWN).bindparams(wanted))
    return {
        row[0]: Known(row[0], row[1], row[2], keys.get(row[0], []), int(row[3]), row[4].isoformat() if row[4] else "")
        for row in rows
    }


def keys_of(connection: Connection, book_id: int, customer_ids: Iterable[int]) -> list[tuple[KeyKind, str]]:
    """The key that stands for each of some customers of a book. Raises `NotFound`."""
    found = []
    for customer in customer_ids:
        row = connection.execute(
            text("SELECT kind, value FROM customer_keys WHERE id = :id AND customer_id = :id AND book_id = :book"),
            {"id": customer, "book": book_id},
        ).first()
        if row is None:
            raise NotFound("That customer is not in the book any more.", remedy="Look at the list anew.")
        found.append((KeyKind(row[0]), str(row[1])))
    return found


def newest_match(connection: Connection, book_id: int, customer_ids: Iterable[int]) -> int:
    """The delivery of the newest word on any pair of these customers; 0 when nothing was said of them."""
    ids = sorted(set(customer_ids))
    found = connection.execute(
        text(_NEWEST_WORD).bindparams(bindparam("ids", ids, expanding=True)), {"book": book_id}
    ).scalar_one()
    return int(found)
