"""Letters on a schedule: what they say, to whom they go, and what becomes of them when a mail server fails."""

from __future__ import annotations

import datetime as dt
import io
import re
from email import message_from_bytes, policy
from email.message import EmailMessage
from functools import partial
from typing import Any
from unittest import mock

import pyarrow.csv as arrow_csv
from PIL import Image
from python_calamine import CalamineWorkbook

from goldthread.actions import briefs, people, saved_views, schedules, waiting
from goldthread.actor import Actor, Role, acting_as
from goldthread.core.choices import RunState
from goldthread.errors import InvalidInput, NotAllowed, NotFound
from goldthread.stops.findings import keep
from goldthread.stops.letters import compose, what_of
from goldthread.store.schedules import ScheduleRow
from tests.support.mail_server import mail_for
from tests.support.rounds import RoundCase
from tests.support.sharing import deliver

TODAY = dt.date(2026, 12, 4)


def _part(message: EmailMessage, kind: str) -> str:
    body = message.get_body((kind,))
    assert body is not None
    return str(body.get_content()).replace("\r\n", "\n")


def _html(message: EmailMessage) -> str:
    return _part(message, "html")


def _bytes(part: Any) -> io.BytesIO:
    return io.BytesIO(part.get_payload(decode=True))


class LetterCase(RoundCase):
    def setUp(self) -> None:
        super().setUp()
        rows = [(f"F-{n}", f"C{n % 9}", f"2026-{1 + n % 11:02d}-{1 + n % 28:02d}", 10 + n, "paid") for n in range(80)]
        deliver(self.workspace, self.book, self.write(*rows), "shop")
        saved_views.save_view(self.workspace, self.book, "Who came back", "cohorts", "period=month", "words", None)
        self.server = mail_for(self, self.workspace)

    def composed(self, said: str, attach: str = "") -> tuple[EmailMessage, str]:
        return compose(self.workspace, self.book, {**what_of(self.workspace, self.book, said), "attach": attach}, TODAY)

    def letter(self, said: str, *to: str, **more: Any) -> ScheduleRow:
        what = what_of(self.workspace, self.book, said)
        return schedules.add_letter(self.workspace, self.book, "every hour", what, to, **more)

    def became(self) -> dict[str, str]:
        return schedules.list_letters(self.workspace, self.book, 0, 9)[1][0].addresses


class Composed(LetterCase):
    def test_a_brief_is_its_findings_with_their_pictures_and_words(self) -> None:
        brief = briefs.add_brief(self.workspace, self.book, "Monday")
        keeping = partial(keep, self.workspace, self.book, TODAY)
        cell = {"stop": "cohorts", "query": "", "figure": "cohort=2026-01&age=1"}
        for heading, pinned in (("A cell", cell), ("A view", {**cell, "figure": ""}), ("Words alone", None)):
            told = (heading, "Look *here*.", pinned, keeping)
            briefs.add_finding(self.workspace, self.book, brief, *told, live=True)
        message, digest = self.composed("brief:monday")
        self.assertEqual(message["Subject"], f"{self.book.name}: Monday, 4 Dec 2026")
        kinds = [each.get_content_type() for each in message.walk()]
        self.assertEqual(kinds[-4:], ["multipart/related", "text/html", "image/png", "image/png"])
        plain, html = _part(message, "plain"), _html(message)
        self.assertRegex(plain, r"A cell\n\d+ % \d+ of \d+ customers\nLook \*here\*\.")
        self.assertIn("<em>here</em>", html)
        for cid in re.findall(r'src="cid:([^"]+)"', html):
            self.assertIn(f"Content-ID: <{cid}>", message.as_string())
        self.assertEqual(self.composed("brief:Monday")[1], digest)
        briefs.add_finding(self.workspace, self.book, brief, "One more", "", None, keeping, live=True)
        self.assertNotEqual(self.composed("brief:Monday")[1], digest)
        with self.assertRaisesRegex(NotFound, "no such brief called Tuesday"):
            self.composed("brief:Tuesday")

    def test_a_view_is_its_sentence_its_figures_a_picture_and_the_table(self) -> None:
        message, _ = self.composed("Who came back", "csv")
        self.assertEqual(message["Subject"], f"{self.book.name}: Who came back, 4 Dec 2026")
        kinds = [each.get_content_type() for each in message.walk()]
        self.assertEqual(kinds[-4:], ["multipart/related", "text/html", "image/png", "text/csv"])
        plain, html = _part(message, "plain"), _html(message)
        for part in (plain, html):
            self.assertIn("Of those who first ordered in each month, what share ordered that many", part)
            self.assertIn("2026-01", part)
        self.assertIn('src="cid:picture@letter"', html)
        self.assertNotRegex(html, r"https?://|<script|src=\"(?!cid:)")
        (picture,) = [each for each in message.walk() if each.get_content_type() == "image/png"]
        self.assertEqual(picture["Content-ID"], "<picture@letter>")
        self.assertGreater(Image.open(io.BytesIO(picture.get_content())).size[0], 1000)
        (table,) = message.iter_attachments()
        rows = arrow_csv.read_csv(_bytes(table))
        self.assertEqual(rows.column_names[:3], ["cohort", "size", "age"])

    def test_a_period_that_is_not_over_is_marked_wherever_it_stands(self) -> None:
        message, _ = self.composed("Who came back")
        html = _html(message)
        self.assertRegex(html, r">\d+\*<")

    def test_the_overview_and_a_list_can_be_sent_and_a_workbook_goes_along(self) -> None:
        overview, _ = self.composed("overview", "xlsx")
        html = _html(overview)
        self.assertIn("orders in", html)
        (book,) = overview.iter_attachments()
        sheets = CalamineWorkbook.from_filelike(_bytes(book))
        self.assertEqual(sheets.get_sheet_by_name("Table").to_python()[0], ["topic", "said", "note"])

    def test_names_of_customers_are_never_taken_for_markup(self) -> None:
        header = ("customer_no", "name", "email")
        deliver(
            self.workspace, self.book, self.write(("C1", "<b>Ash & Co</b>", "a@ash.example"), header=header), "shop"
        )
        saved_views.save_view(self.workspace, self.book, "All", "threads", "view=customers", "words", None)
        html = _html(self.composed("All")[0])
        self.assertIn("&lt;b&gt;Ash &amp; Co&lt;/b&gt;", html)

    def test_what_is_not_there_is_said_before_anything_is_sent(self) -> None:
        for said in ("Nobody's view", "list:nobody"):
            with self.subTest(said), self.assertRaises(NotFound):
                self.letter(said, "mo@marlpit.example")
        for to in ((), ("not an address",), tuple(f"a{n}@marlpit.example" for n in range(51))):
            with self.subTest(to=len(to)), self.assertRaises(InvalidInput):
                self.letter("overview", *to)


class Sent(LetterCase):
    def test_each_address_gets_one_and_what_was_sent_is_kept_as_it_was(self) -> None:
        row = self.letter("Who came back", "mo@marlpit.example", "ada@marlpit.example", attach="csv")
        self.after(hours=1)
        self.assertEqual(self.last(row), (RunState.DONE, "Sent to 2 of 2."))
        self.assertEqual(self.server.handler.to, ["mo@marlpit.example", "ada@marlpit.example"])
        self.assertEqual([each["To"] for each in self.server.handler.messages], self.server.handler.to)
        kept, content = schedules.find_letter(
            self.workspace, self.book, schedules.list_letters(self.workspace, self.book, 0, 1)[1][0].id
        )
        again = message_from_bytes(content, policy=policy.default)
        self.assertEqual((again["Subject"], again["To"]), (kept.subject, None))
        sent = self.server.handler.messages[0]
        self.assertEqual(_html(again), _html(sent))

    def test_nothing_new_sends_nothing(self) -> None:
        row = self.letter("Who came back", "mo@marlpit.example", only_new=True)
        self.after(hours=2)
        self.assertEqual(self.last(row), (RunState.NOTHING, "Nothing is new."))
        self.assertEqual(len(self.server.handler.to), 1)
        deliver(self.workspace, self.book, self.write(("N-1", "C77", "2026-11-03", 5, "paid")), "shop")
        self.after(hours=1)
        self.assertEqual(len(self.server.handler.to), 2)

    def test_a_refused_address_is_told_and_the_others_get_theirs(self) -> None:
        self.server.handler.refused = {"gone@marlpit.example"}
        row = self.letter("overview", "gone@marlpit.example", "mo@marlpit.example")
        self.after(hours=1)
        self.assertIn("Sent to 1 of 2. gone@marlpit.example: refused: 550 no such mailbox", self.last(row)[1])

    def test_a_server_that_is_down_is_tried_again_and_the_same_letter_goes_out(self) -> None:
        row = self.letter("overview", "mo@marlpit.example")
        with mock.patch.object(self.workspace, "settings", self.workspace.settings.model_copy(update={"smtp_port": 1})):
            self.after(hours=1)
            self.assertIn("It is tried again in 5 minutes.", self.last(row)[1])
        deliver(self.workspace, self.book, self.write(("N-1", "C77", "2026-12-03", 5, "paid")), "shop")
        self.after(minutes=5)
        self.assertEqual(self.last(row)[0], RunState.DONE)
        total, (letter,) = schedules.list_letters(self.workspace, self.book, 0, 9)
        self.assertEqual((total, letter.made_at.minute), (1, 0))

    def test_a_server_that_stays_down_is_told_after_four_tries(self) -> None:
        what = what_of(self.workspace, self.book, "overview")
        row = schedules.add_letter(self.workspace, self.book, "every day at 13", what, ["mo@marlpit.example"])
        with mock.patch.object(self.workspace, "settings", self.workspace.settings.model_copy(update={"smtp_port": 1})):
            self.after(hours=20)
        self.assertEqual(schedules.list_runs(self.workspace, row, 0, 9)[0], 4)
        self.assertIn("It was tried 4 times.", self.last(row)[1])

    def test_whoever_may_have_it_already_gets_no_second_one(self) -> None:
        row = self.letter("overview", "a@marlpit.example", "b@marlpit.example", "c@marlpit.example")
        self.server.handler.goes_away_at = "b@marlpit.example"
        self.after(hours=1)
        self.assertEqual(self.last(row)[0], RunState.FAILED)
        self.after(minutes=5)
        self.assertEqual(self.server.handler.to, [f"{name}@marlpit.example" for name in "abc"])
        self.assertEqual(self.became()["b@marlpit.example"], "unknown")
        self.assertIn("Sent to 2 of 3. b@marlpit.example: unknown.", self.last(row)[1])

    def test_a_view_that_is_gone_fails_in_words_and_comes_again_with_it(self) -> None:
        row = self.letter("Who came back", "mo@marlpit.example")
        view = saved_views.list_saved(self.workspace, self.book)[0]
        saved_views.delete_view(self.workspace, self.book, view.id, None)
        self.after(hours=1)
        self.assertIn("No view is saved as “Who came back”", self.last(row)[1])
        saved_views.save_view(self.workspace, self.book, "Who came back", "cohorts", "period=nonsense", "words", None)
        self.after(hours=1)
        self.assertEqual(self.last(row)[0], RunState.FAILED)
        saved_views.save_view(self.workspace, self.book, "Who came back", "cohorts", "period=year", "words", None)
        self.after(hours=1)
        self.assertEqual(self.last(row)[0], RunState.DONE)


class Told(LetterCase):
    """Whoever a schedule needs is written to, once."""

    def setUp(self) -> None:
        super().setUp()
        settings = self.workspace.settings.model_copy(update={"tell_at": ("desk@marlpit.example",)})
        patched = mock.patch.object(self.workspace, "settings", settings)
        patched.start()
        self.addCleanup(patched.stop)

    def subjects(self) -> list[str]:
        return [str(each["Subject"]).removeprefix(f"{self.book.name}: ") for each in self.server.handler.messages]

    def test_a_file_that_waits_is_told_once_and_the_next_one_again(self) -> None:
        self.watched()
        for name in ("1.csv", "2.csv"):
            self.put(name, ("N-1", "C1", "2026-12-01", 20, "beglichen?"))
            self.after(hours=2)
            self.assertEqual(self.server.handler.to, ["desk@marlpit.example"] * int(name[0]))
            waiting.leave_out(self.workspace, self.book, self.waits()[0].id)
        self.assertEqual(self.subjects(), ["A file waits for your answer"] * 2)
        self.assertIn("1.csv waits: ", _part(self.server.handler.messages[0], "plain"))

    def test_a_failure_is_told_when_it_is_not_tried_again_and_again_after_it_was_over(self) -> None:
        self.watched("every day at 13")
        away = self.inbox.with_name("away")
        for told in (1, 2):
            self.inbox.rename(away)
            self.after(hours=23)
            self.assertEqual(self.subjects(), ["Something was not done"] * told)
            away.rename(self.inbox)
            self.after(hours=24)

    def test_where_nobody_can_be_written_to_the_round_goes_on(self) -> None:
        row = self.watched()
        self.put("1.csv", ("N-1", "C1", "2026-12-01", 20, "beglichen?"))
        settings = self.workspace.settings.model_copy(update={"smtp_port": 1})
        with (
            mock.patch.object(self.workspace, "settings", settings),
            self.assertLogs("goldthread.actions.schedule_runs"),
        ):
            self.after(hours=1)
        self.assertEqual(self.last(row)[0], RunState.WAITS)


class Roles(LetterCase):
    def setUp(self) -> None:
        super().setUp()
        name = f"ines {self.book.id}"
        with acting_as(Actor()):
            # the first account owns the book
            people.add_user(self.workspace, f"mo {self.book.id}", is_admin=True)
            self.user = people.add_user(self.workspace, name, f"ines{self.book.id}@marlpit.example", is_admin=True)
            people.set_member(self.workspace, self.book, self.user, Role.ANALYST)
        self.analyst = Actor(name, self.user.id, role=Role.ANALYST)

    def test_an_analyst_sends_to_members_and_only_an_owner_outside(self) -> None:
        with acting_as(self.analyst):
            self.letter("overview", self.user.email)
            with self.assertRaisesRegex(NotAllowed, "of no member"):
                self.letter("overview", "boss@elsewhere.example")

    def test_who_is_no_member_any_more_has_nothing_sent_and_nothing_imported(self) -> None:
        with acting_as(self.analyst):
            row = self.letter("overview", self.user.email)
        with acting_as(Actor()):
            people.set_member(self.workspace, self.book, self.user, Role.READER)
        self.after(hours=2)
        now = schedules.find_schedule(self.workspace, self.book, row.id)
        subjects = [str(each["Subject"]) for each in self.server.handler.messages]
        self.assertEqual((now.paused, subjects), (True, [f"{self.book.name}: Something was not done"]))
        self.assertIn("may not do this in the book any more", now.why)
