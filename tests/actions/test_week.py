"""A week of the demo supplier's round, by a clock of the test's own: from exports to letters, without a hand."""

from __future__ import annotations

from pathlib import Path

from goldthread.actions import books, demo, importing, saved_views, schedules
from goldthread.actions.inspecting import Given
from goldthread.api.work import fill_demo
from goldthread.core.choices import RunState
from goldthread.core.records import unreported
from goldthread.demo.supplier import COUNTER, PHONE, WEB
from goldthread.intake.meanings import Meaning
from goldthread.stops.letters import what_of
from tests.support.mail_server import mail_for
from tests.support.rounds import RoundCase, utc

TO = ("ines@marlpit.example", "tobin@marlpit.example")


class Week(RoundCase):
    def setUp(self) -> None:
        super().setUp()
        self.now = utc("2026-11-08T20:00")
        self.mailed = mail_for(self, self.workspace).handler

    def test_exports_come_in_and_letters_go_out_and_what_is_odd_waits(self) -> None:
        fill_demo(self.workspace, unreported)
        self.book = next(book for book in books.list_books(self.workspace) if book.name == demo.NAME)
        watch, *folders = schedules.list_schedules(self.workspace, self.book)[::-1]
        # it is looked at once on the day that it is made
        self.assertEqual(self.work(), 1)
        self.assertEqual(self.last(watch)[0], RunState.TURNED)
        self.assertIn("under 35 %", self.last(watch)[1])
        # and every day; the folders rest
        self.assertEqual(self.after(days=1), 1)
        self.now = utc("2026-11-08T20:00")
        rows = {row.about["source"]: row for row in folders}
        self.assertEqual(set(rows), {WEB, COUNTER, PHONE})
        for row in rows.values():
            for path in Path(row.about["folder"]).iterdir():
                self.touch(path, 3600)
            schedules.pause(self.workspace, self.book, row, paused=False)
        saved_views.save_view(self.workspace, self.book, "New by month", "newness", "measure=orders", "words", None)
        letters = [
            schedules.add_letter(
                self.workspace,
                self.book,
                "every Monday at 07:00",
                what_of(self.workspace, self.book, said),
                TO,
                only_new=True,
            )
            for said in ("overview", "New by month", f"brief:{demo.BRIEF}")
        ]
        revision = self.revision()
        self.until(utc("2026-11-09T06:30"))
        said = {source: self.last(row) for source, row in rows.items()}
        self.assertRegex(said[WEB][1], r"^web_2026-11-08.csv: \d\d added\.$")
        self.assertEqual(said[PHONE][0], RunState.DONE)
        self.assertEqual(said[COUNTER][0], RunState.WAITS)
        self.assertIn("“summe”, which this file does not have", said[COUNTER][1])
        self.assertEqual(self.revision(), revision + 2)
        self.until(utc("2026-11-09T07:30"))
        self.assertEqual([self.last(row) for row in letters], [(RunState.DONE, "Sent to 2 of 2.")] * 3)
        self.assertEqual(self.mailed.to, [*TO, *TO, *TO])
        overview = self.mailed.messages[0].get_body(("plain",))
        assert overview is not None
        self.assertIn("counter_2026-11-08.csv of trade counter waits", overview.get_content())
        self.assertRegex(overview.get_content(), r"orders in Nov 2026 so far")
        brief = self.mailed.messages[-1].get_body(("html",))
        assert brief is not None
        self.assertEqual(brief.get_content().count('<h2 style="font-size:20px'), 5)
        self.assertNotIn("cannot be asked", brief.get_content())
        # what a person still does on Monday
        (waits,) = self.waits()
        (looked,) = importing.look_at_waiting(self.workspace, self.book, waits.id, unreported)
        given = Given(columns={Meaning.AMOUNT: "endbetrag"})
        how = {"dry_run": False, "accept_rejected": False}
        report = importing.import_sent(
            self.workspace, self.book, looked.sent, COUNTER, None, None, given, unreported, **how
        )
        self.assertGreater(report.added, 10)
        self.until(utc("2026-11-16T08:00"))
        self.assertEqual({self.last(row)[0] for row in rows.values()}, {RunState.NOTHING})
        # the counter's orders are new since the letters of the week before
        self.assertEqual([self.last(row)[0] for row in letters], [RunState.DONE] * 3)
        self.until(utc("2026-11-23T08:00"))
        for row in letters[1:]:
            self.assertEqual(self.last(row), (RunState.NOTHING, "Nothing is new."))
        self.assertEqual(len(self.mailed.to), 12)
