"""What a server holds after many readings, beside what it may: 110 MiB and 1.8 times the columns of
its book more than before its first question."""

from __future__ import annotations

from tests.support.large import MIB, QUESTIONS, filed, held_after
from tests.support.running import Place

from bench.timing import Row

BESIDE = "110 MiB and 1.8 times the columns more than at first"


def memory_rows(orders: int, rounds: int) -> list[Row]:
    """MiB of a process that answered ten kinds of questions of a book of so many orders, so many rounds of them, each
    question as of another day."""
    place = Place()
    try:
        book_id = filed(place.workspace(), orders)
        once = held_after(place, book_id, 0)
        columns = once.columns / MIB
        rows = [Row("everything asked once", once.resident / MIB, columns, "the columns", "MiB")]
        for readings in (len(QUESTIONS), rounds * len(QUESTIONS)):
            held = held_after(place, book_id, readings)
            allowed = held.before / MIB + 110 + 1.8 * columns
            rows.append(Row(f"after {readings} readings", held.resident / MIB, allowed, BESIDE, "MiB"))
        return rows
    finally:
        place.close()
