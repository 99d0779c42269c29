"""Own attributes of orders: coded while they are staged, compared with the book, written as codes.

Every delivery has a dictionary of its own: the values of each of its attributes, and the codes that stand for them in
its orders. So nothing that is on record changes when a delivery comes or goes, and an order has whole numbers only.
Code 0 is a blank while staged, and NULL on record.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from sqlalchemy import Connection, text

from goldthread.core.history.fields import is_taken
from goldthread.core.limits import ATTRIBUTE_VALUES_MOST, ATTRIBUTES_MOST
from goldthread.core.records import AttributeType
from goldthread.errors import TooLarge
from goldthread.store.write.delivery import Place
from goldthread.store.write.loading import load

_VALUES = """
CREATE TEMPORARY TABLE staged_values (place SMALLINT NOT NULL, code INT NOT NULL,
  value VARCHAR(255) COLLATE utf8mb4_bin NOT NULL, PRIMARY KEY (place, code)) ENGINE=Aria TRANSACTIONAL=0
"""
_COMPARED_AT_ONCE = 50
"""A statement joins 61 tables at most."""


def staged_columns(count: int) -> tuple[str, ...]:
    """The columns of the staging table that hold the codes of so many attributes."""
    return tuple(f"own_{place} INT NOT NULL" for place in range(1, count + 1))


class Coder:
    """The attributes of a delivery, coded row by row, in the sequence of the staged columns."""

    def __init__(self, names: Iterable[str]) -> None:
        self._codes: dict[str, dict[str, str]] = {name: {"": "0"} for name in names}

    def __len__(self) -> int:
        return len(self._codes)

    def code(self, attributes: Mapping[str, Sequence[str]]) -> list[list[str]]:
        """The codes of some rows, one column per attribute. Raises `TooLarge` for one with too many values."""
        coded = []
        for name, codes in self._codes.items():
            texts = attributes[name]
            for value in dict.fromkeys(texts):
                if value not in codes:
                    codes[value] = str(len(codes))
            if len(codes) > ATTRIBUTE_VALUES_MOST:
                raise TooLarge(
                    f"“{name}” has more than {ATTRIBUTE_VALUES_MOST} different values.",
                    remedy="Leave the column out: with so many values nothing can be grouped by it.",
                    field="further",
                )
            coded.append(list(map(codes.__getitem__, texts)))
        return coded

    def load_values(self, connection: Connection) -> None:
        """Put the dictionaries beside the staged rows."""
        connection.execute(text(_VALUES))
        for place, codes in enumerate(self._codes.values(), 1):
            rows = [(str(place), code, value) for value, code in codes.items() if value]
            load(connection, "staged_values", ("place", "code", "value"), rows, len(rows))


_BEST = """
CREATE TEMPORARY TABLE best (file_row INT NOT NULL PRIMARY KEY, code INT NOT NULL) ENGINE=Aria TRANSACTIONAL=0
SELECT file_row, code FROM (
  SELECT d.file_row, s.own_{place} AS code,
    ROW_NUMBER() OVER (PARTITION BY d.file_row ORDER BY SUM(s.amount) DESC, v.value) AS nth
  FROM staged s STRAIGHT_JOIN staged_orders d ON d.file_row = s.first_row
  JOIN staged_values v ON v.place = {place} AND v.code = s.own_{place}
  WHERE d.several_{place} GROUP BY d.file_row, s.own_{place}, v.value) ranked WHERE nth = 1
"""


def rolled_up(count: int) -> str:
    """The columns of rolled-up orders: any code of each attribute, and whether its lines have several."""
    return "".join(
        f", MAX(own_{place}) AS own_{place}, "
        f"COALESCE(MIN(NULLIF(own_{place}, 0)) <> MAX(own_{place}), FALSE) AS several_{place}"
        for place in range(1, count + 1)
    )


def settle_lines(connection: Connection, count: int) -> None:
    """Of lines that differ, an order takes the value with the largest amount, ties by text (definitions, 1.8)."""
    for place in range(1, count + 1):
        differing = text(f"SELECT COUNT(*) FROM staged_orders WHERE several_{place}")
        if connection.execute(differing).scalar_one():
            connection.execute(text(_BEST.format(place=place)))
            taken = f"UPDATE staged_orders o JOIN best b ON b.file_row = o.file_row SET o.own_{place} = b.code"
            connection.execute(text(taken))
            connection.execute(text("DROP TEMPORARY TABLE best"))


def same_as(other: str, count: int) -> str:
    """SQL that compares the attributes of the staged row ``s`` with those of another."""
    return "".join(f" AND s.own_{place} = {other}.own_{place}" for place in range(1, count + 1))


def slots_of(connection: Connection, book_id: int) -> dict[str, int]:
    """The slots of a book's attributes, by name."""
    found = connection.execute(text("SELECT name, slot FROM own_attributes WHERE book_id = :book"), {"book": book_id})
    return {row.name: row.slot for row in found}


_DIFFERS = """
CREATE TEMPORARY TABLE own_differs (file_row INT NOT NULL PRIMARY KEY) ENGINE=Aria TRANSACTIONAL=0
"""
_SAME_VALUES = """
CREATE TEMPORARY TABLE own_same (place SMALLINT NOT NULL, delivery_id INT NOT NULL, old_code INT NOT NULL,
  code INT NOT NULL, PRIMARY KEY (place, delivery_id, old_code)) ENGINE=Aria TRANSACTIONAL=0
"""
_FIND_SAME = """
INSERT INTO own_same SELECT n.place, v.delivery_id, v.code, n.code FROM staged_values n
JOIN own_values v ON v.book_id = :book AND v.slot = :slot AND v.value = n.value WHERE n.place = :place
"""
_FIND_DIFFERING = """
INSERT IGNORE INTO own_differs SELECT s.file_row FROM {table} s
STRAIGHT_JOIN orders o ON o.source_id = :source AND o.order_number = s.order_number AND o.current
LEFT JOIN own_codes x ON x.book_id = o.book_id AND x.order_id = o.id {joins} WHERE NOT ({same})
"""


def compare(connection: Connection, place: Place, table: str, names: Sequence[str]) -> None:
    """Make ``own_differs``: the staged rows whose order is on record with other attributes."""
    connection.execute(text(_DIFFERS))
    slots = slots_of(connection, place.book_id)
    conditions = [(f"x.own_{slot} IS NULL", "") for name, slot in slots.items() if name not in names]
    if names:
        connection.execute(text(_SAME_VALUES))
    for at, name in enumerate(names, 1):
        slot = slots.get(name)
        if slot is None:
            conditions.append((f"s.own_{at} = 0", ""))
            continue
        connection.execute(text(_FIND_SAME), {"book": place.book_id, "slot": slot, "place": at})
        conditions.append(
            (
                f"IF(x.own_{slot} IS NULL, s.own_{at} = 0, m{at}.code <=> s.own_{at})",
                f" LEFT JOIN own_same m{at} ON m{at}.place = {at} AND m{at}.delivery_id = o.delivery_id "
                f"AND m{at}.old_code = x.own_{slot}",
            )
        )
    for start in range(0, len(conditions), _COMPARED_AT_ONCE):
        some = conditions[start : start + _COMPARED_AT_ONCE]
        same, joins = " AND ".join(each for each, _ in some), "".join(join for _, join in some)
        statement = _FIND_DIFFERING.format(table=table, joins=joins, same=same)
        connection.execute(text(statement), {"source": place.source_id})


def take_slots(connection: Connection, place: Place, types: Mapping[str, AttributeType]) -> list[int]:
    """The slots of a delivery's attributes, new ones given out. Raises `TooLarge` when the book has no more."""
    known = slots_of(connection, place.book_id)
    slots: list[int] = []
    for name in types:
        if name not in known:
            known[name] = _free_slot(connection, place, known)
        slots.append(known[name])
    return slots


def _free_slot(connection: Connection, place: Place, known: dict[str, int]) -> int:
    taken = set(known.values())
    free = next((slot for slot in range(1, ATTRIBUTES_MOST + 1) if slot not in taken), None)
    if free is not None:
        return free
    unused = connection.execute(
        text(
            "SELECT a.slot, a.name FROM own_attributes a LEFT JOIN own_columns c ON c.book_id = a.book_id "
            "AND c.slot = a.slot WHERE a.book_id = :book AND c.slot IS NULL LIMIT 1"
        ),
        {"book": place.book_id},
    ).first()
    if unused is None:
        raise TooLarge(
            f"The orders of this book have {ATTRIBUTES_MOST} attributes already.",
            remedy="Choose “not kept” for columns of this file that nobody asks for.",
            field="further",
        )
    connection.execute(
        text("DELETE FROM own_attributes WHERE book_id = :book AND slot = :slot"),
        {"book": place.book_id, "slot": unused.slot},
    )
    del known[unused.name]
    return int(unused.slot)


def describe(connection: Connection, place: Place, types: Mapping[str, AttributeType], slots: Sequence[int]) -> None:
    """Keep a delivery's attributes and their dictionaries."""
    for at, (name, kind) in enumerate(types.items(), 1):
        values = {"book": place.book_id, "delivery": place.delivery_id, "slot": slots[at - 1], "place": at}
        connection.execute(
            text("INSERT IGNORE INTO own_attributes VALUES (:book, :slot, :name, :title, FALSE)"),
            values | {"name": name, "title": _title(connection, place, name)},
        )
        connection.execute(
            text("INSERT INTO own_columns VALUES (:book, :delivery, :slot, :kind)"), values | {"kind": kind.value}
        )
        connection.execute(
            text(
                "INSERT INTO own_values SELECT :book, :delivery, :slot, code, value FROM staged_values "
                "WHERE place = :place"
            ),
            values,
        )


def _title(connection: Connection, place: Place, name: str) -> str:
    """What an attribute is called until somebody calls it otherwise; by its source too where a field of ours has the
    name."""
    title = name.replace("_", " ")
    if not is_taken(name):
        return title
    source = connection.execute(text("SELECT name FROM sources WHERE id = :id"), {"id": place.source_id}).scalar_one()
    return f"{title} ({source})"


def insert_statement(table: str, slots: Sequence[int]) -> str:
    """SQL that writes the codes of staged orders between two rows of the file."""
    staged = [f"s.own_{place}" for place in range(1, len(slots) + 1)]
    names, codes = (", ".join(f"own_{slot}" for slot in slots)), ", ".join(f"NULLIF({name}, 0)" for name in staged)
    return (
        f"INSERT INTO own_codes (book_id, order_id, {names}) SELECT :book, :base + s.file_row, {codes} FROM {table} s "
        f"WHERE s.file_row BETWEEN :low AND :high AND ({' OR '.join(staged)})"
    )


_CARRY = """
INSERT INTO own_codes SELECT :book, :base + s.file_row, {codes} FROM staged s
STRAIGHT_JOIN orders o ON o.source_id = :source AND o.order_number = s.order_number AND o.current
  AND o.delivery_id <> :delivery
JOIN own_codes x ON x.book_id = o.book_id AND x.order_id = o.id
"""
_CARRIED = """
FROM staged s STRAIGHT_JOIN orders o ON o.source_id = :source AND o.order_number = s.order_number AND o.current
  AND o.delivery_id <> :delivery
JOIN own_columns c ON c.book_id = o.book_id AND c.delivery_id = o.delivery_id
"""


def carry_over(connection: Connection, place: Place) -> None:
    """Give an order that is corrected by hand the attributes that it has: nobody writes them down by hand."""
    codes = ", ".join(f"x.own_{slot}" for slot in range(1, ATTRIBUTES_MOST + 1))
    statements = (
        f"INSERT INTO own_columns SELECT DISTINCT :book, :delivery, c.slot, c.type {_CARRIED}",
        f"INSERT INTO own_values SELECT DISTINCT :book, :delivery, v.slot, v.code, v.value {_CARRIED} "
        "JOIN own_values v ON v.book_id = c.book_id AND v.delivery_id = c.delivery_id AND v.slot = c.slot "
        "JOIN own_codes x ON x.book_id = o.book_id AND x.order_id = o.id AND v.code = CASE c.slot "
        + " ".join(f"WHEN {slot} THEN x.own_{slot}" for slot in range(1, ATTRIBUTES_MOST + 1))
        + " END",
        _CARRY.format(codes=codes),
    )
    for statement in statements:
        connection.execute(text(statement), place.values)


def remove(connection: Connection, book_id: int, delivery_id: int) -> None:
    """Take out what a delivery said its attributes are; its orders' codes go with the orders."""
    for table in ("own_values", "own_columns"):
        connection.execute(
            text(f"DELETE FROM {table} WHERE book_id = :book AND delivery_id = :delivery"),
            {"book": book_id, "delivery": delivery_id},
        )
