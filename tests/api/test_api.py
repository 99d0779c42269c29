"""HTTP: the same figures as everywhere, errors as RFC 9457, and nothing that a stranger's page could do."""

from __future__ import annotations

import io
import json
import tempfile
import time
import unittest
from pathlib import Path
from typing import Any, ClassVar
from unittest import mock

from flask.testing import FlaskClient
from flask_openapi3 import OpenAPI
from openapi_spec_validator import validate
from sqlalchemy.exc import OperationalError
from werkzeug.datastructures import FileStorage
from werkzeug.test import TestResponse, encode_multipart

from goldthread.actions.workspace import Workspace
from goldthread.api.app import create_app, describe_api
from goldthread.processes import POLL_SECONDS
from goldthread.store.books import BookRow
from tests.support import tiny
from tests.support.sharing import new_book, shared_workspace, tiny_book

ROOT = Path(__file__).parents[2]
AS_OF = "as_of=2025-08-31"
LIMIT_SECONDS = 30
CSV = {"Accept": "text/csv"}


class ApiCase(unittest.TestCase):
    app: ClassVar[OpenAPI]
    client: ClassVar[FlaskClient]
    workspace: ClassVar[Workspace]
    book: ClassVar[BookRow]
    at: ClassVar[str]

    @classmethod
    def setUpClass(cls) -> None:
        cls.workspace = shared_workspace()
        cls.app = create_app(cls.workspace)
        cls.client = cls.app.test_client()
        with tempfile.TemporaryDirectory() as folder:
            cls.book = tiny_book(cls.workspace, Path(folder))
        cls.at = f"/api/books/{cls.book.id}"

    def get(self, path: str, **headers: str) -> Any:
        reply = self.client.get(path, headers=headers)
        self.assertEqual(reply.status_code, 200, reply.text)
        return reply.json

    def changed(self, method: str, path: str, **more: Any) -> TestResponse:
        token = self.get("/api/session")["csrf_token"]
        return self.client.open(path, method=method, headers={"X-CSRFToken": token}, **more)

    def problem(self, reply: TestResponse, status: int) -> dict[str, Any]:
        """The problem details of a reply that must be one."""
        self.assertEqual(reply.status_code, status, reply.text)
        self.assertEqual(reply.content_type, "application/problem+json")
        told: dict[str, Any] = json.loads(reply.text)
        self.assertEqual(told["status"], status)
        self.assertTrue(told["type"] and told["title"] and told["detail"])
        return told


class Cohorts(ApiCase):
    def test_the_table_is_that_of_the_small_history(self) -> None:
        answers = {
            "cohorts_calendar_month": self.get(f"{self.at}/cohorts?{AS_OF}"),
            "cohorts_elapsed_30_days": self.get(f"{self.at}/cohorts?{AS_OF}&ages=elapsed"),
        }
        for name, answer in answers.items():
            found = {
                row["cohort"]: {
                    str(age): {
                        "customers": row["customers"][age],
                        "orders": orders,
                        "revenue": round(float(row["revenue"][age]) * 10_000),
                    }
                    for age, orders in enumerate(row["orders"])
                    if orders
                }
                for row in answer["cohorts"]
                if row["size"]
            }
            with self.subTest(table=name):
                self.assertEqual(found, tiny.expected()[name])

    def test_averages_are_those_of_the_small_history(self) -> None:
        wanted = tiny.expected()
        for average in ("weighted", "plain"):
            answer = self.get(f"{self.at}/cohorts?{AS_OF}&average={average}")
            found = {str(age): rate for age, rate in enumerate(answer["all"]["retention_rate"]) if age}
            with self.subTest(average=average):
                self.assertEqual(
                    found, {age: rates[average] for age, rates in wanted["retention_calendar_month"].items()}
                )
                self.assertEqual(answer["all"]["overall_retention_rate"], wanted["retention_overall"][average])

    def test_counter_only_is_a_history_of_its_own(self) -> None:
        answer = self.get(f"{self.at}/cohorts?{AS_OF}&source=counter")
        wanted = tiny.expected()["history_counter_only"]["totals"]
        self.assertEqual((answer["orders"], answer["customers"]), (wanted["orders"], wanted["customers_with_orders"]))
        self.assertEqual(answer["reading"][1]["text"], "orders from counter")

    def test_the_sentence_says_what_was_asked(self) -> None:
        path = f"{self.at}/cohorts?{AS_OF}&period=quarter&figure=revenue&ages=elapsed&status=paid"
        answer = self.get(path)
        said = "".join(part["text"] for part in answer["sentence"])
        self.assertEqual(
            said, "Of those who first ordered in each quarter, how much revenue came that many spans of 91 days later?"
        )
        self.assertIn("paid ones only, as of 31 Aug 2025", "".join(part["text"] for part in answer["reading"]))
        chosen = {control["name"]: control["chosen"] for control in answer["controls"]}
        self.assertEqual((chosen["period"], chosen["status"]), (["quarter"], ["paid"]))
        self.assertEqual(
            set(chosen), {"period", "figure", "ages", "average", "first_column", "source", "status", "as_of"}
        )

    def test_not_yet_is_absent_and_still_running_is_marked(self) -> None:
        answer = self.get(f"{self.at}/cohorts?as_of=2025-08-15")
        last = answer["cohorts"][-1]
        self.assertEqual((last["cohort"], len(last["customers"]), last["complete"]), ("2025-01", 8, 7))
        self.assertEqual(answer["left_out_after_as_of"], 2)

    def test_csv_is_tidy_and_the_grid_carries_its_sentence(self) -> None:
        reply = self.client.get(f"{self.at}/cohorts?{AS_OF}", headers=CSV)
        lines = reply.text.split("\r\n")
        self.assertEqual(lines[0], "cohort,size,age,state,customers,orders,revenue,retention_rate,low,high")
        self.assertEqual(lines[1], "2024-01,2,0,complete,2,4,316.35,1.000000,0.342380,1.000000")
        self.assertNotIn("2024-04,", reply.text)
        grid = self.client.get(f"{self.at}/cohorts?{AS_OF}&layout=grid&figure=orders", headers=CSV).text.split("\r\n")
        self.assertIn("Of those who first ordered in each month, how many orders came", grid[0])
        self.assertEqual(grid[1].split(",")[:4], ["cohort", "customers", "0", "1"])
        self.assertEqual(grid[2].split(",")[:4], ["2024-01", "2", "4", "1"])

    def test_an_answer_that_the_client_has_is_not_sent_again(self) -> None:
        first = self.client.get(f"{self.at}/cohorts?{AS_OF}")
        tag = first.headers["ETag"]
        same = self.client.get(f"{self.at}/cohorts?{AS_OF}", headers={"If-None-Match": tag})
        self.assertEqual((same.status_code, same.data), (304, b""))
        for path, headers in ((f"{self.at}/cohorts?{AS_OF}&period=year", {}), (f"{self.at}/cohorts?{AS_OF}", CSV)):
            other = self.client.get(path, headers={"If-None-Match": tag, **headers})
            with self.subTest(path=path, headers=headers):
                self.assertEqual(other.status_code, 200)


class Behind(ApiCase):
    def behind(self, cohort: str, age: str, more: str = "") -> Any:
        return self.get(f"{self.at}/cohorts/behind?{AS_OF}&cohort={cohort}&age={age}{more}")

    def test_a_cell_lists_its_customers_with_their_whole_threads(self) -> None:
        opened = self.behind("2024-05", "13")
        self.assertEqual((opened["customers"], opened["of_customers"], opened["share"]), (2, 2, 1.0))
        self.assertEqual([thread["name"] for thread in opened["threads"]], ["Greta Lund-Ibarra", "Hale Street Kilns"])
        hale = opened["threads"][1]
        self.assertEqual(
            [(knot["date"], knot["amount"], knot["inside"]) for knot in hale["knots"]],
            [("2024-05-20", "188.0050", False), ("2024-08-18", "47.25", False), ("2025-06-03", "64.00", True)],
        )
        self.assertEqual(
            opened["words"], "Customers who first ordered in May 2024 and ordered 13 calendar months later."
        )
        self.assertIn("small", opened["note"])

    def test_pages_of_customers_join_without_gap_or_repeat(self) -> None:
        whole = [thread["customer"] for thread in self.behind("all", "0")["threads"]]
        paged = [
            thread["customer"]
            for offset in range(0, 12, 5)
            for thread in self.behind("all", "0", f"&offset={offset}&limit=5")["threads"]
        ]
        self.assertEqual((paged, len(set(paged))), (whole, 11))

    def test_averages_and_totals_are_opened_like_cells(self) -> None:
        at_one = self.behind("all", "1")
        self.assertEqual((at_one["customers"], at_one["of_customers"]), (3, 11))
        self.assertAlmostEqual(at_one["share"], 3 / 11)
        overall = self.behind("all", "all")
        self.assertIn("15 of 157 chances", overall["note"])
        self.assertEqual(self.behind("all", "all", "&figure=orders")["share"], None)

    def test_the_orders_behind_a_figure_are_taken_as_a_file(self) -> None:
        reply = self.client.get(f"{self.at}/cohorts/behind?{AS_OF}&cohort=2024-01&age=0", headers=CSV)
        lines = reply.text.split("\r\n")
        self.assertEqual(lines[0], "customer,name,source,order,date,amount,status")
        self.assertEqual([line.split(",")[3] for line in lines[1:5]], ["K0001", "W-9", "W-10", "K0002"])
        self.assertIn("orders-behind-2024-01-0.csv", reply.headers["Content-Disposition"])

    def test_what_is_not_in_the_table_cannot_be_opened(self) -> None:
        for cohort, age in (
            ("2024-01", "99"),
            ("2030-01", "0"),
            ("2024-01", "all"),
            ("2024-01", "-1"),
            ("2024-04", "0"),
        ):
            reply = self.client.get(f"{self.at}/cohorts/behind?{AS_OF}&cohort={cohort}&age={age}")
            with self.subTest(cohort=cohort, age=age):
                self.problem(reply, 422)


class Errors(ApiCase):
    def test_every_error_is_told_as_problem_details(self) -> None:
        cases = {
            f"{self.at}/cohorts?period=fortnight": (422, "period"),
            f"{self.at}/cohorts?as_of=yesterday": (422, "as_of"),
            f"{self.at}/cohorts?source=moon": (422, "source"),
            f"{self.at}/cohorts?nonsense=1": (422, "nonsense"),
            "/api/books/999999/cohorts": (404, "book"),
            "/api/nowhere": (404, ""),
            "/api/jobs/unknown": (404, ""),
            f"{self.at}/uploads/..%2f..%2fetc": (404, ""),
            f"{self.at}/deliveries/999999/problems": (404, ""),
        }
        for path, (status, field) in cases.items():
            with self.subTest(path=path):
                self.assertEqual(self.problem(self.client.get(path), status)["field"], field)
        self.problem(self.client.patch("/api/books"), 405)

    def test_a_database_that_is_gone_is_told(self) -> None:
        gone = OperationalError("SELECT 1", {}, Exception("gone"))
        with mock.patch("goldthread.store.books.list_books", side_effect=gone), self.assertLogs(level="ERROR"):
            told = self.problem(self.client.get("/api/books"), 503)
        self.assertIn("make start", told["remedy"])

    def test_a_fault_of_ours_tells_nothing_of_its_insides(self) -> None:
        self.app.config["PROPAGATE_EXCEPTIONS"] = False
        with (
            mock.patch("goldthread.store.books.list_books", side_effect=KeyError("secret")),
            self.assertLogs(level="ERROR"),
        ):
            told = self.problem(self.client.get("/api/books"), 500)
        self.assertNotIn("secret", json.dumps(told))


class Security(ApiCase):
    def test_another_host_is_refused(self) -> None:
        self.problem(self.client.get("/api/books", headers={"Host": "evil.example"}), 400)

    def test_a_change_without_the_pages_token_is_refused(self) -> None:
        before = len(self.get("/api/books")["books"])
        for client in (self.client, self.app.test_client()):
            self.problem(client.post("/api/books", json={"name": "forged"}), 400)
            self.problem(client.delete("/api/jobs/x", headers={"X-CSRFToken": "made-up"}), 400)
        self.assertEqual(len(self.get("/api/books")["books"]), before)

    def test_every_reply_carries_the_content_policy(self) -> None:
        for path in ("/", "/api/books", "/api/nowhere"):
            reply = self.client.get(path)
            with self.subTest(path=path):
                policy = reply.headers["Content-Security-Policy"]
                self.assertNotIn("unsafe", policy)
                self.assertIn("default-src 'none'", policy)
                self.assertEqual(reply.headers["X-Content-Type-Options"], "nosniff")
            reply.close()

    def test_the_session_cookie_is_for_this_site_alone(self) -> None:
        cookie = self.app.test_client().get("/api/session").headers["Set-Cookie"]
        self.assertIn("HttpOnly", cookie)
        self.assertIn("SameSite=Strict", cookie)
        self.assertEqual((self.workspace.settings.var / "session-secret").stat().st_mode & 0o077, 0)

    def test_no_file_outside_the_page_is_served(self) -> None:
        for path in ("/assets/../../../README.md", "/..%2f..%2fREADME.md", "/assets/%2e%2e/index.html"):
            reply = self.client.get(path)
            with self.subTest(path=path):
                self.assertNotIn(b"make demo", reply.data)
            reply.close()


class Description(ApiCase):
    def test_it_is_valid_and_names_every_route(self) -> None:
        document = self.get("/api/openapi.json")
        validate(document)
        served = {
            str(rule.rule).replace("<int:", "{").replace("<", "{").replace(">", "}")
            for rule in self.app.url_map.iter_rules()
            if rule.rule.startswith("/api/") and not rule.rule.endswith("openapi.json")
        }
        self.assertEqual(set(document["paths"]), served)

    def test_the_front_ends_copy_is_not_stale(self) -> None:
        kept = json.loads((ROOT / "web/src/lib/api/openapi.json").read_text(encoding="utf-8"))
        self.assertEqual(kept, describe_api(), "run make types")

    def test_replies_are_what_it_says(self) -> None:
        """Every property that a schema requires is there, and none that it does not name."""
        schemas = self.get("/api/openapi.json")["components"]["schemas"]
        replies = {
            "CohortsShape": self.get(f"{self.at}/cohorts"),
            "BookSummaryShape": self.get(self.at),
            "DeliveriesShape": self.get(f"{self.at}/deliveries"),
            "SessionShape": self.get("/api/session"),
        }
        for name, reply in replies.items():
            with self.subTest(schema=name):
                self.assertEqual(set(reply), set(schemas[name]["properties"]))
                self.assertLessEqual(set(schemas[name]["required"]), set(reply))


class Intake(ApiCase):
    def setUp(self) -> None:
        self.fresh = new_book(self.workspace)
        self.into = f"/api/books/{self.fresh.id}"

    def send(self, content: str, name: str = "export.csv") -> TestResponse:
        boundary, body = encode_multipart({"file": FileStorage(io.BytesIO(content.encode()), name)})
        content_type = f'multipart/form-data; boundary="{boundary}"'
        return self.changed("POST", f"{self.into}/uploads", data=body, content_type=content_type)

    def finished(self, reply: TestResponse) -> Any:
        self.assertEqual(reply.status_code, 202, reply.text)
        job = json.loads(reply.text)
        deadline = time.monotonic() + LIMIT_SECONDS
        while job["state"] == "running" and time.monotonic() < deadline:
            time.sleep(POLL_SECONDS)
            job = self.get(f"/api/jobs/{job['id']}")
        return job

    def test_a_file_is_sent_looked_at_and_brought_in(self) -> None:
        sent = json.loads(self.send("no;who;on;sum\nA-1;C1;2024-01-05;10\nA-2;;2024-01-06;5\n", "../../evil.csv").text)
        self.assertEqual(
            (sent["kind"], sent["row_estimate"], sent["header"]), ("orders", 2, ["no", "who", "on", "sum"])
        )
        self.assertIn("customer", sent["missing"])
        again = self.get(f"{self.into}/uploads/{sent['upload']}?kind=customers")
        self.assertEqual(again["kind"], "customers")
        columns = {"order_number": "no", "customer": "who", "date": "on", "amount": "sum"}
        body = {"upload": sent["upload"], "source": "web", "kind": "orders", "columns": columns}
        job = self.finished(self.changed("POST", f"{self.into}/deliveries", json=body))
        self.assertEqual((job["state"], job["error"]), ("done", None))
        counts = job["report"]["counts"]
        self.assertEqual((counts["rows_read"], counts["rows_in"], counts["rows_rejected"]), (2, 1, 1))
        [told] = job["report"]["problems"]
        self.assertEqual((told["row"], told["column"], told["rejected"]), (3, "who", True))
        [delivery] = self.get(f"{self.into}/deliveries")["deliveries"]
        self.assertEqual(delivery["counts"], counts)
        self.assertEqual(delivery["file_name"], "evil.csv")
        self.problem(self.client.get(f"{self.into}/uploads/{sent['upload']}"), 404)
        self.assertEqual(self.get(self.into)["orders"], 1)

    def test_a_file_that_cannot_be_read_is_told_and_not_kept(self) -> None:
        before = set(self.workspace.settings.uploads.glob("*"))
        told = self.problem(self.send("PK\x03\x04"), 422)
        self.assertIn("spreadsheet", told["detail"])
        self.assertEqual(set(self.workspace.settings.uploads.glob("*")), before)

    def test_a_text_where_a_file_should_be_is_told(self) -> None:
        reply = self.changed("POST", f"{self.into}/uploads", data={"file": "order,customer,date,amount"})
        self.assertEqual(self.problem(reply, 422)["field"], "file")

    def test_a_file_beyond_the_limit_is_refused(self) -> None:
        self.problem(self.send("x" * 9 * 1024 * 1024), 413)

    def test_a_reading_that_lacks_a_column_is_told_before_any_work(self) -> None:
        sent = json.loads(self.send("no;on;sum\nA-1;2024-01-05;10\n").text)
        body = {"upload": sent["upload"], "source": "web", "kind": "orders"}
        told = self.problem(self.changed("POST", f"{self.into}/deliveries", json=body), 422)
        self.assertEqual(told["field"], "columns")
        self.assertEqual(self.get(f"{self.into}/deliveries")["deliveries"], [])

    def test_the_demo_is_one_request_away_and_comes_once(self) -> None:
        first = self.finished(self.changed("POST", "/api/demo"))
        self.assertEqual((first["state"], first["report"]["counts"]["rows_rejected"]), ("done", 0))
        [demo] = [book for book in self.get("/api/books")["books"] if book["name"] == "Marlpit & Slip"]
        held = self.get(f"/api/books/{demo['id']}")
        self.assertEqual(held["sources"], ["web shop", "trade counter", "phone desk", "fairs"])
        self.assertTrue(15_000 < held["orders"] < 17_500 and held["customers_with_orders"] < held["customers"])
        second = self.finished(self.changed("POST", "/api/demo"))
        self.assertIsNone(second["report"]["delivery_id"])
        self.assertEqual(self.get(f"/api/books/{demo['id']}"), held)
        self._discoveries(f"/api/books/{demo['id']}/cohorts")

    def _discoveries(self, path: str) -> None:
        """What ``docs/demo.md`` promises can be found."""
        months = {row["cohort"]: row for row in self.get(path)["cohorts"]}
        sale = months["2024-03"]
        self.assertIn(7, sale["odd"])
        self.assertGreater(sale["retention_rate"][7], 0.7)
        fairs = self.get(f"{path}?source=fairs&source=web+shop&source=phone+desk&source=trade+counter")
        self.assertEqual(fairs["orders"], self.get(path)["orders"])
        for fair in ("2025-05", "2025-09", "2026-05"):
            with self.subTest(fair=fair):
                self.assertGreaterEqual(len(months[fair]["odd"]), 4)
                self.assertGreater(months[fair]["size"], 90)

    def test_work_is_stopped_on_request(self) -> None:
        rows = "".join(f"A-{at},C{at},2024-01-05,1\n" for at in range(150_000))
        sent = json.loads(self.send(f"order,customer_no,date,amount\n{rows}").text)
        body = {"upload": sent["upload"], "source": "web", "kind": "orders"}
        started = json.loads(self.changed("POST", f"{self.into}/deliveries", json=body).text)
        job = self.finished(self.changed("DELETE", f"/api/jobs/{started['id']}"))
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
