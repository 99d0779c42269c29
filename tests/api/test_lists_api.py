"""Customer lists through the API: kept from any list or figure, used, renamed, deleted."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path
from typing import Any
from urllib.parse import urlencode

from tests.support import tiny
from tests.support.sharing import tiny_book
from tests.support.threads import AS_OF, ThreadsCase


class CustomerLists(ThreadsCase):
    def keep(self, question: str, **query: Any) -> Any:
        path = f"{self.at}/ask/{question}/list?{urlencode({'as_of': AS_OF} | query)}"
        reply = self.changed("POST", path, json={"name": ""})
        self.assertEqual(reply.status_code, 201, reply.text)
        return reply.get_json()

    def test_a_list_is_shown_alone_compared_with_everybody_else_or_left_out(self) -> None:
        kept = self.keep("customers", where="first_source = 'counter'")
        name = kept["name"]
        self.assertEqual(name, "Customers where first source is counter")
        alone = self.ask("customers", list=name)
        against = self.ask("customers", list=name, list_as="against")
        without = self.ask("customers", list=name, list_as="without")
        self.assertEqual(against["tally"], alone["tally"])
        self.assertEqual(against["rest_tally"], without["tally"])
        self.assertEqual(alone["count"] + without["count"], 15)
        readings = ["".join(part["text"] for part in each["reading"]) for each in (alone, against, without)]
        self.assertIn(f"; only {name} ({alone['count']} customers)", readings[0])
        self.assertIn(f"; {name} ({alone['count']} customers) compared with everybody else", readings[1])
        self.assertIn(f"; without {name} ({alone['count']} customers)", readings[2])
        table = self.ask("cohorts", list=name, list_as="against")
        rest = self.ask("cohorts", list=name, list_as="without")
        self.assertEqual(table["customers"], alone["tally"]["with_orders"])
        self.assertEqual(table["rest"], rest["all"])
        listed = self.get(f"{self.at}/lists")["lists"]
        self.assertIn(kept, listed)
        named = self.changed("PUT", f"{self.at}/lists/{kept['id']}", json={"name": "Counter people"})
        self.assertIn("Counter people", [each["name"] for each in named.get_json()["lists"]])
        self.assertEqual(self.ask("customers", list="counter people")["count"], alone["count"])
        left = self.changed("DELETE", f"{self.at}/lists/{kept['id']}").get_json()["lists"]
        self.assertEqual(len(left), len(listed) - 1)
        self.problem(self.client.get(f"{self.at}/ask/customers?list={name}"), 404)

    def test_what_is_kept_is_what_the_list_or_figure_counts(self) -> None:
        cases: dict[str, dict[str, Any]] = {
            "nth": {"rank": "4"},
            "backdated": {},
            "cohorts": {"cohort": "2024-05", "age": "13"},
            "newness": {"at": "2024-02", "side": "returning"},
            "thread": {"customer": self.customer("C04")["customer"]},
            "orders": {"where": "source = 'phone'"},
        }
        phone = len({row["customer"] for row in self.table("orders", where="source = 'phone'")})
        wanted = (2, len(tiny.expected()["customers_whose_number_order_and_date_order_disagree"]), 2, 1, 1, phone)
        for (question, query), count in zip(cases.items(), wanted, strict=True):
            with self.subTest(question=question):
                self.assertEqual(self.ask("customers", list=self.keep(question, **query)["name"])["count"], count)
        path = f"{self.at}/ask/customers/list?{urlencode({'where': 'orders = 99'})}"
        nobody = self.changed("POST", path, json={"name": "nobody"})
        self.assertEqual(self.problem(nobody, 422)["field"], "name")

    def test_a_name_that_cannot_be_given_is_refused_with_the_reason(self) -> None:
        one, other = (self.keep("customers", where=f"first_source = '{source}'") for source in ("web", "phone"))
        path = f"{self.at}/ask/customers/list?{urlencode({'as_of': AS_OF})}"
        for name, status in ((one["name"].upper(), 409), ("x" * 121, 422), ("a\u0000b", 422)):
            with self.subTest(name=name[:20]):
                told = self.problem(self.changed("POST", path, json={"name": name}), status)
                self.assertTrue(told["remedy"])
        renamed = self.changed("PUT", f"{self.at}/lists/{other['id']}", json={"name": one["name"]})
        self.assertEqual(self.problem(renamed, 409)["field"], "name")
        self.problem(self.changed("PUT", f"{self.at}/lists/999999", json={"name": "x"}), 404)
        self.problem(self.changed("DELETE", f"{self.at}/lists/999999"), 404)
        self.problem(self.changed("PUT", f"{self.at}/lists/{other['id']}", json={"name": "  "}), 422)
        again = self.keep("customers", where="first_source = 'web'")
        self.assertEqual(again["name"], f"{one['name']} (2)")

    def test_a_list_of_one_book_is_not_one_of_another(self) -> None:
        kept = self.keep("backdated")
        with tempfile.TemporaryDirectory() as folder:
            other = tiny_book(self.workspace, Path(folder))
        at = f"/api/books/{other.id}"
        self.assertEqual(self.get(f"{at}/lists")["lists"], [])
        told = self.problem(self.client.get(f"{at}/ask/cohorts?{urlencode({'list': kept['name']})}"), 404)
        self.assertIn("Keep some customers as a list first", told["remedy"])
        self.problem(self.changed("DELETE", f"{at}/lists/{kept['id']}"), 404)


if __name__ == "__main__":
    unittest.main()
