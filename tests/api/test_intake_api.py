"""Intake and books over HTTP: sent, looked at, brought in, followed, stopped."""

from __future__ import annotations

import io
import json
import time
import unittest
from typing import Any
from unittest import mock

from werkzeug.datastructures import FileStorage
from werkzeug.test import TestResponse, encode_multipart

from goldthread.api import security
from tests.support.api import ApiCase
from tests.support.sharing import new_book


class Intake(ApiCase):
    def setUp(self) -> None:
        self.fresh = new_book(self.workspace)
        self.into = f"/api/books/{self.fresh.id}"

    def send(self, content: str | bytes, name: str = "export.csv") -> TestResponse:
        content = content.encode() if isinstance(content, str) else content
        boundary, body = encode_multipart({"file": FileStorage(io.BytesIO(content), name)})
        content_type = f'multipart/form-data; boundary="{boundary}"'
        return self.changed("POST", f"{self.into}/uploads", data=body, content_type=content_type)

    def sent(self, content: str | bytes, name: str = "export.csv") -> Any:
        """The one file that was sent, as it is looked at."""
        [file] = self.ended(self.send(content, name))["files"]
        return file

    def look(self, upload: str, **wanted: Any) -> Any:
        """The job of a look at a file that was sent."""
        return self.ended(self.changed("POST", f"{self.into}/uploads/{upload}/look", json=wanted))

    def refused(self, body: dict[str, Any]) -> Any:
        """Why a delivery ended without changing anything."""
        job = self.ended(self.changed("POST", f"{self.into}/deliveries", json=body))
        self.assertEqual(job["state"], "failed")
        return job["error"]

    def test_a_file_is_sent_looked_at_and_brought_in(self) -> None:
        sent = self.sent("no;who;on;sum\nA-1;C1;2024-01-05;10\nA-2;;2024-01-06;5\n", "../../evil.csv")
        self.assertEqual(
            (sent["kind"], sent["row_estimate"], sent["header"]), ("orders", 2, ["no", "who", "on", "sum"])
        )
        self.assertEqual((set(sent["columns"]), sent["source"]), ({"date", "amount"}, ""))
        self.assertEqual(self.look(sent["upload"], kind="customers")["files"][0]["kind"], "customers")
        columns = {"order_number": "no", "customer": "who", "date": "on", "amount": "sum"}
        body = {"upload": sent["upload"], "source": "web", "kind": "orders", "columns": columns}
        job = self.ended(self.changed("POST", f"{self.into}/deliveries", json=body))
        held = job["report"]
        self.assertEqual((held["held_back"], held["delivery_id"]), (True, None))
        self.assertEqual(held["held_back_words"], "1 of 2 rows (33% of the amount) would be left out.")
        self.assertEqual(self.get(f"{self.into}/deliveries")["deliveries"], [])
        left_out = self.client.get(f"{self.into}/uploads/{sent['upload']}/rejected", buffered=True).text
        self.assertIn("A-2,,2024-01-06,5,who: There is no customer.", left_out)
        job = self.ended(self.changed("POST", f"{self.into}/deliveries", json=body | {"accept_rejected": True}))
        self.assertEqual((job["state"], job["error"]), ("done", None))
        counts = job["report"]["counts"]
        self.assertEqual((counts["rows_read"], counts["rows_in"], counts["rows_rejected"]), (2, 1, 1))
        [told] = job["report"]["problems"]
        self.assertEqual((told["row"], told["column"], told["rejected"]), (3, "who", True))
        [delivery] = self.get(f"{self.into}/deliveries")["deliveries"]
        self.assertEqual(delivery["counts"], counts)
        self.assertEqual(delivery["file_name"], "evil.csv")
        self.problem(self.changed("POST", f"{self.into}/uploads/{sent['upload']}/look", json={}), 404)
        self.assertEqual(self.get(self.into)["orders"], 1)

    def test_a_file_belongs_to_the_book_that_it_was_sent_to(self) -> None:
        upload = self.sent("order,customer,date,amount\nA-1,C1,2025-04-13,5\n")["upload"]
        body = {"upload": upload, "source": "web", "kind": "orders"}
        for method, path, json_ in (
            ("POST", f"{self.at}/deliveries", body),
            ("POST", f"{self.at}/uploads/{upload}/look", {}),
            ("DELETE", f"{self.at}/uploads/{upload}", None),
        ):
            with self.subTest(path=path):
                self.problem(self.changed(method, path, json=json_), 404)

    def test_a_file_that_cannot_be_read_is_told_and_not_kept(self) -> None:
        before = set(self.workspace.settings.uploads.glob("*"))
        told = self.ended(self.send("PK\x03\x04"))["error"]
        self.assertEqual(told["status"], 422)
        self.assertIn("damaged or locked zip", told["detail"])
        self.assertEqual(set(self.workspace.settings.uploads.glob("*")), before)

    def test_dates_that_can_be_read_both_ways_are_asked_about(self) -> None:
        content = "order;customer;date;total\nA-1;C1;03/04/2025;1.250\nA-2;C2;05/04/2025;9\n"
        sent = self.sent(content)
        self.assertEqual((sent["dates"], sent["decimal"]), (None, None))
        self.assertEqual(
            (sent["dates_open"], sent["decimal_open"]), ("03/04/2025 is 3 Apr 2025 or 4 Mar 2025", "1.250")
        )
        body = {"upload": sent["upload"], "source": "web", "kind": "orders"}
        told = self.refused(body)
        self.assertEqual(told["field"], "dates")
        self.assertIn("3 Apr 2025 or 4 Mar 2025", told["detail"])
        told = self.refused({**body, "dates": "mdy"})
        self.assertEqual(told["field"], "decimal")
        [other] = self.look(sent["upload"], kind="orders", columns={"date": "total", "amount": "customer"})["files"]
        self.assertEqual((other["dates"], other["decimal"], other["columns"]), ("iso", "point", sent["columns"]))
        self.assertEqual(self.look(sent["upload"], columns={"date": "moon"})["error"]["status"], 422)
        body |= {"dates": "mdy", "decimal": "comma"}
        job = self.ended(self.changed("POST", f"{self.into}/deliveries", json=body))
        self.assertEqual(job["report"]["counts"]["rows_in"], 2)
        held = self.get(self.into)
        self.assertEqual((held["first_date"], held["last_date"]), ("2025-03-04", "2025-05-04"))
        self.assertEqual(self.get(f"{self.into}/ask/cohorts")["revenue"], "1259.00")

    def deliver(self, upload: str, source: str, **more: Any) -> Any:
        body = {"upload": upload, "source": source, "kind": "orders", **more}
        return self.ended(self.changed("POST", f"{self.into}/deliveries", json=body))

    def test_lines_without_an_order_number_are_made_into_orders_as_somebody_says_and_again_next_time(self) -> None:
        header = "household_id,day,product_id,quantity,sales_value,store\n"
        rows = "7,2025-01-03 09:00,a,1,1.39,n\n7,2025-01-03 09:00,b,1,0.82,n\n7,2025-01-03 17:00,a,2,2.78,n\n"
        sent = self.sent(header + rows)
        self.assertEqual((sent["kind"], sent["orders_by"], sent["names_only"]), ("lines", "time", ""))
        self.assertIn("each row is a line", sent["why"])
        self.assertEqual(sent["others"]["orders"], "no order number")
        counts = {}
        for by in ("time", "day"):
            tried = self.deliver(sent["upload"], "till", kind="lines", orders_by=by, dry_run=True)
            counts[by] = tried["report"]["counts"]["added"]
        self.assertEqual(counts, {"time": 2, "day": 1})
        self.deliver(sent["upload"], "till", kind="lines", orders_by="day")
        self.assertEqual(self.get(self.into)["orders"], 1)
        again = self.sent(header + rows.replace("2025-01", "2025-02"))
        self.assertEqual((again["remembered"], again["orders_by"], again["why"]), (True, "day", ""))
        self.deliver(again["upload"], "till", kind="lines")
        self.assertEqual(self.get(self.into)["orders"], 2)

    def test_the_next_export_of_a_source_goes_straight_through(self) -> None:
        first = self.sent("a;b;c;d;e\nA-1;C1;03/04/2025;1.250;stage 4\n")
        columns = {"order_number": "a", "customer": "b", "date": "c", "amount": "d", "status": "e"}
        told = {"dates": "dmy", "decimal": "comma", "statuses": {"Stage 4": "open"}, "columns": columns}
        self.assertEqual(self.deliver(first["upload"], "till", **told)["state"], "done")
        second = self.sent("a;b;c;d;e\nA-2;C1;05/04/2025;2.250;stage 4\n", "may.csv")
        self.assertEqual(
            (second["source"], second["remembered"], second["dates"], second["decimal"], second["columns"]),
            ("till", True, "dmy", "comma", columns),
        )
        self.assertEqual([word["status"] for word in second["statuses"]], ["open"])
        self.assertEqual(self.deliver(second["upload"], "till", columns={})["report"]["amount_added"], "2250.00")

    def test_a_remembered_reading_that_does_not_fit_any_more_is_noticed(self) -> None:
        first = self.sent("order;customer;date;total;rep\nA-1;C1;2025-04-13;1.25;Mo\n")
        self.deliver(first["upload"], "till")
        second = self.sent("order;customer;date;net;rep\nA-2;C1;2025-05-13;2.25;Mo\n")
        self.assertEqual((second["source"], second["misfits"]), ("", []))
        [again] = self.look(second["upload"], source="till")["files"]
        self.assertEqual(again["misfits"], ["The amount was read from “total”, which this file does not have."])
        self.assertEqual(again["columns"]["amount"], "net")

    def test_a_dry_run_tells_figures_and_gives_the_rejected_rows(self) -> None:
        self.deliver(
            self.sent("order,customer,date,amount\nA-1,C1,2025-04-13,5\nA-2,C1,2025-05-01,6\n")["upload"], "till"
        )
        rows = (
            "A-1,C1,2025-04-13,5\nA-2,C1,2025-05-01,4\nA-3,C1,2024-12-31,-1\nA-4,C2,2025-05-02,0\nA-5,,2025-05-02,9\n"
        )
        sent = self.sent(f"order,customer,date,amount\n{rows}", "next.csv")
        report = self.deliver(sent["upload"], "till", dry_run=True)["report"]
        figures = (
            "amount_added",
            "amount_changed",
            "amount_same",
            "negative",
            "zero",
            "firsts_moved",
            "customers_known",
        )
        self.assertEqual([report[name] for name in figures], ["-1.00", "-2.00", "5.00", 1, 1, 1, 1])
        self.assertEqual((report["first_date"], report["last_date"]), ("2024-12-31", "2025-05-02"))
        self.assertEqual(report["changes"], [{"number": "A-2", "was": "6.00", "becomes": "4.00"}])
        taken = self.client.get(f"{self.into}/uploads/{sent['upload']}/rejected", buffered=True).text
        self.assertEqual(taken.splitlines()[1], "A-5,,2025-05-02,9,customer: There is no customer.")
        self.assertEqual(self.get(self.into)["orders"], 2)
        self.assertEqual(self.changed("DELETE", f"{self.into}/uploads/{sent['upload']}").status_code, 204)
        self.problem(self.client.get(f"{self.into}/uploads/{sent['upload']}/rejected"), 404)

    def test_several_files_in_one_and_several_sheets_in_one(self) -> None:
        from tests.support.files import workbook, zipped

        row = "order,customer,date,amount\nA-1,C1,2025-04-13,5\n"
        book = workbook(
            {"One": [["x"], [1]], "Two": [["order", "customer", "date", "amount"], ["A-2", "C1", "2025-05-01", 3]]}
        )
        boundary, body = encode_multipart(
            {"file": FileStorage(io.BytesIO(zipped({"a.csv": row.encode(), "b.xlsx": book})), "all.zip")}
        )
        sent = self.changed(
            "POST", f"{self.into}/uploads", data=body, content_type=f'multipart/form-data; boundary="{boundary}"'
        )
        first, second = self.ended(sent)["files"]
        self.assertEqual(
            (first["file_name"], second["file_name"], second["sheets"]), ("a.csv", "b.xlsx", ["One", "Two"])
        )
        self.assertEqual((second["sheet"], second["other_sheets"]), ("Two", []), "what reads as orders is taken")
        self.deliver(first["upload"], "till")
        job = self.deliver(second["upload"], "till", sheet="Two")
        self.assertEqual((job["state"], self.get(self.into)["orders"]), ("done", 2))
        self.assertEqual(self.get(f"{self.into}/deliveries")["deliveries"][0]["file_name"], "b.xlsx, Two")
        self.assertEqual(self.look(second["upload"], sheet="Three")["error"]["status"], 422)

    def test_other_sheets_that_read_as_something_are_offered(self) -> None:
        from tests.support.files import workbook

        sheets: dict[str, list[list[object]]] = {
            "Read me": [["made by the office"]],
            "People": [["customer no", "name", "town"], ["C1", "Ada", "Saltby"]],
            "Orders": [["order", "customer", "date", "amount"], ["A-2", "C1", "2025-05-01", 3]],
        }
        sent = self.sent(workbook(sheets), "book.xlsx")
        self.assertEqual((sent["sheet"], sent["kind"]), ("Orders", "orders"))
        self.assertEqual(sent["other_sheets"], [{"name": "People", "kind": "customers"}])

    def test_what_columns_do_not_settle_is_asked_answered_and_remembered(self) -> None:
        head, rows = "number,customer,date,type,amount\n", "A-1,C1,2025-05-01,Sale,5\nA-2,C1,2025-05-02,Refund,2\n"
        sent = self.sent(head + rows)
        [question] = sent["questions"]
        self.assertEqual((question["choice"], question["answer"]), ("returns", ""))
        self.assertIn("“type” has “Refund” in 1 row", question["text"])
        self.assertEqual([each["answer"] for each in question["answers"]], ["take_off", "leave_out", "count"])
        body = {"upload": sent["upload"], "source": "till", "kind": "orders"}
        told = self.refused(body)
        self.assertEqual((told["field"], told["status"]), ("choices", 422))
        job = self.ended(
            self.changed("POST", f"{self.into}/deliveries", json=body | {"choices": {"returns": "take_off"}})
        )
        self.assertEqual((job["report"]["amount_added"], job["report"]["negative"]), ("3.00", 1))
        again = self.sent(head + "A-3,C1,2025-06-01,Sale,5\nA-4,C1,2025-06-02,Refund,2\n")
        self.assertEqual([each["answer"] for each in again["questions"]], ["take_off"])

    def test_customers_of_the_book_but_for_zeros_before_their_numbers_are_asked_about(self) -> None:
        head = "order,customer,date,amount\n"
        first = self.sent(head + "A-1,003401,2025-05-01,5\nA-2,000017,2025-05-02,2\n")
        self.deliver(first["upload"], "till")
        sent = self.sent(head + "B-1,3401,2025-06-01,5\nB-2,17,2025-06-02,2\nB-3,99,2025-06-02,2\n")
        [question] = [each for each in sent["questions"] if each["choice"] == "pad"]
        self.assertEqual((question["answer"], [each["answer"] for each in question["answers"]]), ("", ["0", "1", "6"]))
        body = {"upload": sent["upload"], "source": "web", "kind": "orders"}
        self.assertIn("may be", self.refused(body)["detail"])
        self.ended(self.changed("POST", f"{self.into}/deliveries", json=body | {"choices": {"pad": "6"}}))
        self.assertEqual(self.get(self.into)["customers"], 3)

    def test_years_of_two_digits_are_confirmed(self) -> None:
        sent = self.sent("order,customer,date,amount\nA-1,C1,13/04/25,5\nA-2,C1,14/04/25,6\n")
        self.assertEqual((sent["years_open"], sent["short_year"]), (True, "13/04/25"))
        body = {"upload": sent["upload"], "source": "till", "kind": "orders"}
        told = self.refused(body)
        self.assertEqual(told["field"], "years")
        self.deliver(sent["upload"], "till", years="20yy")
        self.assertEqual(self.get(self.into)["first_date"], "2025-04-13")

    def test_a_text_where_a_file_should_be_is_told(self) -> None:
        reply = self.changed("POST", f"{self.into}/uploads", data={"file": "order,customer,date,amount"})
        self.assertEqual(self.problem(reply, 422)["field"], "file")

    def test_a_file_beyond_the_limit_is_refused(self) -> None:
        self.problem(self.send("x" * 9 * 1024 * 1024), 413)

    def test_what_is_no_file_is_never_large(self) -> None:
        with mock.patch.object(security, "BODY_BYTES_MOST", 1_000):
            long = {"upload": "x" * 2_000, "source": "web", "kind": "orders"}
            told = self.problem(self.changed("POST", f"{self.into}/deliveries", json=long), 413)
            self.assertEqual(told["remedy"], "Send less at once.")
            self.sent("no;customer;on;sum\nA-1;C-1;2024-01-05;10\n" * 100)

    def test_a_reading_that_lacks_a_column_is_told_before_any_work(self) -> None:
        sent = self.sent("no;on;sum\nA-1;2024-01-05;10\n")
        body = {"upload": sent["upload"], "source": "web", "kind": "orders"}
        told = self.refused(body)
        self.assertEqual(told["field"], "columns")
        self.assertEqual(self.get(f"{self.into}/deliveries")["deliveries"], [])

    def test_the_demo_is_one_request_away_and_comes_once(self) -> None:
        first = self.ended(self.changed("POST", "/api/demo"))
        self.assertEqual((first["state"], first["report"]["counts"]["rows_rejected"]), ("done", 4))
        [demo] = [book for book in self.get("/api/books")["books"] if book["name"] == "Marlpit & Slip"]
        held = self.get(f"/api/books/{demo['id']}")
        self.assertEqual(held["sources"], ["web shop", "trade counter", "phone desk", "fairs"])
        self.assertTrue(15_000 < held["orders"] < 17_500 and held["customers_with_orders"] < held["customers"])
        second = self.ended(self.changed("POST", "/api/demo"))
        self.assertIsNone(second["report"]["delivery_id"])
        self.assertEqual(self.get(f"/api/books/{demo['id']}"), held)
        self._discoveries(f"/api/books/{demo['id']}/ask/cohorts")

    def _discoveries(self, path: str) -> None:
        """What ``docs/demo.md`` promises can be found."""
        months = {row["cohort"]: row for row in self.get(path)["cohorts"]}
        sale = months["2024-03"]
        self.assertIn(7, sale["odd"])
        self.assertGreater(sale["values"][7], 0.7)
        fairs = self.get(f"{path}?source=fairs&source=web+shop&source=phone+desk&source=trade+counter")
        self.assertEqual(fairs["orders"], self.get(path)["orders"])
        for fair in ("2025-05", "2025-09", "2026-05"):
            with self.subTest(fair=fair):
                self.assertGreaterEqual(len(months[fair]["odd"]), 4)
                self.assertGreater(months[fair]["size"], 90)

    def test_work_is_stopped_on_request(self) -> None:
        rows = "".join(f"A-{at},C{at},2024-01-05,1\n" for at in range(150_000))
        sent = self.sent(f"order,customer_no,date,amount\n{rows}")
        body = {"upload": sent["upload"], "source": "web", "kind": "orders"}
        started = json.loads(self.changed("POST", f"{self.into}/deliveries", json=body).text)
        job = self.ended(self.changed("DELETE", f"/api/jobs/{started['id']}"))
        self.assertEqual((job["state"], job["report"]), ("stopped", None))
        self.assertIn("stopped", job["error"]["detail"])
        self.assertEqual(self.get(self.into)["orders"], 0)


class NewBooks(ApiCase):
    def test_a_book_is_begun_once(self) -> None:
        name = f"new {time.monotonic_ns()}"
        reply = self.changed("POST", "/api/books", json={"name": name, "currency": "EUR", "time_zone": "UTC"})
        self.assertEqual(reply.status_code, 201)
        self.problem(self.changed("POST", "/api/books", json={"name": name}), 409)
        self.assertEqual(self.problem(self.changed("POST", "/api/books", json={"name": ""}), 422)["field"], "book")
        self.assertEqual(
            self.problem(self.changed("POST", "/api/books", json={"name": "x", "currency": "eu"}), 422)["field"],
            "currency",
        )


if __name__ == "__main__":
    unittest.main()
