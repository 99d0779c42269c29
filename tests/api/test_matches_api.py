"""Sources side by side, who is who, changes by hand, withdrawal and whole books, over HTTP."""

from __future__ import annotations

import io
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from werkzeug.test import TestResponse

from goldthread.store.books import BookRow
from goldthread.store.read import duplicates
from tests.support.api import ApiCase
from tests.support.sharing import deliver, new_book, tiny_book, write_csv


class Who(ApiCase):
    fresh: BookRow

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.fresh = new_book(self.workspace)
        self.into = f"/api/books/{self.fresh.id}"

    def test_sources_stand_side_by_side(self) -> None:
        told = self.get(f"{self.at}/sources")
        self.assertEqual((told["months"][0], told["months"][-1]), ("2024-01", "2025-09"))
        by_name = {source["name"]: source for source in told["sources"]}
        self.assertEqual(list(by_name), ["counter", "phone", "web"])
        self.assertEqual([sum(source["orders"]) for source in told["sources"]], [13, 6, 13])
        self.assertEqual([source["shared"] for source in told["sources"]], [[7, 2, 3], [2, 4, 3], [3, 3, 8]])
        self.assertEqual(self.get(f"{self.into}/sources"), {"months": [], "sources": []})

    def test_an_email_under_two_numbers_is_listed_until_something_is_said(self) -> None:
        rows = [("customer_no", "email", "name"), ("C1", "a@x.example", "Ada"), ("C2", "a@x.example", "Ada O.")]
        deliver(self.workspace, self.fresh, write_csv(self.folder / "c.csv", rows), "office")
        [duplicate] = self.get(f"{self.into}/duplicates")["duplicates"]
        self.assertEqual((duplicate["likeness"], duplicate["alike"]), ("email", "a@x.example"))
        keys = [known["keys"] for known in duplicate["customers"]]
        self.assertEqual(keys, [["a@x.example", "C1"], ["C2"]])
        ids = [known["id"] for known in duplicate["customers"]]
        said = self.changed("POST", f"{self.into}/matches", json={"customers": ids, "verdict": "apart"})
        self.assertEqual(said.status_code, 201, said.text)
        self.assertEqual(self.get(f"{self.into}/duplicates")["total"], 0)
        delivery = self.get(f"{self.into}/deliveries")["deliveries"][0]
        self.assertEqual((delivery["kind"], delivery["by_hand"]), ("matches", True))
        self.assertEqual(
            self.ended(self.changed("DELETE", f"{self.into}/deliveries/{delivery['id']}"))["state"], "done"
        )
        self.assertEqual(self.get(f"{self.into}/duplicates")["total"], 1)
        self.problem(self.changed("POST", f"{self.into}/matches", json={"customers": [1, 2], "verdict": "one"}), 404)
        self.problem(self.changed("POST", f"{self.into}/matches", json={"customers": ids[:1], "verdict": "one"}), 422)

    def test_of_many_who_look_alike_so_many_are_shown_as_something_can_be_said_of(self) -> None:
        rows = [("customer_no", "name", "town"), *((f"C{at}", "Ada Orme", "Kilnford") for at in range(3_000))]
        deliver(self.workspace, self.fresh, write_csv(self.folder / "c.csv", rows), "office")
        told = self.get(f"{self.into}/duplicates")
        [duplicate] = told["duplicates"]
        self.assertEqual((told["total"], duplicate["customer_count"], len(duplicate["customers"])), (1, 3_000, 20))
        ids = [known["id"] for known in duplicate["customers"]]
        apart = {"customers": ids, "verdict": "apart"}
        self.assertEqual(self.changed("POST", f"{self.into}/matches", json=apart).status_code, 201)
        [duplicate] = self.get(f"{self.into}/duplicates")["duplicates"]
        others = [known["id"] for known in duplicate["customers"]]
        self.assertFalse(set(others) & set(ids), "those of whom nothing was said come next")
        one = {"customers": others, "verdict": "one"}
        self.assertEqual(self.changed("POST", f"{self.into}/matches", json=one).status_code, 201)
        [duplicate] = self.get(f"{self.into}/duplicates")["duplicates"]
        self.assertEqual(duplicate["customer_count"], 2_981)
        with mock.patch.object(duplicates, "GROUPS_MOST", 0):
            self.assertEqual(self.get(f"{self.into}/duplicates")["total"], 0)

    def test_orders_and_customers_are_put_right_by_hand(self) -> None:
        order = {"source": "till", "number": "K1", "customer": "7", "date": "2024-02-30", "amount": "5"}
        self.assertEqual(self.problem(self.changed("POST", f"{self.into}/orders", json=order), 422)["field"], "date")
        order["date"] = "2024-02-29 08:05"
        self.assertEqual(self.changed("POST", f"{self.into}/orders", json=order).status_code, 201)
        where = f"{self.into}/orders?source=till&number=K1"
        known = self.get(where)["order"]
        self.assertEqual((known["date"], known["time"], known["amount"]), ("2024-02-29", "08:05:00", "5.00"))
        self.assertIsNone(self.get(f"{self.into}/orders?source=till&number=K2")["order"])
        self.assertEqual(self.changed("DELETE", where).status_code, 200)
        again = self.get(where)["order"]
        self.assertEqual((again["status"], again["time"]), ("cancelled", "08:05:00"))
        self.problem(self.changed("DELETE", f"{self.into}/orders?source=till&number=K2"), 404)
        self.problem(self.changed("POST", f"{self.into}/customers", json={"name": "Nobody"}), 422)
        put = self.changed("POST", f"{self.into}/customers", json={"number": "8", "name": "Bo", "closed": True})
        self.assertEqual((put.status_code, self.get(self.into)["customers"]), (201, 2))

    def test_two_people_at_one_order_do_not_overwrite_each_other(self) -> None:
        order = {"source": "till", "number": "K1", "customer": "7", "date": "2024-02-29", "amount": "5"}

        def put(amount: str, seen: int | None) -> TestResponse:
            headers = {} if seen is None else {"If-Match": f'"{seen}"'}
            return self.changed("POST", f"{self.into}/orders", headers=headers, json={**order, "amount": amount})

        where = f"{self.into}/orders?source=till&number=K1"
        self.assertEqual(put("5", 0).status_code, 201)
        self.assertIn("is on record otherwise by now: 7, 29 Feb 2024, 5.00", self.problem(put("9", 0), 409)["detail"])
        seen = self.get(where)["order"]["version"]
        self.assertEqual(put("6", seen).status_code, 201)
        told = self.problem(put("7", seen), 409)
        self.assertIn("by now: 7, 29 Feb 2024, 6.00, paid", told["detail"])
        self.problem(self.changed("DELETE", where, headers={"If-Match": f'"{seen}"'}), 409)
        self.assertEqual(self.get(where)["order"]["amount"], "6.00")
        self.assertEqual(put("8", None).status_code, 201)
        self.problem(put("9", self.get(where)["order"]["version"] + 1), 409)
        wrong = self.changed("POST", f"{self.into}/orders", headers={"If-Match": '"x"'}, json=order)
        self.problem(wrong, 422)
        now = self.get(where)["order"]["version"]
        self.assertEqual(self.changed("DELETE", where, headers={"If-Match": f'"{now}"'}).status_code, 200)

    def test_two_people_at_one_pair_of_customers_are_told(self) -> None:
        rows = [("customer_no", "email", "name"), ("C1", "a@x.example", "Ada"), ("C2", "a@x.example", "Ada O.")]
        deliver(self.workspace, self.fresh, write_csv(self.folder / "c.csv", rows), "office")
        [duplicate] = self.get(f"{self.into}/duplicates")["duplicates"]
        ids = [known["id"] for known in duplicate["customers"]]

        def say(verdict: str) -> TestResponse:
            seen = {"If-Match": f'"{duplicate["version"]}"'}
            return self.changed(
                "POST", f"{self.into}/matches", headers=seen, json={"customers": ids, "verdict": verdict}
            )

        self.assertEqual((duplicate["version"], say("apart").status_code), (0, 201))
        self.assertIn("meanwhile", self.problem(say("one"), 409)["detail"])

    def test_a_delivery_is_opened_taken_from_and_withdrawn(self) -> None:
        rows = [("no", "who", "on", "sum"), ("K1", "7", "2024-01-05", "=1+1"), ("K2", "7", "2024-01-06", "2")]
        path = write_csv(self.folder / "f.csv", [("order", "customer", "date", "amount"), *rows[1:]])
        report = deliver(self.workspace, self.fresh, path, "till")
        at = f"{self.into}/deliveries/{report.delivery_id}"
        opened = self.get(at)
        self.assertEqual(opened["columns"]["amount"], "amount")
        self.assertEqual([(group["count"], group["examples"]) for group in opened["problems"]], [(1, ["=1+1"])])
        taken = self.client.get(f"{at}/rejected")
        self.assertEqual(taken.content_type.partition(";")[0], "text/csv")
        self.assertEqual(
            taken.text.splitlines(),
            [
                "order,customer,date,amount,reason it was rejected",
                "K1,7,2024-01-05,'=1+1,amount: This is not a number.",
            ],
        )
        self.problem(self.client.get(f"{self.at}/deliveries/{report.delivery_id}"), 404)
        told = self.ended(self.changed("DELETE", at))["withdrawal"]
        self.assertEqual([told[name] for name in ("records_gone", "records_back", "customers_gone")], [1, 0, 1])
        self.assertEqual(self.ended(self.changed("DELETE", at))["error"]["status"], 409)
        self.assertEqual(self.get(self.into)["orders"], 0)

    def test_the_log_is_told_in_parts(self) -> None:
        for number in range(3):
            order = {"source": "till", "number": f"K{number}", "customer": "7", "date": "2024-01-05", "amount": "5"}
            self.changed("POST", f"{self.into}/orders", json=order)
        told = self.get(f"{self.into}/deliveries?offset=1&limit=1")
        self.assertEqual((told["total"], [line["file_name"] for line in told["deliveries"]]), (3, ["order K1"]))

    def test_a_book_goes_out_and_comes_back(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            book = tiny_book(self.workspace, Path(folder))
        # one after another through the same connections: nothing may be left behind in them
        for _ in range(3):
            made = self.ended(self.changed("POST", f"/api/books/{book.id}/package"))
            self.assertEqual((made["state"], made["file"]), ("done", f"{book.name}.zip"))
        out = self.client.get(f"/api/jobs/{made['id']}/file")
        self.assertEqual((out.status_code, out.content_type), (200, "application/zip"))
        content = out.data
        out.close()
        sent = {"file": (io.BytesIO(content), "book.zip"), "name": f"{book.name} back"}
        back = self.changed("POST", "/api/books/package", data=sent, content_type="multipart/form-data")
        returned = self.ended(back)
        self.assertEqual((returned["state"], returned["error"]), ("done", None))
        query = "ask/cohorts?as_of=2025-08-31"
        one, other = (self.get(f"/api/books/{number}/{query}") for number in (book.id, returned["book"]))
        self.assertEqual(one | {"book": ""}, other | {"book": ""})
        sent = {"file": (io.BytesIO(content), "book.zip"), "name": ""}
        again = self.changed("POST", "/api/books/package", data=sent, content_type="multipart/form-data")
        refused = self.ended(again)
        self.assertEqual((refused["state"], refused["error"]["status"]), ("failed", 409))


if __name__ == "__main__":
    unittest.main()
