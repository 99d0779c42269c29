"""Briefs over HTTP: findings pinned, live or as they were, written by two people, taken along as one page."""

from __future__ import annotations

import base64
import re
import unittest
from typing import Any

from flask.testing import FlaskClient

from goldthread.actions import briefs, by_hand
from goldthread.actions.books import hide_people
from goldthread.actions.by_hand import OrderByHand
from goldthread.actor import AT_THE_DESK, act_as, acting_as
from goldthread.store import briefs as on_record
from tests.support.people import PeopleCase

CELL = {"stop": "cohorts", "query": "period=month", "figure": "cohort=2024-01&age=1"}
VIEW = {"stop": "newness", "query": "period=month", "figure": ""}


class Briefs(PeopleCase):
    def setUp(self) -> None:
        # whoever asked last acts no more
        act_as(AT_THE_DESK)
        for row in briefs.list_briefs(self.workspace, self.book):
            briefs.remove_brief(self.workspace, self.book, row)
        hide_people(self.workspace, self.book, hidden=False)
        self.analyst, self.owner, self.reader = (self.client(name) for name in ("analyst", "owner", "reader"))

    def begin(self, client: FlaskClient, name: str = "Monday", status: int = 201) -> Any:
        return self.changed(client, "POST", f"{self.at}/briefs", status, json={"name": name})

    def pin(self, client: FlaskClient, brief: int, status: int = 201, **finding: Any) -> Any:
        return self.changed(client, "POST", f"{self.at}/briefs/{brief}/findings", status, json=finding)

    def opened(self, client: FlaskClient, brief: int) -> list[dict[str, Any]]:
        found: list[dict[str, Any]] = client.get(f"{self.at}/briefs/{brief}").get_json()["findings"]
        return found

    def write(self, client: FlaskClient, path: str, seen: int, body: dict[str, Any], method: str = "PUT") -> Any:
        csrf = client.get("/api/session").get_json()["csrf_token"]
        headers = {"If-Match": f'"{seen}"', "X-CSRFToken": csrf}
        return client.open(f"{self.at}/briefs/{path}", method=method, json=body, headers=headers)

    def order(self, number: str, customer: str, date: str) -> None:
        with acting_as(AT_THE_DESK):
            by_hand.put_order(self.workspace, self.book, OrderByHand("counter", number, customer, date, "10"))

    def test_a_figure_a_view_and_words_stand_one_below_the_other(self) -> None:
        brief = self.begin(self.analyst)["id"]
        words = "Watch *this* **one**.\n\n- <b>not</b> bold\n- [no](javascript:x) link"
        self.pin(self.analyst, brief, heading="Fewer came back", words=words, pinned=CELL)
        self.pin(self.analyst, brief, heading="By month", pinned=VIEW)
        self.pin(self.analyst, brief, words="Nothing else.")
        cell, view, plain = self.opened(self.analyst, brief)
        told = self.client("analyst").get(f"{self.at}/ask/cohorts/behind?period=month&{CELL['figure']}").get_json()
        self.assertEqual(cell["figure"], f"{100 * float(told['value']):.0f} %")
        self.assertEqual((cell["beside"], cell["figure_words"]), (told["beside"], told["words"]))
        self.assertEqual((cell["notes"], cell["changed"], cell["picture_width"]), ([], False, 1280))
        self.assertEqual([block["mark"] for block in cell["blocks"]], ["", "•", "•"])
        runs = [(run["text"], run["strong"], run["emphasised"]) for run in cell["blocks"][0]["runs"]]
        self.assertIn(("one", True, False), runs)
        self.assertIn(("this", False, True), runs)
        self.assertIn("How many orders of each month", view["sentence"])
        self.assertEqual((plain["figure"], plain["pinned"], plain["picture_width"]), ("", None, 0))
        picture = self.analyst.get(f"{self.at}/briefs/{brief}/findings/{view['id']}/picture")
        self.assertEqual((picture.content_type, picture.data[:4]), ("image/png", b"\x89PNG"))
        self.assertEqual(self.analyst.get(f"{self.at}/briefs/{brief}/findings/{plain['id']}/picture").status_code, 404)
        page = self.analyst.get(f"{self.at}/briefs/{brief}/file")
        self.assertIn("Monday.html", page.headers["Content-Disposition"])
        self.assertIn("<strong>one</strong>", page.text)
        self.assertIn("&lt;b&gt;not&lt;/b&gt; bold", page.text)
        self.assertNotIn("<a ", page.text)
        self.assertEqual(len(re.findall(r'src="data:image/png;base64,[^"]+"', page.text)), 2)
        self.assertIn("break-after: page", page.text)

    def test_what_changed_is_told_beside_what_it_was(self) -> None:
        brief = self.begin(self.analyst)["id"]
        for live in (True, False):
            self.pin(self.analyst, brief, heading="A cell", pinned=CELL, live=live)
            self.pin(self.analyst, brief, heading="A view", pinned=VIEW, live=live)
        before = self.opened(self.analyst, brief)
        # one more of that cohort comes back after a month
        self.order("BR-1", "BR-1", "2024-01-20")
        self.order("BR-2", "BR-1", "2024-02-20")
        cell, view, kept_cell, kept_view = self.opened(self.analyst, brief)
        self.assertNotEqual(cell["figure"], before[0]["figure"])
        self.assertRegex(
            cell["notes"][0],
            rf"^Was {before[0]['figure']} when it was pinned on \d+ \w+ \d{{4}}; the difference could be chance "
            r"\(95 % confidence interval [−+]\d+ to \+\d+ points\)\.$",
        )
        self.assertTrue(all(each["changed"] for each in (cell, view, kept_cell, kept_view)))
        self.assertRegex(view["notes"][0], r"^It has changed since it was pinned on ")
        self.assertEqual(kept_cell["figure"], before[2]["figure"])
        self.assertIn(f"Now {cell['figure']}; the difference could be chance", kept_cell["notes"][1])
        self.assertEqual(kept_view["notes"][1], "It says otherwise now.")
        pictures = [
            self.analyst.get(f"{self.at}/briefs/{brief}/findings/{each['id']}/picture").data
            for each in (view, kept_view)
        ]
        kept = briefs.find_finding(self.workspace, briefs.find_brief(self.workspace, self.book, brief), kept_view["id"])
        assert kept.kept is not None
        self.assertEqual(pictures[1], base64.b64decode(kept.kept["picture"]))
        self.assertNotEqual(pictures[0], pictures[1])

    def test_a_live_finding_is_held_as_it_is_now(self) -> None:
        brief = self.begin(self.analyst)["id"]
        self.pin(self.analyst, brief, pinned={**VIEW, "stop": "threads", "query": ""})
        row = self.opened(self.analyst, brief)[0]
        self.assertEqual((row["picture_width"], row["columns"][0]["name"]), (0, "customer"))
        body = {"heading": "Held", "words": "", "live": False}
        self.assertEqual(self.write(self.analyst, f"{brief}/findings/{row['id']}", 1, body).status_code, 200)
        self.order("BR-9", "BR-9", "2024-05-05")
        held = self.opened(self.analyst, brief)[0]
        self.assertEqual(held["rows"], row["rows"])
        self.assertEqual(held["notes"][-1], "It says otherwise now.")

    def test_two_people_write_in_it_and_nobodys_words_are_lost(self) -> None:
        brief = self.begin(self.analyst)["id"]
        self.pin(self.analyst, brief, heading="One", words="first")
        row = self.opened(self.owner, brief)[0]
        path = f"{brief}/findings/{row['id']}"
        mine = {"heading": "One", "words": "of the owner", "live": True}
        self.assertEqual(self.write(self.owner, path, 1, mine).status_code, 200)
        late = self.write(self.analyst, path, 1, {"heading": "One", "words": "of the analyst", "live": True})
        self.assertEqual(late.status_code, 409)
        self.assertEqual(late.get_json()["detail"], "owner one wrote this meanwhile: One\nof the owner")
        self.assertEqual(self.opened(self.analyst, brief)[0]["edited_by"], "owner one")
        self.changed(self.owner, "DELETE", f"{self.at}/briefs/{path}", 200)
        gone = self.write(self.analyst, path, 2, mine)
        self.assertIn("removed meanwhile", gone.get_json()["detail"])

    def test_it_is_renamed_and_put_in_another_order(self) -> None:
        brief = self.begin(self.analyst)["id"]
        self.begin(self.analyst, "Tuesday")
        for name in "abc":
            self.pin(self.analyst, brief, heading=name)
        first, second, third = (each["id"] for each in self.opened(self.analyst, brief))
        body: dict[str, Any] = {"name": "Monday, early", "order": [third, first]}
        self.assertEqual(self.write(self.owner, str(brief), 1, body).status_code, 200)
        self.assertEqual([each["id"] for each in self.opened(self.analyst, brief)], [third, first, second])
        self.assertEqual(self.write(self.analyst, str(brief), 1, body).status_code, 409)
        taken = self.write(self.analyst, str(brief), 2, {"name": "TUESDAY", "order": []})
        self.assertIn("There is a brief called TUESDAY already", taken.get_json()["detail"])
        names = [each["name"] for each in self.analyst.get(f"{self.at}/briefs").get_json()["briefs"]]
        self.assertEqual(names, ["Monday, early", "Tuesday"])

    def test_readers_write_their_own_and_see_what_is_shared(self) -> None:
        own, shared = self.begin(self.reader, "Own")["id"], self.begin(self.analyst, "Shared")["id"]
        self.pin(self.analyst, shared, words="Ada Orme bought a kiln.")
        self.assertEqual(len(self.opened(self.reader, shared)), 1)
        self.pin(self.reader, shared, 403, words="Mine.")
        self.pin(self.reader, own, words="Mine.")
        self.assertEqual(self.opened(self.reader, own)[0]["words"], "Mine.")
        # a kept reply of the reader's is not another's
        for path in (f"{own}", f"{own}/file", f"{own}/findings/1/picture"):
            self.assertEqual(self.analyst.get(f"{self.at}/briefs/{path}").status_code, 404)
        with acting_as(AT_THE_DESK):
            hide_people(self.workspace, self.book, hidden=True)
        listed = self.reader.get(f"{self.at}/briefs").get_json()["briefs"]
        self.assertEqual([each["name"] for each in listed], ["Own"])
        self.assertEqual(self.reader.get(f"{self.at}/briefs/{shared}").status_code, 404)

    def test_what_cannot_be_asked_any_more_says_so_and_shows_what_it_kept(self) -> None:
        brief = self.begin(self.analyst)["id"]
        for live in (True, False):
            self.pin(self.analyst, brief, heading="A cell", pinned=CELL, live=live)
        gone = {"stop": "cohorts", "query": "period=month&list=gone", "figure": CELL["figure"]}
        row = briefs.find_brief(self.workspace, self.book, brief)
        for each in briefs.list_findings(self.workspace, row):
            on_record.edit_finding(self.workspace.record.engine, self.book.id, brief, each.id, {"pinned": gone}, None)
        for told in self.opened(self.analyst, brief):
            self.assertRegex(told["figure"], r"^\d+ %$")
            self.assertIn("It cannot be asked any more: ", told["notes"][-1])
        self.assertIn("It cannot be asked any more", self.analyst.get(f"{self.at}/briefs/{brief}/file").text)

    def test_what_is_nothing_is_refused_in_words(self) -> None:
        brief = self.begin(self.analyst)["id"]
        cases: tuple[tuple[dict[str, Any], int, str], ...] = (
            ({}, 422, "There is neither a heading nor a word."),
            ({"pinned": {**CELL, "query": "view=loom"}}, 422, "view: Input should be"),
            ({"pinned": {**CELL, "figure": "cohort=2024-01&age=x"}}, 422, "age"),
            ({"pinned": {"stop": "overview", "query": "", "figure": "cohort=2024-01"}}, 422, "no figure to pin"),
            ({"pinned": {**CELL, "query": "where=" + "x" * 17_000}}, 422, "16000 characters"),
        )
        for finding, status, detail in cases:
            with self.subTest(detail=detail):
                self.assertIn(detail, self.pin(self.analyst, brief, status, **finding)["detail"])
        self.assertEqual(self.opened(self.analyst, brief), [])
        self.begin(self.analyst, "monday", 409)
        before = on_record.FINDINGS_MOST
        on_record.FINDINGS_MOST = 1
        self.addCleanup(setattr, on_record, "FINDINGS_MOST", before)
        self.pin(self.analyst, brief, words="one")
        self.assertIn("has 1 findings", self.pin(self.analyst, brief, 413, words="two")["detail"])


if __name__ == "__main__":
    unittest.main()
