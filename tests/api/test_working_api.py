"""Lists that are worked, through the API: what is done, by several people, taken back, and what came of it."""

from __future__ import annotations

import datetime as dt
import threading
import unittest
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any
from unittest import mock
from urllib.parse import urlencode

from goldthread.actions.package import export_book, import_book
from goldthread.core.records import unreported
from goldthread.stops.reading import read_book
from goldthread.stops.sentences.reading_line import ReadingLine
from goldthread.store import lists, undoing, working
from goldthread.store.lists import find_list
from tests.support import tiny
from tests.support.threads import ThreadsCase
from tests.support.working import JUNE, WorkingCase

TODAY = dt.date(2025, 8, 31)


class Work(WorkingCase):
    def test_what_is_done_stands_beside_each_member(self) -> None:
        first, second, third = self.keys()[:3]
        self.work(first, state="contacted", contacted_on="2025-07-01", channel="phone", note="Kiln\nbroken", by="Mo")
        self.work(second, state="left_out", by="Mo")
        self.work(third, call_on="2026-03-01", note="ask in spring", by="Ann")
        entry = self.member(first)["entry"]
        said = [entry[name] for name in ("state", "contacted_on", "channel", "contacted_by", "note", "changed_by")]
        self.assertEqual(said, ["contacted", "2025-07-01", "phone", "Mo", "Kiln\nbroken", "Mo"])
        self.assertEqual(self.member(third)["entry"]["call_on"], "2026-03-01")
        self.assertEqual((self.keys(shown="contacted"), self.keys(shown="left_out")), ([first], [second]))
        groups = self.groups()
        parts = [groups[each]["customers"] for each in ("to_do", "contacted", "left_out", "held_back")]
        self.assertEqual((sum(parts), parts[1:]), (groups["all"]["customers"], [1, 1, 0]))
        rows = {row["customer"]: row for row in self.table("worked", list=self.name)}
        self.assertEqual((rows[first]["state"], rows[first]["note"]), ("contacted", "Kiln\nbroken"))
        answered = self.work(third, no_call=True)["entry"]
        self.assertEqual((answered, answered["call_on"]), (self.member(third)["entry"], None))

    def test_one_member_is_found_wherever_it_stands_with_who_is_next(self) -> None:
        rows = [each["row"]["thread"] for each in self.worked()["rows"]]
        keys, ids = [each["key"] for each in rows], [each["customer"] for each in rows]

        def one(customer: int, **query: Any) -> Any:
            return self.get(self.path("worked/one", list=self.name, customer=customer, **query))

        last = one(ids[-1])
        self.assertEqual((last["place"], last["member"]["row"]["thread"]["key"]), (len(ids) - 1, keys[-1]))
        self.assertEqual([one(each)["next"] for each in ids], [*ids[1:], ids[0]])
        self.work(keys[1], state="contacted")
        self.assertEqual(one(ids[0])["next"], ids[2])
        # who is shown no more is there still, and the first to do comes next
        gone = one(ids[1], shown="to_do")
        self.assertEqual((gone["place"], gone["next"]), (None, ids[0]))
        for key in keys[2:]:
            self.work(key, state="left_out")
        self.assertIsNone(one(ids[0])["next"])
        self.problem(self.client.get(self.path("worked/one", list=self.name, customer=999_999)), 404)

    def test_the_reply_to_a_change_says_how_the_book_stands(self) -> None:
        key, at = self.keys()[0], self.path("worked", list=self.name)
        before = self.changed("PUT", self.at_member(key), json={"note": "one"}).headers["Book-State"]
        after = self.changed("PUT", self.at_member(key), json={"note": "two"}).headers["Book-State"]
        self.assertEqual(before.split()[0], after.split()[0])
        self.assertNotEqual(before, after)
        refused = self.changed("PUT", self.at_member(key), json={})
        self.assertEqual([reply.headers.get("Book-State") for reply in (refused, self.client.get(at))], [None, None])

    def test_who_is_contacted_without_a_date_was_contacted_today(self) -> None:
        key = self.keys()[0]
        entry = self.work(key, state="contacted")["entry"]
        self.assertEqual(entry["contacted_on"], entry["changed_at"][:10])

    def test_of_two_people_the_last_word_on_each_field_stands_and_nothing_is_lost(self) -> None:
        key = self.keys()[0]
        at = self.at_member(key)
        ends: list[int] = []

        def say(who: str, **done: Any) -> None:
            client = self.app.test_client()
            token = client.get("/api/session").json
            assert token is not None
            reply = client.put(at, json={**done, "by": who}, headers={"X-CSRFToken": token["csrf_token"]})
            ends.append(reply.status_code)

        people = [
            threading.Thread(target=say, args=(f"p{place}",), kwargs={"note": f"n{place}", "channel": f"c{place}"})
            for place in range(6)
        ]
        for each in people:
            each.start()
        for each in people:
            each.join()
        self.assertEqual(ends, [200] * 6)
        self.work(key, state="left_out", by="Zoe")
        entry, history = self.member(key)["entry"], self.history()
        self.assertEqual((entry["state"], entry["changed_by"]), ("left_out", "Zoe"))
        self.assertEqual(entry["note"][1:], entry["channel"][1:])
        notes = {each["value"] for each in history["changes"] if each["field"] == "note"}
        self.assertEqual(notes, {f"n{place}" for place in range(6)})

    def history(self, **query: Any) -> Any:
        return self.get(f"{self.at}/lists/{self.list['id']}/history?{urlencode(query)}")

    def test_an_action_is_taken_back_whole_and_what_was_changed_since_stays(self) -> None:
        key = self.keys()[0]
        self.work(key, note="first", by="Mo")
        action = self.work(key, state="contacted", contacted_on="2025-07-02", note="second", by="Mo")["action"]
        self.work(key, note="third", by="Ann")
        self.assertEqual(self.undo(action=action, by="Mo").status_code, 200)
        entry = self.member(key)["entry"]
        self.assertEqual((entry["state"], entry["contacted_on"], entry["note"]), ("to_do", None, "third"))
        self.assertEqual(self.undo(action=action).status_code, 409)
        # the last that stands is Ann's word; after it the very first
        self.assertEqual(self.undo().status_code, 200)
        self.assertEqual(self.member(key)["entry"]["note"], "second")
        undone = [each for each in self.history()["changes"] if each["undone"]]
        self.assertEqual({each["action"] for each in undone} >= {action}, True)
        self.assertTrue(all(each["name"] for each in self.history(limit=2)["changes"]))

    def test_nothing_to_take_back_and_nothing_done_are_said(self) -> None:
        self.problem(self.undo(), 404)
        key = self.keys()[0]
        at = self.at_member(key)
        for body in ({}, {"note": "x" * 2_001}, {"state": "gone"}, {"contacted_on": "2999-01-01"}, {"call_on": "x"}):
            self.problem(self.changed("PUT", at, json=body), 422)
        stranger = at.rsplit("/", 1)[0] + "/99999999"
        self.problem(self.changed("PUT", stranger, json={"note": "x"}), 404)
        self.problem(self.client.get(self.path("worked")), 422)
        self.problem(self.client.get(self.path("worked", list=self.name, within="0d")), 422)

    def test_contacts_of_every_list_stand_on_the_customers_page(self) -> None:
        key = self.keys()[0]
        self.work(key, state="contacted", contacted_on="2025-07-02", channel="phone", note="call again", by="Mo")
        contacts = {each["list_name"]: each for each in self.customer(key)["contacts"]}
        wanted = {"date": "2025-07-02", "channel": "phone", "by": "Mo", "note": "call again", "list_name": self.name}
        self.assertEqual(contacts[self.name], wanted)
        self.work(key, state="to_do")
        self.assertNotIn(self.name, [each["list_name"] for each in self.customer(key)["contacts"]])

    def test_a_deleted_list_is_brought_back_with_what_was_done_until_it_is_gone_for_good(self) -> None:
        key, list_at = self.keys()[0], f"{self.at}/lists/{self.list['id']}"
        self.work(key, note="x", state="contacted", contacted_on="2025-07-03")
        before = self.get(f"{self.at}/lists")
        self.changed("DELETE", list_at)
        self.assertNotIn(self.name, [each["list_name"] for each in self.customer(key)["contacts"]])
        self.problem(self.client.get(f"{self.at}/ask/customers?{urlencode({'list': self.name})}"), 404)
        self.assertEqual(self.changed("POST", f"{list_at}/undelete").get_json(), before)
        self.assertEqual(
            [each["note"] for each in self.customer(key)["contacts"] if each["list_name"] == self.name], ["x"]
        )
        self.changed("DELETE", list_at)
        with mock.patch.object(undoing, "KEPT_SECONDS", 0), self.workspace.record.engine.begin() as connection:
            undoing.remove_for_good(connection)
        self.problem(self.changed("POST", f"{list_at}/undelete"), 404)
        self.assertEqual(working.entries(self.workspace.record.engine, self.list["id"]), {})

    def test_a_list_is_brought_back_where_there_is_a_place_for_it(self) -> None:
        list_at = f"{self.at}/lists/{self.list['id']}"
        self.changed("DELETE", list_at)
        with mock.patch.object(lists, "LISTS_MOST", 0):
            self.problem(self.changed("POST", f"{list_at}/undelete"), 413)
        other = self.changed("POST", f"{self.at}/ask/customers/list", json={"name": self.name.upper()}).get_json()
        self.problem(self.changed("POST", f"{list_at}/undelete"), 409)
        self.changed("DELETE", f"{self.at}/lists/{other['id']}")
        left = self.changed("POST", f"{list_at}/undelete").get_json()["lists"]
        self.assertIn(self.name, [each["name"] for each in left])

    def test_it_comes_along_in_a_package(self) -> None:
        key = self.keys()[0]
        self.work(key, state="contacted", contacted_on="2025-07-03", note='tab\there, "quoted"', by="Mo")
        self.undo()
        self.work(key, state="contacted", contacted_on="2025-07-04", channel="e-mail", by="Ann")
        with TemporaryDirectory() as folder:
            export_book(self.workspace, self.book, Path(folder) / "p.zip", unreported)
            back = import_book(self.workspace, Path(folder) / "p.zip", f"back {self.name}"[:120], unreported)
        read = read_book(self.workspace, back, ReadingLine(list=self.name), TODAY)
        assert read.chosen_list is not None
        mine = find_list(self.workspace.record.engine, self.book.id, self.list["id"])
        self.assertEqual(read.chosen_list.changes, mine.changes)
        found = working.entries(self.workspace.record.engine, read.chosen_list.id)
        (entry,) = found.values()
        said = (entry.contacted_on, entry.channel, entry.changed_by)
        self.assertEqual(said, (dt.date(2025, 7, 4), "e-mail", "Ann"))


class Outcome(WorkingCase):
    def test_what_became_of_everybody_is_that_by_hand(self) -> None:
        orders = [each for each in tiny.orders() if each.status != "cancelled"]
        first_date, last_date = dt.date.fromisoformat(JUNE), dt.date(2025, 7, 30)
        ordered_again = {each.customer for each in orders if first_date < each.date <= last_date}
        members = self.keys()
        first = next(key for key in members if key in ordered_again)
        day = min(each.date for each in orders if each.customer == first and each.date > first_date)
        groups = self.groups(within="30d")
        self.assertEqual(groups["all"]["ordered"], len(ordered_again & set(members)))
        self.assertEqual(groups["all"]["over"], len(members))
        # contacted on the day of the order: it counts, after 0 days; a day later it does not
        self.work(first, state="contacted", contacted_on=day.isoformat())
        member = next(e for e in self.worked(within="30d")["rows"] if e["row"]["thread"]["key"] == first)
        self.assertEqual((member["ordered_on"], member["after_days"]), (day.isoformat(), 0))
        compared = self.worked(within="30d")["compared"]
        self.assertEqual((compared["first"]["customers"], compared["first"]["ordered"]), (1, 1))
        self.assertIn("Not an experiment", compared["words"])

    def test_days_still_open_are_no_no(self) -> None:
        first = self.keys()[0]
        self.work(first, state="contacted", contacted_on="2025-08-20")
        contacted = self.groups(within="30d")["contacted"]
        self.assertEqual((contacted["over"], contacted["still_open"], contacted["share"]), (0, 1, None))
        self.assertIn("Nothing to compare yet", self.worked(within="30d")["compared"]["words"])

    def test_a_share_held_back_at_random_is_the_comparison(self) -> None:
        self.name = "held back"
        self.list = self.made(self.name, 0.5)
        groups = self.groups(within="60d")
        everybody, held = groups["all"]["customers"], groups["held_back"]["customers"]
        self.assertEqual((held, groups["to_do"]["customers"]), (round(everybody / 2), everybody - held))
        compared = self.worked(within="60d")["compared"]
        self.assertEqual((compared["is_fair"], compared["second"]["customers"]), (True, held))
        self.assertIn("fair comparison", compared["words"])
        self.problem(self.undo(), 404)
        key = self.keys(shown="held_back")[0]
        for done in ({"note": "away"}, {"state": "to_do"}):
            answered = self.work(key, **done)["entry"]
            self.assertEqual((answered, answered["held_back"]), (self.member(key)["entry"], True))
        self.assertEqual(answered["state"], "to_do")
        for share in (0.9, -0.1):
            path = self.path("follow-up/list", as_of=JUNE)
            self.problem(self.changed("POST", path, json={"name": "no", "hold_back": share}), 422)

    def test_every_figure_opens_and_the_database_agrees(self) -> None:
        keys = self.keys()
        self.work(keys[0], state="contacted", contacted_on="2025-07-05")
        self.work(keys[1], state="contacted", contacted_on="2025-08-25")
        self.work(keys[2], state="left_out")
        groups = self.groups(within="20d")
        for members in ("all", "to_do", "contacted", "left_out"):
            for became in (None, "ordered", "not_ordered", "open"):
                query = {"list": self.name, "within": "20d", "members": members}
                query |= {} if became is None else {"became": became}
                opened, recounted = self.ask("worked/behind", **query), self.ask("worked/recount", **query)
                group = groups[members]
                wanted = {
                    None: group["customers"],
                    "ordered": group["ordered"] + group["open_ordered"],
                    "not_ordered": group["over"] - group["ordered"],
                    "open": group["still_open"] - group["open_ordered"],
                }[became]
                with self.subTest(members=members, became=became):
                    self.assertEqual(opened["customers"], wanted)
                    self.assertTrue(recounted["agrees"], recounted)

    def test_all_lists_at_a_glance_and_the_members_stay_whatever_comes(self) -> None:
        keys = self.keys()
        self.work(keys[0], state="contacted", contacted_on="2025-07-05")
        found = {each["name"]: each for each in self.ask("outcomes")["lists"]}[self.name]
        self.assertEqual((found["customers"], found["contacted"], found["to_do"]), (len(keys), 1, len(keys) - 1))
        self.assertEqual(self.table("outcomes")[0].keys() >= {"list", "contacted", "share", "revenue"}, True)
        # the rule would give others by now; the list is frozen
        self.assertNotEqual(sorted(keys), sorted(ThreadsCase.keys(self, "standing = 'lapsed'")))
        self.assertEqual(sorted(self.keys(as_of="2025-08-31")), sorted(keys))


if __name__ == "__main__":
    unittest.main()
