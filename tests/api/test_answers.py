"""Answers that are asked for again, changes by two people, other sites' pages, and what no reply may be."""

from __future__ import annotations

import errno
import gzip
import io
import json
import tempfile
import threading
import unittest
from collections.abc import Iterator
from pathlib import Path
from typing import Any
from unittest import mock

import psutil
from flask import Response
from sqlalchemy.exc import OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from werkzeug.test import TestResponse

from goldthread import kept
from goldthread.actions import lists
from goldthread.actions.books import today_of
from goldthread.actions.by_hand import OrderByHand, put_order
from goldthread.api import answers
from goldthread.api.answers import Answers
from goldthread.api.app import create_app
from goldthread.askers import Turns, asked_by
from goldthread.core import limits
from goldthread.errors import Busy, DiskFull, Stopped, Unavailable
from goldthread.settings import Settings, kept_secret
from goldthread.stops.reading import read_book
from goldthread.stops.sentences.reading_line import ReadingLine
from goldthread.stops.stop import Answering
from goldthread.store.server.faults import TRIES, in_our_words, tried_again
from tests.support.api import ApiCase
from tests.support.asking import keep
from tests.support.sharing import deliver, new_book, tiny_book, write_csv

AS_OF = "as_of=2025-08-31"
MIB = 1 << 20


class InTurn(ApiCase):
    """So many questions are worked out at once; the others wait, and not for ever."""

    def setUp(self) -> None:
        self.turns, self.go_on, self.begun = Turns(2), threading.Event(), threading.Semaphore(0)
        self.answers = Answers(self.workspace, self.turns)
        self.most, self.now, self.lock = 0, 0, threading.Lock()
        self.told: list[Exception] = []

    def ask(self, *, gone: bool = False) -> threading.Thread:
        def work() -> int:
            with self.lock:
                self.now += 1
                self.most = max(self.most, self.now)
            self.begun.release()
            self.go_on.wait(30)
            with self.lock:
                self.now -= 1
            return 1

        def one() -> None:
            asked_by(lambda: gone)
            try:
                self.answers.in_turn(self.book.id, work)
            except (Unavailable, Stopped) as error:
                self.told.append(error)

        asking = threading.Thread(target=one)
        asking.start()
        return asking

    def test_no_more_are_worked_out_at_once_than_there_are_turns(self) -> None:
        asking = [self.ask() for _ in range(8)]
        for _ in range(2):
            self.assertTrue(self.begun.acquire(timeout=30))
        self.go_on.set()
        for each in asking:
            each.join()
        self.assertEqual((self.most, self.told), (2, []))

    def test_who_waits_too_long_or_behind_too_many_is_told_when_to_ask_again(self) -> None:
        asking = [self.ask() for _ in range(2)]
        for _ in range(2):
            self.assertTrue(self.begun.acquire(timeout=30))
        with mock.patch("goldthread.askers.WAITING_SECONDS", 0.0):
            self.ask().join()
        with mock.patch("goldthread.askers.WAITING_MOST", 0):
            self.ask().join()
        self.ask(gone=True).join()
        self.go_on.set()
        for each in asking:
            each.join()
        self.assertEqual([type(each) for each in self.told], [Unavailable, Unavailable, Stopped])
        with mock.patch.object(Turns, "one", side_effect=self.told[0]):
            reply = self.client.get(f"{self.at}/ask/cohorts?as_of=2025-08-30&lapse=17d")
        self.assertEqual(self.problem(reply, 503)["title"], "Not available")
        self.assertEqual(reply.headers["Retry-After"], "5")

    def test_a_database_that_has_no_connection_left_is_no_fault_of_ours(self) -> None:
        with mock.patch("goldthread.store.books.list_books", side_effect=PoolTimeout("QueuePool limit")):
            reply = self.client.get("/api/books")
        self.assertIn("Too many", self.problem(reply, 503)["detail"])
        self.assertEqual(reply.headers["Retry-After"], "5")


class AskedAgain(ApiCase):
    def setUp(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            self.own = tiny_book(self.workspace, Path(folder))
        self.path = f"/api/books/{self.own.id}/ask/cohorts?{AS_OF}"

    def test_a_question_is_worked_out_once_until_what_it_depends_on_changes(self) -> None:
        with mock.patch.object(Answering, "asked", autospec=True, side_effect=Answering.asked) as asked:

            def works(path: str, **headers: str) -> bool:
                before = asked.call_count
                self.assertIn(self.client.get(path, headers=headers).status_code, (200, 304))
                return asked.call_count > before

            tag = self.client.get(self.path).headers["ETag"]
            self.assertFalse(works(self.path))
            self.assertFalse(works(self.path, **{"If-None-Match": tag}))
            self.assertTrue(works(f"{self.path}&period=year"))
            self.assertTrue(works(self.path, Accept="text/csv"))
            read = read_book(self.workspace, self.own, ReadingLine(), today_of(self.own))
            kept = keep(self.workspace, read, [0, 1], "two")
            self.assertTrue(works(self.path), "the lists that can be chosen stand in the answer")
            lists.rename_list(self.workspace, self.own, kept.id, "a pair")
            self.assertTrue(works(self.path), "and so do their names")
            lists.delete_list(self.workspace, self.own, kept.id)
            put_order(self.workspace, self.own, OrderByHand("counter", "K77", "C01", "2025-08-30", "5"))
            self.assertTrue(works(self.path, **{"If-None-Match": tag}))
            with mock.patch("goldthread.actions.books.today_of", return_value=today_of(self.own).replace(year=2100)):
                self.assertTrue(works(self.path), "another day may mean another as-of date")

    def test_a_reply_is_packed_for_who_takes_it_so(self) -> None:
        plain, packed = (self.client.get(self.path, headers={"Accept-Encoding": each}) for each in ("identity", "gzip"))
        self.assertNotIn("Content-Encoding", plain.headers)
        self.assertEqual(packed.headers["Content-Encoding"], "gzip")
        self.assertEqual(gzip.decompress(packed.data), plain.data)
        self.assertEqual(packed.headers["ETag"], plain.headers["ETag"])
        self.assertIn("Accept-Encoding", packed.headers["Vary"])

    def test_a_large_table_goes_out_piece_by_piece_and_is_not_kept(self) -> None:
        path = f"/api/books/{self.own.id}/ask/orders?{AS_OF}"
        whole = self.client.get(path, headers={"Accept": "text/csv"})
        made = Answers(self.workspace, Turns(2))
        pieces = list[int]()

        def lines() -> Iterator[bytes]:
            for place in range(100):
                pieces.append(place)
                yield b"x" * 1_000

        with (
            self.app.test_request_context(f"{path}&lapse=88d", headers={"Accept": "text/csv"}),
            mock.patch.object(answers, "LARGEST_REPLY_BYTES", 4_500),
        ):
            reply = made.reply(self.own.id, lambda: Response(lines(), content_type="text/csv"))
            self.assertEqual((reply.is_streamed, len(pieces)), (True, 5))
            self.assertEqual((len(reply.get_data()), len(pieces)), (100_000, 100))
        self.assertNotIn("ETag", reply.headers)
        with mock.patch.object(answers, "LARGEST_REPLY_BYTES", 100):
            self.assertEqual(self.client.get(f"{path}&lapse=89d", headers={"Accept": "text/csv"}).data, whole.data)

    def test_a_thousand_different_questions_leave_the_memory_level(self) -> None:
        client, process = create_app(self.workspace).test_client(), psutil.Process()
        orders = self.workspace.orders(self.own.id).orders

        def ask(number: int) -> None:
            day, month, year = 1 + number % 28, 1 + number // 28 % 12, 1990 + number // 336
            figure = ("retention", "orders", "came_back")[number % 3]
            path = f"/api/books/{self.own.id}/ask/cohorts?as_of={year + 34}-{month:02d}-{day:02d}&figure={figure}"
            self.assertEqual(client.get(path).status_code, 200)

        with mock.patch.object(kept, "_ROOM_BYTES", 16 * MIB):
            for number in range(500):
                ask(number)
            before, derived = process.memory_info().rss, len(orders.worked_out)
            for number in range(500, 1_000):
                ask(number)
        self.assertLess(process.memory_info().rss - before, 40 * MIB)
        self.assertLessEqual(len(orders.worked_out), derived + 300)
        self.assertLess(self.workspace.account.held_bytes, 17 * MIB)

    def test_a_reply_that_would_be_too_large_says_what_to_choose(self) -> None:
        with mock.patch("goldthread.shape.REPLY_BYTES_MOST", 1_000):
            told = self.problem(self.client.get(self.path), 413)
        self.assertIn("longer period", told["remedy"])
        with mock.patch.object(limits, "CELLS_SHOWN_MOST", 3):
            self.assertIn("as a file", self.problem(self.client.get(f"{self.path}&period=quarter"), 413)["remedy"])

    def test_work_that_nobody_waits_for_any_more_ends(self) -> None:
        def ask() -> None:
            asked_by(lambda: True)
            try:
                read_book(self.workspace, self.own, ReadingLine(as_of="2024-03-03"), today_of(self.own))
            except Stopped as stopped:
                ended.append(stopped)

        ended: list[Stopped] = []
        asker = threading.Thread(target=ask)
        asker.start()
        asker.join()
        self.assertEqual(len(ended), 1)


class SavedByTwo(ApiCase):
    def setUp(self) -> None:
        self.into = f"/api/books/{new_book(self.workspace).id}/views"

    def save(self, name: str, seen: int | None = None, words: str = "How many?") -> TestResponse:
        body = {"name": name, "stop": "cohorts", "query": "period=year", "words": words}
        headers = {} if seen is None else {"If-Match": f'"{seen}"'}
        return self.changed("POST", self.into, headers=headers, json=body)

    def test_names_that_people_take_for_one_are_one_everywhere(self) -> None:
        self.save("Weekly")
        self.save("weekly")
        self.save("Wéekly ")
        [kept] = self.get(self.into)["views"]
        self.assertEqual((kept["name"], [each["version"] for each in kept["versions"]]), ("Weekly", [3, 2, 1]))
        self.save("Weekly sales")
        self.changed("DELETE", f"{self.into}/{kept['versions'][0]['id']}")
        self.assertEqual([each["name"] for each in self.get(self.into)["views"]], ["Weekly sales"])

    def test_who_saves_over_a_version_that_was_not_seen_is_told(self) -> None:
        self.assertEqual(self.save("Weekly", 0).status_code, 201)
        self.assertEqual(self.save("Weekly", 1, "How much?").status_code, 201)
        told = self.problem(self.save("weekly", 1), 409)
        self.assertEqual(told["detail"], "“Weekly” was saved meanwhile as version 2: How much?")
        [kept] = self.get(self.into)["views"]
        stale = {"If-Match": '"1"'}
        self.problem(self.changed("DELETE", f"{self.into}/{kept['versions'][0]['id']}", headers=stale), 409)
        self.problem(self.changed("POST", f"{self.into}/{kept['versions'][1]['id']}/restore", headers=stale), 409)
        self.assertEqual(len(self.get(self.into)["views"][0]["versions"]), 2)

    def test_one_name_saved_eight_times_at_once_has_eight_versions(self) -> None:
        token = self.get("/api/session")["csrf_token"]
        cookie = self.client.get_cookie(self.app.config["SESSION_COOKIE_NAME"])
        assert cookie is not None
        found: list[int] = []

        def save() -> None:
            client = self.app.test_client()
            client.set_cookie(cookie.key, cookie.value)
            body = {"name": "Weekly", "stop": "cohorts", "query": "", "words": "?"}
            found.append(client.post(self.into, json=body, headers={"X-CSRFToken": token}).status_code)

        savers = [threading.Thread(target=save) for _ in range(8)]
        for saver in savers:
            saver.start()
        for saver in savers:
            saver.join()
        self.assertEqual(found, [201] * 8)
        [kept] = self.get(self.into)["views"]
        self.assertEqual([each["version"] for each in kept["versions"]], list(range(8, 0, -1)))


class WhatIsSent(ApiCase):
    def test_texts_that_cannot_be_kept_are_refused(self) -> None:
        for body in ('{"name": "' + "[" * 20_000 + '"}', "[" * 20_000, '{"name": "\\ud800"}', '{"name":'):
            reply = self.changed("POST", "/api/books", data=body, content_type="application/json")
            with self.subTest(body=body[:20]):
                self.assertTrue(400 <= reply.status_code < 500, reply.text)

    def test_names_are_what_they_look_like(self) -> None:
        for name in ("a\x00b", "two\nlines", "\u202egnp.exe", "a\u2066b", "tab\tbed"):
            with self.subTest(name=name):
                self.problem(self.changed("POST", "/api/books", json={"name": name}), 422)
                body = {"name": name, "stop": "cohorts", "query": "", "words": ""}
                if not name.isprintable() and name.split() == [name]:
                    self.problem(self.changed("POST", f"{self.at}/views", json=body), 422)
        order = {"source": "x\u202ey", "number": "1", "customer": "1", "date": "2024-01-05", "amount": "1"}
        self.assertEqual(self.problem(self.changed("POST", f"{self.at}/orders", json=order), 422)["field"], "source")

    def test_the_name_of_a_column_is_cleaned_of_what_nobody_sees(self) -> None:
        book = new_book(self.workspace)
        with tempfile.TemporaryDirectory() as folder:
            rows = [("customer_no", "name", "re\u202egi\non"), ("C1", "Ada", "Coast")]
            deliver(self.workspace, book, write_csv(Path(folder) / "c.csv", rows), "office")
        named = [field["name"] for field in self.get(f"/api/books/{book.id}/fields")["fields"]]
        self.assertIn("re gi on", named)

    def test_no_other_book_is_named(self) -> None:
        told = self.problem(self.client.get("/api/books/999999/ask/cohorts"), 404)
        self.assertNotIn(self.book.name, json.dumps(told))


class OtherSites(ApiCase):
    def test_another_sites_page_may_ask_nothing(self) -> None:
        for headers in (
            {"Origin": "http://elsewhere.example"},
            {"Origin": "null"},
            {"Origin": "http://localhost:1"},
            {"Sec-Fetch-Site": "cross-site"},
            {"Sec-Fetch-Site": "same-site"},
        ):
            with self.subTest(headers=headers):
                self.problem(self.client.get("/api/books", headers=headers), 403)
                self.problem(self.changed("POST", "/api/books", headers=headers, json={"name": "x"}), 403)
        for headers in (
            {"Origin": "http://localhost", "Sec-Fetch-Site": "same-origin"},
            {"Sec-Fetch-Site": "none"},
            {},
        ):
            self.assertEqual(self.client.get("/api/books", headers=headers).status_code, 200)

    def test_each_installation_has_a_cookie_of_its_own(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            found: list[str] = []
            file = Path(folder) / "inside" / "secret"
            readers = [threading.Thread(target=lambda: found.append(kept_secret(file))) for _ in range(16)]
            for reader in readers:
                reader.start()
            for reader in readers:
                reader.join()
            self.assertEqual((len(found), len(set(found)), len(found[0])), (16, 1, 64))
            self.assertEqual([each.name for each in file.parent.iterdir()], ["secret"])
            self.assertEqual((file.stat().st_mode & 0o077, file.parent.stat().st_mode & 0o077), (0, 0))
            other = Settings(var=Path(folder) / "other")
            name = create_app(mock.Mock(settings=other)).config["SESSION_COOKIE_NAME"]
        self.assertNotEqual(name, self.app.config["SESSION_COOKIE_NAME"])


class Full(ApiCase):
    def test_a_full_disk_is_told_and_does_not_keep_a_book_from_being_read(self) -> None:
        full = OSError(errno.ENOSPC, "No space left on device")
        with tempfile.TemporaryDirectory() as folder:
            book = tiny_book(self.workspace, Path(folder))
        broken = mock.patch("goldthread.store.snapshot.np.save", side_effect=full)
        with broken, self.assertLogs("goldthread.store.snapshot"):
            self.assertEqual(self.get(f"/api/books/{book.id}/ask/cohorts?{AS_OF}")["customers"], 11)
        self.assertEqual(list(self.workspace.settings.snapshots.glob(f"{book.id}-*")), [])
        form = {"file": (io.BytesIO(b"a,b\n"), "a.csv")}
        broken = mock.patch("goldthread.actions.uploads.private_folder", side_effect=full)
        with broken, self.assertLogs("goldthread.api.problems", "ERROR"):
            told = self.problem(self.changed("POST", f"{self.at}/uploads", data=form), 507)
        self.assertIn("disk is full", told["detail"])

    def test_what_the_database_says_is_put_in_our_words(self) -> None:
        def of(code: int, words: str = "") -> Any:
            return in_our_words(OperationalError("SELECT 1", {}, Exception(code, words)))

        self.assertIsInstance(of(1213, "Deadlock found"), Busy)
        self.assertIsInstance(of(1205, "Lock wait timeout"), Busy)
        self.assertIsInstance(of(1021, "Disk full"), DiskFull)
        self.assertIsInstance(of(1030, 'Got error 28 "No space left on device"'), DiskFull)
        self.assertIsInstance(of(2006, "gone away"), Unavailable)
        self.assertIsNone(of(1050, "Table exists"))

    def test_who_stands_in_each_others_way_tries_again(self) -> None:
        calls: list[int] = []

        def twice() -> str:
            calls.append(1)
            if len(calls) < 3:
                raise OperationalError("UPDATE x", {}, Exception(1213, "Deadlock found"))
            return "done"

        self.assertEqual((tried_again(twice), len(calls)), ("done", 3))

        def ever() -> None:
            calls.append(1)
            raise Busy("busy")

        calls.clear()
        with mock.patch("goldthread.store.server.faults._WAIT_SECONDS", 0), self.assertRaises(Busy):
            tried_again(ever)
        self.assertEqual(len(calls), TRIES)


if __name__ == "__main__":
    unittest.main()
