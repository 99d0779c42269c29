"""Schedules, waiting files and letters over HTTP and at the command line, and what the Overview says of them."""

from __future__ import annotations

import os
import time
from email import message_from_bytes, policy
from pathlib import Path
from typing import Any
from unittest import mock

from goldthread.actions import arriving, schedule_runs, schedules
from goldthread.processes import POLL_SECONDS
from tests.support.api import LIMIT_SECONDS, ApiCase
from tests.support.cli import CliCase
from tests.support.mail_server import MailServer
from tests.support.rounds import HEADER
from tests.support.sharing import write_csv

LETTER: dict[str, Any] = {"kind": "letter", "every": "monday 07:00", "letter": "overview", "to": ["mo@marlpit.example"]}


class OverHttp(ApiCase):
    def setUp(self) -> None:
        self.inbox = arriving.inbox(self.workspace.settings) / f"counter {self.book.id}"
        self.addCleanup(self.forget)

    def forget(self) -> None:
        for each in self.get(f"{self.at}/schedules")["schedules"]:
            self.changed("DELETE", f"{self.at}/schedules/{each['id']}")

    def add(self, *, status: int = 201, **said: Any) -> Any:
        reply = self.changed("POST", f"{self.at}/schedules", json={"schedule": said})
        self.assertEqual(reply.status_code, status, reply.text)
        return reply.json

    def watched(self) -> dict[str, Any]:
        told = self.add(kind="folder", every="every monday at 6", source="counter", folder=self.inbox.name)
        found: dict[str, Any] = told["schedules"][-1]
        return found

    def put(self, *rows: tuple[object, ...], name: str = "week.csv", header: tuple[str, ...] = HEADER) -> None:
        path = write_csv(self.inbox / name, [header, *rows])
        os.utime(path, (time.time() - 3600,) * 2)

    def run_(self, schedule: dict[str, Any]) -> dict[str, Any]:
        self.ended(self.changed("POST", f"{self.at}/schedules/{schedule['id']}/run"))
        last: dict[str, Any] = self.get(f"{self.at}/schedules")["schedules"][-1]["last"]
        return last

    def looks(self) -> list[dict[str, Any]]:
        looks: list[dict[str, Any]] = self.get(f"{self.at}/ask/summary")["looks"]
        return looks

    def test_a_schedule_is_a_sentence_with_its_next_time_and_its_runs(self) -> None:
        schedule = self.watched()
        self.assertEqual(
            schedule["words"],
            f"Every Monday at 06:00 import the files of counter out of “{self.inbox.name}” in the inbox",
        )
        self.assertEqual((schedule["cron"], schedule["last"], schedule["paused"]), ("0 6 * * 1", None, False))
        last = self.run_(schedule)
        self.assertEqual((last["state"], last["said"], last["asked_by"]), ("nothing", "No file was there.", ""))
        runs = self.get(f"{self.at}/schedules/{schedule['id']}/runs")
        self.assertEqual((runs["total"], runs["runs"][0]["id"]), (1, last["id"]))

    def test_when_is_read_before_it_is_said(self) -> None:
        told = self.get(f"{self.at}/schedules/when?every=on+the+first+of+the+month")
        self.assertEqual((told["cron"], len(told["following"])), ("0 6 1 * *", 3))
        self.assertRegex(told["following"][0], r"-01T06:00:00(Z|[+-]\d\d:00)$")
        self.problem(self.client.get(f"{self.at}/schedules/when?every=now+and+then"), 422)

    def test_pause_change_and_removal(self) -> None:
        at = f"{self.at}/schedules/{self.watched()['id']}"
        (paused,) = self.changed("PATCH", at, json={"paused": True}).json["schedules"]  # type: ignore[index]
        self.assertTrue(paused["paused"])
        (changed,) = self.changed("PATCH", at, json={"every": "every hour", "paused": False}).json["schedules"]  # type: ignore[index]
        self.assertEqual((changed["when"], changed["paused"]), ("every hour", False))
        self.assertEqual(self.changed("DELETE", at).json, {"schedules": []})
        self.problem(self.changed("POST", f"{at}/run"), 404)

    def test_bad_input_is_refused_in_words(self) -> None:
        for said in (
            {"kind": "folder", "every": "daily-ish", "source": "counter", "folder": "x"},
            {"kind": "folder", "every": "every hour", "source": "counter", "folder": "/etc"},
            {"kind": "folder", "every": "every hour", "source": "", "folder": "x"},
            {**LETTER, "to": ["nobody"]},
            {**LETTER, "attach": "pdf"},
            {"kind": "query", "every": "every hour", "source": "till", "database": "till", "query": "x :since"},
            {"kind": "magic"},
        ):
            with self.subTest(said):
                self.add(status=404 if said.get("database") else 422, **said)
        self.assertEqual(self.get(f"{self.at}/schedules"), {"schedules": []})

    def test_a_file_waits_on_import_and_on_the_overview_until_it_is_imported(self) -> None:
        schedule = self.watched()
        self.put(("N-1", "C1", "2025-08-01", 20, "paid", "x"), header=(*HEADER, "coupon"))
        self.assertEqual(self.run_(schedule)["state"], "waits")
        (waits,) = self.get(f"{self.at}/waiting")["files"]
        self.assertEqual((waits["name"], waits["source"]), ("week.csv", "counter"))
        self.assertIn("“coupon”", waits["why"])
        self.assertIn("week.csv of counter waits", [each["what"] for each in self.looks()])
        job = self.ended(self.changed("POST", f"{self.at}/waiting/{waits['id']}/look"))
        (file,) = job["files"]
        body = {"upload": file["upload"], "source": file["source"], "sheet": None, "kind": file["kind"], "columns": {}}
        job = self.ended(self.changed("POST", f"{self.at}/deliveries", json={**body, "choices": {}}))
        self.assertIsNotNone(job["report"]["delivery_id"], job)
        self.assertEqual(self.get(f"{self.at}/waiting"), {"files": []})
        self.assertNotIn("week.csv of counter waits", [each["what"] for each in self.looks()])
        self.assertTrue((self.inbox / "done" / "week.csv").exists())

    def test_a_waiting_file_can_be_left_out(self) -> None:
        schedule = self.watched()
        self.put(("N-7", "C1", "2025-08-01", 20, "who knows"))
        self.run_(schedule)
        (waits,) = self.get(f"{self.at}/waiting")["files"]
        self.assertEqual(self.changed("DELETE", f"{self.at}/waiting/{waits['id']}").json, {"files": []})
        self.problem(self.changed("DELETE", f"{self.at}/waiting/{waits['id']}"), 404)
        self.assertTrue((self.inbox / "failed" / "week.csv").exists())

    def test_a_letter_is_drafted_sent_and_taken_as_it_was(self) -> None:
        server = MailServer()
        self.addCleanup(server.close)
        (schedule,) = self.add(**LETTER)["schedules"]
        draft = self.client.get(f"{self.at}/schedules/{schedule['id']}/letter")
        self.assertIn("Overview", message_from_bytes(draft.data, policy=policy.default)["Subject"])
        self.assertEqual(server.handler.to, [])
        settings = self.workspace.settings.model_copy(update=server.settings)
        with mock.patch.object(self.workspace, "settings", settings):
            self.assertEqual(self.run_(schedule)["said"], "Sent to 1 of 1.")
        letters = self.get(f"{self.at}/letters")
        self.assertEqual((letters["total"], letters["letters"][0]["addresses"]), (1, {"mo@marlpit.example": "sent"}))
        taken = self.client.get(f"{self.at}/letters/{letters['letters'][0]['id']}")
        self.assertEqual(taken.content_type, "message/rfc822")
        self.problem(self.client.get(f"{self.at}/letters/99999"), 404)

    def test_a_figure_is_watched_and_stands_on_the_overview_with_its_course(self) -> None:
        said: dict[str, Any] = {"kind": "watch", "every": "every day at 6", "side": "above", "bound": 3.0}
        for question, query in (("customers", ""), ("silence", "source=nobody"), ("cohorts", "cohort=2024-01")):
            self.add(status=422, question=question, query=query, **said)
        (watch,) = self.add(question="silence", query="source=counter", **said)["schedules"]
        self.assertEqual(
            watch["words"],
            "Every day at 06:00 look whether Days since the latest order of counter is over 3 days",
        )
        self.assertEqual(self.run_(watch)["state"], "turned")
        (look,) = [each for each in self.looks() if each["bound"] is not None]
        self.assertEqual((look["what"], look["bound"]), ("Days since the latest order of counter", 3.0))
        self.assertGreater(len([each for each in look["course"] if each is not None]), 6)
        self.assertEqual(self.run_(watch)["state"], "nothing")
        (now,) = self.get(f"{self.at}/schedules")["schedules"]
        self.assertEqual(len(now["course"]), len(look["course"]))
        self.assertIsNotNone(now["turned"])

    def test_a_letter_that_was_not_sent_is_told_on_the_overview(self) -> None:
        (schedule,) = self.add(**LETTER)["schedules"]
        with mock.patch.object(schedule_runs, "RETRY_MINUTES", ()):
            self.assertEqual(self.run_(schedule)["state"], "failed")
        (look,) = [each for each in self.looks() if each["what"] == "A letter was not sent"]
        self.assertIn("No mail server is set up.", look["why"])
        self.assertEqual(look["stop"], "schedules")


class ByClock(ApiCase):
    def test_a_worker_does_what_is_due_without_anybody_asking(self) -> None:
        row = schedules.add_folder(self.workspace, self.book, "every hour", "counter", f"clock {self.book.id}")
        with self.workspace.record.engine.begin() as connection:
            connection.exec_driver_sql("UPDATE schedules SET due_at = '2020-01-01', planned_at = '2020-01-01'")
        schedules.take_due(self.workspace)
        deadline = time.monotonic() + LIMIT_SECONDS
        while (last := schedules.find_schedule(self.workspace, self.book, row.id).last) is None or not last.ended_at:
            self.assertLess(time.monotonic(), deadline)
            time.sleep(POLL_SECONDS)
        self.assertEqual((last.state, last.asked_by), ("nothing", None))
        self.assertGreater(last.skipped, 900)


class AtTheCommandLine(CliCase):
    def test_files_come_wait_and_are_imported(self) -> None:
        book = self.new_book()
        first = write_csv(self.folder / "first.csv", [HEADER, ("A-1", "C1", "2026-11-01", 5, "paid")])
        self.run_("deliver", str(first), "--book", book, "--source", "desk")
        inbox = self.folder / "inbox"
        inbox.mkdir()
        added = self.run_(
            *("schedule", "add", "--book", book, "--every", "monday 06:00", "--source", "desk"), "--folder", str(inbox)
        ).output
        number = added.split("\t")[0]
        self.assertIn("Every Monday at 06:00 import the files of desk out of", added)
        path = write_csv(inbox / "week.csv", [HEADER, ("A-2", "C1", "2026-11-09", 5, "beglichen?")])
        os.utime(path, (time.time() - 3600,) * 2)
        self.assertIn("week.csv waits: ", self.run_("schedule", "run", number, "--book", book).output)
        waiting = self.run_("schedule", "waiting", "--book", book).output.split("\t")
        self.assertEqual(waiting[1:3], ["desk", "week.csv"])
        told = ("--waiting", waiting[0], "--book", book, "--source", "desk", "--status", "beglichen?=paid")
        self.assertIn("1 added", self.run_("deliver", *told).output)
        self.assertEqual(self.run_("schedule", "waiting", "--book", book).output, "")
        self.assertTrue((inbox / "done" / "week.csv").exists())
        self.assertIn("waits\tweek.csv waits", self.run_("schedule", "history", number, "--book", book).output)
        self.run_("schedule", "pause", number, "--book", book)
        self.assertIn("\tpaused\t", self.run_("schedule", "list", "--book", book).output)
        self.run_("schedule", "pause", number, "--book", book, "--go-on")
        self.run_("schedule", "remove", number, "--book", book)
        self.assertEqual(self.run_("schedule", "list", "--book", book).output, "")

    def test_a_letter_is_written_to_a_file_and_one_that_cannot_be_sent_says_so(self) -> None:
        book = self.new_book()
        told = ("--every", "on the first of the month", "--letter", "overview", "--to", "mo@marlpit.example")
        number = self.run_("schedule", "add", "--book", book, *told).output.split("\t")[0]
        target = self.folder / "letter.eml"
        self.run_("schedule", "run", number, "--book", book, "--dry-run", str(target))
        self.assertIn(b"Overview", Path(target).read_bytes())
        self.assertIn("No mail server is set up", self.run_("schedule", "run", number, "--book", book, code=1).output)

    def test_a_figure_is_watched(self) -> None:
        book = self.new_book()
        rows = [(f"A-{n}", f"C{n % 5}", f"2026-{1 + n % 9:02d}-03", 5, "paid") for n in range(60)]
        first = write_csv(self.folder / "first.csv", [HEADER, *rows])
        self.run_("deliver", str(first), "--book", book, "--source", "desk")
        told = ("--question", "cohorts", "--figure", "cohort=newest&age=1", "--below", "35")
        added = self.run_("watch", "add", "--book", book, *told).output
        self.assertRegex(added, r"Every day at 06:30 look whether .*newest cohort.* is under 35 %\.")
        said = self.run_("schedule", "run", added.split("\t")[0], "--book", book).output
        self.assertIn("%", said)
        self.run_("watch", "add", "--book", book, "--question", "checks", code=2)

    def test_flags_that_do_not_go_together_are_a_wrong_call(self) -> None:
        book = self.new_book()
        self.run_("schedule", "add", "--book", book, "--every", "every hour", code=2)
        self.run_("schedule", "add", "--book", book, "--every", "every hour", "--folder", "x", code=2)
        self.run_("schedule", "add", "--book", book, "--every", "every hour", "--from", "till", "--source", "s", code=2)
