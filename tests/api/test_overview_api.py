"""How a book stands: the letter of the small history, where its figures lead, and how it is taken along."""

from __future__ import annotations

from html.parser import HTMLParser
from typing import Any
from urllib.parse import urlencode

from goldthread.stops.registry import questions
from tests.support.sharing import new_book
from tests.support.threads import AS_OF, ThreadsCase

VIEWS = {"newness": "newness", "cohorts": "cohorts", "followup": "follow-up", "worth": "worth"}
"""The question of a stop whose address names no view."""


class Links(HTMLParser):
    """What an HTML file asks of elsewhere."""

    def __init__(self) -> None:
        super().__init__()
        self.asked: list[str] = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.asked += [name for name, _ in attrs if name in ("src", "href")] + ([tag] if tag == "script" else [])


class Overview(ThreadsCase):
    def letter(self, **query: Any) -> dict[str, str]:
        found = self.ask("summary", **query)["paragraphs"]
        return {each["topic"]: "".join(part["text"] for part in each["said"]) for each in found}

    def test_the_letter_says_what_the_stops_say(self) -> None:
        letter = self.letter()
        standing = {each["stands"]: each["customers"] for each in self.ask("standing")["standings"]}
        self.assertTrue(letter["standing"].startswith(f"{standing['active']} active, {standing['lapsed']} lapsed"))
        newness = self.ask("newness", period="month")
        last = newness["periods"][-1]
        orders = last["orders"]["new"] + last["orders"]["returning"]
        self.assertTrue(letter["orders"].startswith(f"{orders} order"), letter["orders"])
        self.assertIn("in Aug 2025", letter["orders"])
        curve = self.ask("next-order")["curves"][0]
        self.assertIn(
            f"by day {curve['half_by']} " if curve["half_by"] is not None else "Fewer than half", letter["rhythm"]
        )
        summary = self.ask("summary")
        self.assertEqual(
            "".join(part["text"] for part in summary["sentence"]), f"How does {summary['book']} stand on 31 Aug 2025?"
        )
        self.assertEqual([source["name"] for source in summary["sources"]], ["counter", "web", "phone"])
        self.assertTrue(summary["identities_hold"])

    def test_a_running_month_is_held_against_the_same_days(self) -> None:
        self.assertIn("in Aug 2025 so far", self.letter(as_of="2025-08-20")["orders"])
        note = self.ask("summary", as_of="2025-08-20")["paragraphs"][0]["note"]
        self.assertIn("in the same days a year ago", "".join(part["text"] for part in note))

    def test_every_figure_leads_to_a_question_that_answers(self) -> None:
        kinds = {kind.name for _, kind in questions()}
        summary = self.ask("summary", margin="40")
        leading = [part for each in summary["paragraphs"] for part in (*each["said"], *each["note"]) if part["stop"]]
        leading += summary["looks"]
        self.assertGreater(len(leading), 10)
        for part in leading:
            query = dict(part["query"])
            name = query.pop("view", VIEWS.get(part["stop"], ""))
            query.pop("open", None)
            if part["stop"] == "import":
                continue
            with self.subTest(part=part):
                self.assertIn(name, kinds)
                self.ask(name, **query)

    def test_what_wants_a_look_is_counted(self) -> None:
        looks = {look["what"]: look["why"] for look in self.ask("summary")["looks"]}
        self.assertTrue(any("backdated" in what for what in looks), looks)
        late = {look["what"] for look in self.ask("summary", as_of="2027-12-31")["looks"]}
        self.assertTrue(any(what.startswith("counter: nothing since") for what in late), late)

    def test_a_book_without_orders_has_nothing_to_say_and_says_so(self) -> None:
        empty = new_book(self.workspace)
        found = self.get(f"/api/books/{empty.id}/ask/summary")
        self.assertEqual((found["paragraphs"], found["sources"], found["looks"]), ([], [], []))

    def test_it_is_taken_along_as_one_file_that_needs_nothing_else(self) -> None:
        reply = self.client.get(f"{self.at}/ask/summary/letter?{urlencode({'as_of': AS_OF, 'margin': '40'})}")
        self.assertEqual((reply.status_code, reply.content_type), (200, "text/html; charset=utf-8"))
        page = reply.text
        reply.close()
        links = Links()
        links.feed(page)
        self.assertEqual(links.asked, [])
        for said in self.letter(margin="40").values():
            self.assertIn(said.split("; ")[0].replace("'", "&#39;"), page)
        table = self.table("summary")
        self.assertEqual([row["topic"] for row in table][:2], ["orders", "cohorts"])
