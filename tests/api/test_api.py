"""HTTP: the same figures as everywhere, errors as RFC 9457, and nothing that a stranger's page could do."""

from __future__ import annotations

import json
import unittest
from collections import Counter
from collections.abc import Iterator
from pathlib import Path
from typing import Any
from unittest import mock

from openapi_spec_validator import validate
from sqlalchemy.exc import OperationalError

from goldthread.api.app import describe_api
from goldthread.shape import Shape
from tests.support import tiny
from tests.support.api import ApiCase

ROOT = Path(__file__).parents[2]
AS_OF = "as_of=2025-08-31"
LIMIT_SECONDS = 30
CSV = {"Accept": "text/csv"}


class Cohorts(ApiCase):
    def test_the_table_is_that_of_the_small_history(self) -> None:
        answers = {
            "cohorts_calendar_month": self.get(f"{self.at}/ask/cohorts?{AS_OF}"),
            "cohorts_elapsed_30_days": self.get(f"{self.at}/ask/cohorts?{AS_OF}&ages=elapsed"),
            "history_counter_only": self.get(f"{self.at}/ask/cohorts?{AS_OF}&source=counter"),
        }
        for name, answer in answers.items():
            wanted = tiny.expected()[name]
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
                self.assertEqual(found, wanted.get("cohorts_calendar_month", wanted))

    def test_averages_are_those_of_the_small_history(self) -> None:
        wanted = tiny.expected()
        for average in ("weighted", "plain"):
            answer = self.get(f"{self.at}/ask/cohorts?{AS_OF}&average={average}")
            found = {str(age): rate for age, rate in enumerate(answer["all"]["values"]) if age}
            with self.subTest(average=average):
                self.assertEqual(
                    found, {age: rates[average] for age, rates in wanted["retention_calendar_month"].items()}
                )
                self.assertEqual(answer["all"]["overall"], wanted["retention_overall"][average])

    def test_counter_only_is_a_history_of_its_own(self) -> None:
        answer = self.get(f"{self.at}/ask/cohorts?{AS_OF}&source=counter")
        wanted = tiny.expected()["history_counter_only"]["totals"]
        self.assertEqual((answer["orders"], answer["customers"]), (wanted["orders"], wanted["customers_with_orders"]))
        self.assertEqual(answer["reading"][3]["text"], "from counter")

    def test_the_sentence_says_what_was_asked(self) -> None:
        path = f"{self.at}/ask/cohorts?{AS_OF}&period=quarter&figure=revenue&ages=elapsed&status=paid"
        answer = self.get(path)
        said = "".join(part["text"] for part in answer["sentence"])
        self.assertEqual(
            said, "Of those who first ordered in each quarter, how much revenue came in each later 91-day window?"
        )
        self.assertIn("paid ones only, as of 31 Aug 2025", "".join(part["text"] for part in answer["reading"]))
        chosen = {control["name"]: control["chosen"] for control in answer["controls"]}
        self.assertEqual((chosen["period"], chosen["status"]), (["quarter"], ["paid"]))
        self.assertEqual(
            set(chosen),
            {"period", "figure", "ages", "average", "first_column", "source", "status", "as_of"}
            | {"unit", "where", "firsts", "list", "list_as", "columns", "view", "split", "against", "margin", "cac"},
        )

    def test_not_yet_is_absent_and_still_running_is_marked(self) -> None:
        answer = self.get(f"{self.at}/ask/cohorts?as_of=2025-08-15")
        last = answer["cohorts"][-1]
        self.assertEqual((last["cohort"], len(last["customers"]), last["complete"]), ("2025-01", 8, 7))
        self.assertEqual(answer["left_out_after_as_of"], 2)

    def test_csv_is_tidy_and_the_grid_carries_its_sentence(self) -> None:
        reply = self.client.get(f"{self.at}/ask/cohorts?{AS_OF}", headers=CSV)
        lines = reply.text.split("\r\n")
        self.assertEqual(lines[0], "cohort,size,age,state,customers,orders,revenue,retention_rate,low,high")
        self.assertEqual(lines[1], "2024-01,2,0,complete,2,4,316.35,1,0.34238,1")
        self.assertNotIn("2024-04,", reply.text)
        grid = self.client.get(f"{self.at}/ask/cohorts?{AS_OF}&layout=grid&figure=orders", headers=CSV).text.split(
            "\r\n"
        )
        self.assertIn("Of those who first ordered in each month, how many orders came", grid[0])
        self.assertEqual(grid[1].split(",")[:4], ["cohort", "customers", "0", "1"])
        self.assertEqual(grid[3].split(",")[:4], ["2024-01", "2", "4", "1"])

    def test_an_answer_that_the_client_has_is_not_sent_again(self) -> None:
        first = self.client.get(f"{self.at}/ask/cohorts?{AS_OF}")
        tag = first.headers["ETag"]
        same = self.client.get(f"{self.at}/ask/cohorts?{AS_OF}", headers={"If-None-Match": tag})
        self.assertEqual((same.status_code, same.data), (304, b""))
        for path, headers in (
            (f"{self.at}/ask/cohorts?{AS_OF}&period=year", {}),
            (f"{self.at}/ask/cohorts?{AS_OF}", CSV),
        ):
            other = self.client.get(path, headers={"If-None-Match": tag, **headers})
            with self.subTest(path=path, headers=headers):
                self.assertEqual(other.status_code, 200)


class Behind(ApiCase):
    def behind(self, cohort: str, age: str, more: str = "") -> Any:
        return self.get(f"{self.at}/ask/cohorts/behind?{AS_OF}&cohort={cohort}&age={age}{more}")

    def test_a_cell_lists_its_customers_with_their_whole_threads(self) -> None:
        opened = self.behind("2024-05", "13")
        self.assertEqual((opened["unit"], opened["value"], opened["beside"]), ("share", "1.000000", "2 of 2 customers"))
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
        self.assertEqual((at_one["customers"], at_one["beside"]), (3, "over 11 customers"))
        self.assertAlmostEqual(float(at_one["value"]), 3 / 11, 6)
        overall = self.behind("all", "all")
        self.assertIn("15 chances to come back of 157 were taken", overall["note"])
        self.assertEqual(self.behind("all", "all", "&figure=orders")["unit"], "count")

    def test_the_orders_behind_a_figure_are_taken_as_a_file(self) -> None:
        reply = self.client.get(f"{self.at}/ask/cohorts/behind?{AS_OF}&cohort=2024-01&age=0", headers=CSV)
        lines = reply.text.split("\r\n")
        self.assertEqual(lines[0], "customer,name,source,order,date,amount,status")
        self.assertEqual([line.split(",")[3] for line in lines[1:5]], ["K0001", "W-9", "W-10", "K0002"])
        self.assertIn("orders-behind-2024-01-0.csv", reply.headers["Content-Disposition"])

    def test_what_is_not_in_the_table_cannot_be_opened(self) -> None:
        for cohort, age in (
            ("2024-01", "99"),
            ("2030-01", "0"),
            ("all", "2030-01"),
            ("2024-01", "-1"),
            ("2024-04", "0"),
        ):
            reply = self.client.get(f"{self.at}/ask/cohorts/behind?{AS_OF}&cohort={cohort}&age={age}")
            with self.subTest(cohort=cohort, age=age):
                self.problem(reply, 422)


class Errors(ApiCase):
    def test_every_error_is_told_as_problem_details(self) -> None:
        cases = {
            f"{self.at}/ask/cohorts?period=fortnight": (422, "period"),
            f"{self.at}/ask/cohorts?as_of=yesterday": (422, "as_of"),
            f"{self.at}/ask/cohorts?source=moon": (422, "source"),
            f"{self.at}/ask/cohorts?nonsense=1": (422, "nonsense"),
            "/api/books/999999/ask/cohorts": (404, "book"),
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
            response = self.client.get("/api/books")
        self.assertIn("make start", self.problem(response, 503)["remedy"])
        self.assertGreater(int(response.headers["Retry-After"]), 0)

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

    def test_no_two_shapes_have_one_name(self) -> None:
        """The description names them by it, and would have the one in the place of the other."""
        describe_api()

        def beneath(shape: type[Shape]) -> Iterator[type[Shape]]:
            for each in shape.__subclasses__():
                yield each
                yield from beneath(each)

        ours = {each for each in beneath(Shape) if each.__module__.startswith("goldthread.")}
        names = Counter(each.__name__ for each in ours if "[" not in each.__name__)
        self.assertGreater(len(names), 100)
        self.assertEqual([name for name, times in names.items() if times > 1], [])

    def test_the_page_was_built_with_it(self) -> None:
        kept = json.loads((ROOT / "web/src/lib/api/openapi.json").read_text(encoding="utf-8"))
        self.assertEqual(kept, describe_api(), "run setup/prepare.sh product")

    def test_replies_are_what_it_says(self) -> None:
        """Every property that a schema requires is there, and none that it does not name."""
        schemas = self.get("/api/openapi.json")["components"]["schemas"]
        replies = {
            "CohortsShape": self.get(f"{self.at}/ask/cohorts"),
            "BookSummaryShape": self.get(self.at),
            "DeliveriesShape": self.get(f"{self.at}/deliveries"),
            "SessionShape": self.get("/api/session"),
        }
        for name, reply in replies.items():
            with self.subTest(schema=name):
                self.assertEqual(set(reply), set(schemas[name]["properties"]))
                self.assertLessEqual(set(schemas[name]["required"]), set(reply))


if __name__ == "__main__":
    unittest.main()
