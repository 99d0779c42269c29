"""Every list stands by any of its columns, both ways, whole and in parts, on screen and in files."""

from __future__ import annotations

import math
import tempfile
import unittest
from pathlib import Path
from typing import Any

from tests.support.sharing import deliver, write_csv
from tests.support.threads import ThreadsCase

SPEND = (
    ("month", "channel", "amount"),
    ("2024-01", "search", "120"),
    ("2024-03", "letter", "40"),
    ("2024-03", "search", "75"),
)
LISTS: dict[str, dict[str, Any]] = {
    "due": {"within": "90d"},
    "gaps": {"by": "customer"},
    "spend": {},
    "top-customers": {},
    "bought": {},
}
"""Lists whose files have the columns that they stand by, and what makes them long."""


def number(cell: str) -> float | str:
    """A cell as a figure where it is one; an empty one is not a number."""
    try:
        return float(cell) if cell else math.nan
    except ValueError:
        return cell.casefold()


class Sequence(ThreadsCase):
    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        with tempfile.TemporaryDirectory() as folder:
            deliver(cls.workspace, cls.book, write_csv(Path(folder) / "spend.csv", SPEND), "office")

    def columns(self, of: str, **query: Any) -> list[str]:
        """The columns that a list can stand by, as it says itself."""
        told = self.problem(self.client.get(self.path(of, sort="none", **query)), 422)
        self.assertEqual(told["field"], "sort")
        return str(told["remedy"]).removeprefix("Choose one of: ").removesuffix(".").split(", ")

    def test_rows_stand_by_any_column_either_way_and_lose_none(self) -> None:
        for of, query in LISTS.items():
            usual = self.table(of, **query)
            self.assertGreater(len(usual), 2, of)
            for column in self.columns(of, **query):
                for way in ("up", "down"):
                    rows = self.table(of, sort=f"{column}~{way}", **query)
                    with self.subTest(of=of, column=column, way=way):
                        self.assertCountEqual([*map(str, rows)], [*map(str, usual)])
                        known = [number(row[column]) for row in rows if row.get(column)]
                        if column == "channel":
                            known = [each for each in known if each != "all"]
                        self.assertEqual(known, sorted(known, reverse=way == "down"))
                        missing = [row.get(column) == "" for row in rows]
                        self.assertEqual(missing, sorted(missing))

    def test_a_part_of_a_list_is_that_of_the_whole(self) -> None:
        whole = self.ask("due", within="90d", sort="revenue~down", limit=200)
        self.assertIn("Rows by revenue, largest first.", "".join(part["text"] for part in whole["manner"]))
        parts = [
            self.ask("due", within="90d", sort="revenue~down", offset=offset, limit=2)["rows"]
            for offset in range(0, whole["count"], 2)
        ]
        self.assertEqual([row for part in parts for row in part], whole["rows"])
        revenue = [float(row["revenue"]) for row in whole["rows"]]
        self.assertEqual(revenue, sorted(revenue, reverse=True))

    def test_gaps_of_orders_and_of_groups_and_pairs_stand_by_their_columns(self) -> None:
        gaps = self.ask("gaps", by="order", sort="gap~up")["rows"]
        self.assertEqual([row["median"] for row in gaps], sorted(row["median"] for row in gaps))
        groups = self.ask("gaps", by="source", sort="count~down")["groups"]
        counts = [group["statistics"]["gaps"] for group in groups]
        self.assertEqual(counts, sorted(counts, reverse=True))
        steps = [group["label"] for group in self.ask("gaps", sort="group~up")["groups"]]
        self.assertEqual(steps, [group["label"] for group in self.ask("gaps")["groups"]])
        pairs = self.ask("pairs", columns="source", sort="2~down")
        first = [next((pair["earliest"] for pair in row["pairs"] if pair["column"] == 1), "") for row in pairs["rows"]]
        self.assertEqual(first, sorted(first, reverse=True))
        labels = [row["label"] for row in self.ask("pairs", columns="source", sort="row")["rows"]]
        self.assertEqual(labels, sorted(labels, key=str.casefold))
        with self.subTest("the file has the same sequence"):
            table = self.table("pairs", columns="source", sort="row")
            self.assertEqual([*dict.fromkeys(row["name"] for row in table)], labels)

    def test_the_largest_keep_their_places_and_what_they_brought_together(self) -> None:
        usual = {row["place"]: row for row in self.ask("top-customers")["rows"]}
        rows = self.ask("top-customers", sort="orders~down", top="50")["rows"]
        self.assertEqual(rows, [usual[row["place"]] for row in rows])
        orders = [row["orders"] for row in rows]
        self.assertEqual(orders, sorted(orders, reverse=True))


if __name__ == "__main__":
    unittest.main()
