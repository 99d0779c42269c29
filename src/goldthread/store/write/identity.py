"""Who is who: keys, records and matches come down to customers (``docs/definitions.md``, 1.3).

Everything here is worked out from what the deliveries of a book say, in their sequence, and can therefore be worked
out again when one is withdrawn:

* a number stands for one customer;
* an e-mail belongs to the number whose record claimed it first, else it stands for a customer of its own;
* matches that somebody made join what these two rules leave apart; the newest word on a pair counts;
* the fields of a customer are those that its records give, each by the newest record that gives it.

Only what a delivery touches is worked out: `gather` finds the keys before the records change, `settle` gives them their
customers afterwards.
"""

from __future__ import annotations

from sqlalchemy import Connection, text

from goldthread.core.records import Progress, Verdict, unreported
from goldthread.store.write.loading import load

_TOUCHED = "CREATE TEMPORARY TABLE touched (key_id BIGINT NOT NULL PRIMARY KEY) ENGINE=Aria TRANSACTIONAL=0"
_OTHER_CLAIMS = """
INSERT IGNORE INTO touched SELECT r.key_id FROM touched t JOIN customer_records r ON r.email_key_id = t.key_id
"""
_PARTNERS = (
    "INSERT IGNORE INTO touched SELECT m.other_key_id FROM touched t JOIN matches m ON m.key_id = t.key_id",
    "INSERT IGNORE INTO touched SELECT m.key_id FROM touched t JOIN matches m ON m.other_key_id = t.key_id",
)
_OWNERS = """
CREATE TEMPORARY TABLE owners (customer_id BIGINT NOT NULL PRIMARY KEY)
SELECT DISTINCT k.customer_id FROM touched t JOIN customer_keys k ON k.id = t.key_id WHERE k.customer_id <> 0
"""
_WHOLE_OWNERS = """
INSERT IGNORE INTO touched SELECT k.id FROM owners o JOIN customer_keys k ON k.customer_id = o.customer_id
"""


def gather(connection: Connection, keys: str, values: dict[str, object]) -> None:
    """Make ``touched``: the keys that a query gives, and all whose customer may become another by them."""
    connection.execute(text(_TOUCHED))
    connection.execute(text(f"INSERT IGNORE INTO touched {keys}"), values)
    for statement in (_OTHER_CLAIMS, *_PARTNERS, _OWNERS, _WHOLE_OWNERS):
        connection.execute(text(statement))


_CLAIMS = """
CREATE TEMPORARY TABLE claims (email_key_id BIGINT NOT NULL PRIMARY KEY, number_key_id BIGINT NOT NULL)
SELECT email_key_id, number_key_id FROM (
  SELECT r.email_key_id, r.key_id AS number_key_id,
    ROW_NUMBER() OVER (PARTITION BY r.email_key_id ORDER BY r.delivery_id, r.file_row) AS nth
  FROM touched t JOIN customer_records r ON r.email_key_id = t.key_id) claimed WHERE nth = 1
"""
_RESOLVED = """
CREATE TEMPORARY TABLE resolved (key_id BIGINT NOT NULL PRIMARY KEY, root BIGINT NOT NULL, KEY (root))
SELECT t.key_id, COALESCE(c.number_key_id, t.key_id) AS root FROM touched t
JOIN customer_keys k ON k.id = t.key_id LEFT JOIN claims c ON c.email_key_id = t.key_id
"""
_WORDS = """
SELECT a.root, b.root, m.key_id, m.other_key_id, m.verdict FROM matches m
JOIN resolved a ON a.key_id = m.key_id JOIN resolved b ON b.key_id = m.other_key_id
ORDER BY m.delivery_id, m.file_row
"""
_MOVED = """
CREATE TEMPORARY TABLE moved (was BIGINT NOT NULL PRIMARY KEY, becomes BIGINT NOT NULL) ENGINE=Aria TRANSACTIONAL=0
"""
_ROOTS = "CREATE TEMPORARY TABLE roots (root BIGINT NOT NULL PRIMARY KEY) SELECT DISTINCT root FROM resolved"
_GIVE = """
UPDATE customer_keys k JOIN resolved r ON r.key_id = k.id SET k.customer_id = r.root WHERE k.customer_id <> r.root
"""
_DROP_OLD = """
DELETE c FROM customers c JOIN owners o ON o.customer_id = c.id LEFT JOIN roots r ON r.root = c.id WHERE r.root IS NULL
"""
_MAKE_NEW = """
INSERT INTO customers (id, book_id, name, town, closed, do_not_contact, attributes)
SELECT k.id, k.book_id, k.value, '', FALSE, FALSE, '{}' FROM roots r JOIN customer_keys k ON k.id = r.root
LEFT JOIN customers c ON c.id = r.root WHERE c.id IS NULL
"""
_FIELDS = """
CREATE TEMPORARY TABLE fields (customer_id BIGINT NOT NULL PRIMARY KEY, name VARCHAR(255) NOT NULL,
  town VARCHAR(120) NOT NULL, closed TINYINT NOT NULL, do_not_contact TINYINT NOT NULL, attributes LONGTEXT NOT NULL)
ENGINE=Aria TRANSACTIONAL=0
SELECT k.id AS customer_id, k.value AS name, '' AS town, 0 AS closed, 0 AS do_not_contact, '{}' AS attributes
FROM roots r JOIN customer_keys k ON k.id = r.root
"""
_FIRST_KEY = """
UPDATE fields f JOIN (
  SELECT r.root, COALESCE(MIN(IF(k.kind = 'number', k.value, NULL)), MIN(k.value)) AS first_key
  FROM resolved r JOIN customer_keys k ON k.id = r.key_id GROUP BY r.root HAVING COUNT(*) > 1
) several ON several.root = f.customer_id SET f.name = several.first_key
"""
"""Of several keys that stand for a customer, the first is shown, and names who has no name."""
_TOLD = """
CREATE TEMPORARY TABLE filled (nth INT NOT NULL, customer_id BIGINT NOT NULL, book_id INT NOT NULL,
  delivery_id INT NOT NULL, file_row INT NOT NULL, PRIMARY KEY (nth, customer_id))
SELECT ROW_NUMBER() OVER (PARTITION BY x.root ORDER BY r.delivery_id, r.file_row) AS nth, x.root AS customer_id,
  r.book_id, r.delivery_id, r.file_row
FROM resolved x JOIN customer_records r ON r.key_id = x.key_id
"""
_FILL = """
UPDATE filled t JOIN fields f ON f.customer_id = t.customer_id
JOIN customer_records r ON r.book_id = t.book_id AND r.delivery_id = t.delivery_id AND r.file_row = t.file_row
SET f.name = IF(r.name = '', f.name, r.name), f.town = IF(r.town = '', f.town, r.town),
  f.closed = COALESCE(r.closed, f.closed), f.do_not_contact = COALESCE(r.do_not_contact, f.do_not_contact),
  f.attributes = IF(f.attributes IN ('{}', r.attributes), r.attributes, JSON_MERGE_PATCH(f.attributes, r.attributes))
WHERE t.nth = :nth
"""
_TAKE_OVER = """
UPDATE fields f JOIN customers c ON c.id = f.customer_id
SET c.name = f.name, c.town = f.town, c.closed = f.closed, c.do_not_contact = f.do_not_contact,
  c.attributes = f.attributes
WHERE BINARY c.name <> BINARY f.name OR BINARY c.town <> BINARY f.town OR c.closed <> f.closed
  OR c.do_not_contact <> f.do_not_contact OR c.attributes <> f.attributes
"""


def settle(connection: Connection, progress: Progress = unreported) -> None:
    """Give the touched keys their customers, and the customers their fields. ``progress`` is called at each step."""
    connection.execute(text(_CLAIMS))
    connection.execute(text(_RESOLVED))
    are_matched = _join_matched(connection)
    steps = (_ROOTS, _GIVE, _DROP_OLD, _MAKE_NEW, _FIELDS, *([_FIRST_KEY] if are_matched else []), _TOLD)
    for step, statement in enumerate(steps):
        progress("settling", step, len(steps) + 1)
        connection.execute(text(statement))
    most = connection.execute(text("SELECT COALESCE(MAX(nth), 0) FROM filled")).scalar_one()
    for nth in range(1, most + 1):
        progress("settling", len(steps) + nth, len(steps) + most + 1)
        connection.execute(text(_FILL), {"nth": nth})
    connection.execute(text(_TAKE_OVER))


def _join_matched(connection: Connection) -> bool:
    """Customers that somebody said are one take the smallest of their ids; whether there are any."""
    newest: dict[frozenset[int], tuple[int, int, bool]] = {}
    for root, other, key, other_key, verdict in connection.execute(text(_WORDS)):
        newest[frozenset((key, other_key))] = (root, other, verdict == Verdict.ONE)
    parent: dict[int, int] = {}

    def top(root: int) -> int:
        while root in parent:
            root = parent[root]
        return root

    for root, other, is_one in newest.values():
        low, high = sorted((top(root), top(other)))
        if is_one and low != high:
            parent[high] = low
    moved = [(str(root), str(top(root))) for root in parent]
    if moved:
        connection.execute(text(_MOVED))
        load(connection, "moved", ("was", "becomes"), moved, len(moved))
        connection.execute(text("UPDATE resolved r JOIN moved m ON m.was = r.root SET r.root = m.becomes"))
    return bool(moved)
