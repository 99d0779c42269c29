"""Notes over HTTP: who writes them, who reads them, and what they are on."""

from __future__ import annotations

import unittest
from typing import Any

from flask.testing import FlaskClient

from goldthread.actions import by_hand, lists, notes, people, working
from goldthread.actions.books import hide_people, today_of
from goldthread.actions.deliveries import withdraw_delivery
from goldthread.actor import AT_THE_DESK, Role, act_as, acting_as
from goldthread.core.choices import NoteOn
from goldthread.core.records import Verdict
from goldthread.errors import NotFound
from goldthread.stops.reading import read_book
from goldthread.stops.sentences.reading_line import ReadingLine
from goldthread.store import notes as on_record
from tests.support.asking import keep
from tests.support.people import PeopleCase


class Notes(PeopleCase):
    def setUp(self) -> None:
        # whoever asked last acts no more
        act_as(AT_THE_DESK)
        for row in notes.list_notes(self.workspace, self.book, None, "", 0, 500)[1]:
            notes.remove_note(self.workspace, self.book, row.id)
        hide_people(self.workspace, self.book, hidden=False)

    def write(self, client: FlaskClient, about: str, key: object, text: str, status: int = 201) -> Any:
        body = {"about": about, "key": str(key), "text": text}
        return self.changed(client, "POST", f"{self.at}/notes", status, json=body)

    def texts(self, client: FlaskClient, query: str = "") -> list[str]:
        return [each["text"] for each in client.get(f"{self.at}/notes{query}").get_json()["notes"]]

    def test_a_note_is_written_found_edited_and_taken_back_by_its_author(self) -> None:
        analyst, other = self.client("analyst"), self.client("owner")
        note = self.write(analyst, "cell", "2024-01/1", "  The kiln sale fell\ninto this month.  ")
        self.assertEqual(
            (note["on"], note["text"], note["made_by"], note["shared"], note["version"], note["edited_at"]),
            ("the cohort Jan 2024 at age 1", "The kiln sale fell\ninto this month.", "analyst one", True, 1, None),
        )
        self.write(analyst, "cohort", "2024-01", "First of all.")
        self.write(other, "period", "2024-W05", "Closed for snow, 10 % off_after")
        at = f"{self.at}/notes/{note['id']}"
        newer = self.changed(analyst, "PUT", at, 200, json={"text": "A sale."}, headers=self.seen(analyst, 1))
        self.assertEqual((newer["text"], newer["version"]), ("A sale.", 2))
        late = self.changed(analyst, "PUT", at, 409, json={"text": "Mine."}, headers=self.seen(analyst, 1))
        self.assertIn("edited meanwhile", late["detail"])
        self.assertEqual(self.texts(other), ["Closed for snow, 10 % off_after", "First of all.", "A sale."])
        self.assertEqual(self.texts(other, "?about=cell&key=2024-01/1"), ["A sale."])
        self.assertEqual(self.texts(other, "?about=cohort&key=2024-01"), ["First of all."])
        self.assertEqual(self.texts(other, "?find=SNOW+10"), ["Closed for snow, 10 % off_after"])
        # what stands for anything in a search of the database is a letter like others here
        self.assertEqual(self.texts(other, "?find=%25"), ["Closed for snow, 10 % off_after"])
        self.assertEqual(self.texts(other, "?find=f_a"), ["Closed for snow, 10 % off_after"])
        page = other.get(f"{self.at}/notes?limit=1&offset=1").get_json()
        self.assertEqual((page["total"], [each["text"] for each in page["notes"]]), (3, ["First of all."]))
        things = other.get(f"{self.at}/notes/things").get_json()["things"]
        self.assertCountEqual(
            [(each["about"], each["key"], each["count"]) for each in things],
            [("cell", "2024-01/1", 1), ("cohort", "2024-01", 1), ("period", "2024-W05", 1)],
        )
        self.changed(analyst, "DELETE", at, 204)
        self.changed(analyst, "DELETE", at, 404)
        self.assertEqual(self.texts(analyst, "?about=cell&key=2024-01/1"), [])

    def seen(self, client: FlaskClient, version: int) -> dict[str, str]:
        return {"If-Match": f'"{version}"', "X-CSRFToken": client.get("/api/session").get_json()["csrf_token"]}

    def changed(self, client: FlaskClient, method: str, path: str, status: int, **more: Any) -> Any:
        if "headers" not in more:
            return super().changed(client, method, path, status, **more)
        reply = client.open(path, method=method, **more)
        self.assertEqual(reply.status_code, status, reply.text)
        return reply.get_json(silent=True)

    def test_readers_write_for_themselves_and_nobody_edits_what_another_wrote(self) -> None:
        reader, analyst, owner = self.client("reader"), self.client("analyst"), self.client("owner")
        own = self.write(reader, "cohort", "2024-01", "Ask about this one.")
        note = self.write(analyst, "cohort", "2024-01", "Asked.")
        self.assertFalse(own["shared"])
        self.assertEqual(self.texts(reader), ["Asked.", "Ask about this one."])
        self.assertEqual(self.texts(analyst), ["Asked."])
        self.assertEqual(self.texts(owner), ["Asked.", "Ask about this one."])
        text = {"text": "Mine now."}
        refused = self.changed(reader, "PUT", f"{self.at}/notes/{note['id']}", 403, json=text)
        self.assertIn("not yours", refused["detail"])
        self.changed(reader, "DELETE", f"{self.at}/notes/{note['id']}", 403)
        self.changed(analyst, "PUT", f"{self.at}/notes/{own['id']}", 404, json=text)
        self.changed(owner, "DELETE", f"{self.at}/notes/{own['id']}", 204)

    def test_who_sees_numbers_of_customers_reads_no_words_that_may_name_them(self) -> None:
        reader = self.client("reader")
        self.write(self.client("analyst"), "cohort", "2024-01", "Ada Orme bought a kiln.")
        self.write(reader, "cohort", "2024-01", "Own words.")
        with acting_as(AT_THE_DESK):
            hide_people(self.workspace, self.book, hidden=True)
        self.assertEqual(self.texts(reader), ["Own words."])
        things = reader.get(f"{self.at}/notes/things").get_json()["things"]
        self.assertEqual([each["count"] for each in things], [1])

    def test_a_note_on_a_customer_stays_with_whom_they_are_matched(self) -> None:
        analyst = self.client("analyst")
        ids = [working.customer_by_key(self.workspace, self.book, key) for key in ("C01", "C02")]
        note = self.write(analyst, "customer", ids[1], "Wants to be called in the morning.")
        self.assertEqual(note["key"], str(ids[1]))
        act_as(AT_THE_DESK)
        matched = by_hand.match_customers(self.workspace, self.book, ids, Verdict.ONE)
        one = working.customer_by_key(self.workspace, self.book, "C01")
        self.assertEqual(self.texts(analyst, f"?about=customer&key={one}"), ["Wants to be called in the morning."])
        act_as(AT_THE_DESK)
        withdraw_delivery(self.workspace, self.book, matched.delivery_id or 0)
        again = working.customer_by_key(self.workspace, self.book, "C02")
        self.assertEqual(self.texts(analyst, f"?about=customer&key={again}"), ["Wants to be called in the morning."])
        other = working.customer_by_key(self.workspace, self.book, "C01")
        self.assertEqual(self.texts(analyst, f"?about=customer&key={other}"), [])

    def test_who_does_not_see_a_list_reads_no_note_on_it(self) -> None:
        owner, analyst = self.client("owner"), self.client("analyst")
        act_as(AT_THE_DESK)
        read = read_book(self.workspace, self.book, ReadingLine(), today_of(self.book))
        row = keep(self.workspace, read, [0, 1], "quiet ones")
        self.write(owner, "list", row.id, "Not before Monday.")
        self.assertEqual(self.texts(analyst), ["Not before Monday."])
        with acting_as(AT_THE_DESK):
            lists.share_list(self.workspace, self.book, row.id, shared=False)
        self.assertEqual(self.texts(analyst), [])
        self.write(analyst, "list", row.id, "Me too.", 404)
        self.assertEqual(self.texts(owner), ["Not before Monday."])
        act_as(AT_THE_DESK)
        lists.delete_list(self.workspace, self.book, row.id)
        self.assertEqual(self.texts(owner), [])
        act_as(AT_THE_DESK)
        lists.undelete_list(self.workspace, self.book, row.id)
        self.assertEqual(self.texts(owner), ["Not before Monday."])

    def test_what_is_nothing_is_refused_in_words(self) -> None:
        analyst = self.client("analyst")
        cases = (
            ("cohort", "soon", 422, "soon is not a cohort."),
            ("cohort", "2024-13", 422, "2024-13 is not a cohort."),
            ("cohort", "2024-01/1", 422, "2024-01/1 is not a cohort."),
            ("cell", "2024-01", 422, "2024-01 is not a cell."),
            ("cell", "2024-01/x", 422, "x is not an age."),
            ("cell", "2024-01/2000", 422, "2000 is not an age."),
            ("customer", "C01", 422, "C01 is not a number of a customer."),
            ("customer", "99999999", 404, "There is no such customer in this book."),
            ("delivery", "99999999", 404, "There is no such delivery in this book."),
        )
        for about, key, status, detail in cases:
            with self.subTest(key=key):
                self.assertEqual(self.write(analyst, about, key, "x", status)["detail"], detail)
        self.assertEqual(self.write(analyst, "cohort", "2024-01", " \n ", 422)["detail"], "The note is empty.")
        self.write(analyst, "cohort", "2024-01", "x" * 4001, 422)
        with self.assertRaisesRegex(NotFound, "no such delivery"):
            elsewhere = notes.thing_of(NoteOn.DELIVERY, str(self.delivery()))
            notes.add_note(self.workspace, self.other_book, elsewhere, "Of another book.")

    def delivery(self) -> int:
        replies = self.client("analyst").get(f"{self.at}/deliveries").get_json()
        return int(replies["deliveries"][0]["id"])

    def test_a_book_has_only_so_many(self) -> None:
        before = on_record.NOTES_MOST
        on_record.NOTES_MOST = 1
        self.addCleanup(setattr, on_record, "NOTES_MOST", before)
        analyst = self.client("analyst")
        note = self.write(analyst, "delivery", self.delivery(), "Overlaps with the one before.")
        self.assertTrue(note["on"].startswith("the delivery "))
        self.assertIn("has 1 notes", self.write(analyst, "cohort", "2024-01", "x", 413)["detail"])
        deeds = self.client("owner").get(f"{self.at}/log").get_json()["entries"]
        self.assertTrue(any("wrote a note on delivery" in each["what"] for each in deeds), deeds[0])

    def test_members_alone(self) -> None:
        self.assertEqual(self.client("stranger").get(f"{self.at}/notes").status_code, 404)
        act_as(AT_THE_DESK)
        people.remove_member(self.workspace, self.book, self.users["reader"])
        self.addCleanup(self._again)
        self.assertEqual(self.client("reader").get(f"{self.at}/notes").status_code, 404)

    def _again(self) -> None:
        act_as(AT_THE_DESK)
        people.set_member(self.workspace, self.book, self.users["reader"], Role.READER)


if __name__ == "__main__":
    unittest.main()
