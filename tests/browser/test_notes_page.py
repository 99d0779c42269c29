"""Notes and events as people write them, in Chromium: where the thing is, marked, found again, edited, taken back."""

from __future__ import annotations

import re
import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

from playwright.sync_api import expect

from goldthread.actions import by_hand, notes, working
from goldthread.actions.by_hand import EventByHand
from goldthread.core.choices import NoteOn
from tests.support.page import PageCase
from tests.support.sharing import deliver, write_csv


class Notes(PageCase):
    def setUp(self) -> None:
        super().setUp()
        for row in notes.list_notes(self.workspace, self.tiny, None, "", 0, 500)[1]:
            notes.remove_note(self.workspace, self.tiny, row.id)

    def write(self, text: str) -> None:
        self.page.get_by_role("button", name="write a note").click()
        self.page.get_by_label("Note", exact=True).fill(text)
        self.page.get_by_role("button", name="Write note").click()
        expect(self.page.get_by_role("region", name="Notes")).to_contain_text(text)

    def test_a_note_on_a_cell_is_marked_found_edited_and_taken_back(self) -> None:
        page = self.page
        self.open(f"/books/{self.tiny.id}/cohorts?open=2024-01~1")
        self.write("The kiln sale fell into this month.")
        expect(page.get_by_role("img", name="Marks of notes").locator("path")).to_have_count(1)
        self.assert_accessible()
        self.word("Book").click()
        page.get_by_text("Notes", exact=True).last.click()
        found = page.get_by_test_id("notes")
        expect(found).to_contain_text("the cohort Jan 2024 at age 1")
        page.get_by_label("Find in notes").fill("clay")
        expect(page.get_by_text("0 notes with it")).to_be_visible()
        page.get_by_label("Find in notes").fill("KILN")
        expect(page.get_by_text("1 note with it")).to_be_visible()
        self.assert_accessible()
        found.get_by_role("button", name="edit").click()
        page.get_by_label("Note", exact=True).fill("A sale.")
        page.get_by_label("Note", exact=True).press("Tab")
        page.get_by_role("button", name="Save note").click()
        expect(page.get_by_text("0 notes with it")).to_be_visible()
        page.get_by_label("Find in notes").fill("")
        page.get_by_label("Marks are drawn").uncheck()
        page.get_by_role("link", name="the cohort Jan 2024 at age 1").click()
        expect(page.get_by_role("region", name="Notes")).to_contain_text("A sale.")
        expect(page.get_by_role("img", name="Marks of notes")).to_have_count(0)
        page.get_by_role("region", name="Notes").get_by_role("button", name="remove").click()
        page.get_by_role("button", name="yes").click()
        expect(page.get_by_text("A sale.")).to_have_count(0)

    def test_whoever_edits_what_was_edited_meanwhile_loses_nothing(self) -> None:
        page = self.page
        number = working.customer_by_key(self.workspace, self.tiny, "C02")
        thing = notes.thing_of(NoteOn.CUSTOMER, str(number))
        row = notes.add_note(self.workspace, self.tiny, thing, "Call in the morning.")
        self.open(f"/books/{self.tiny.id}/threads?customer={number}")
        page.get_by_role("region", name="Notes").get_by_role("button", name="edit").click()
        page.get_by_label("Note", exact=True).fill("Call at noon.")
        notes.edit_note(self.workspace, self.tiny, row.id, "Call in the evening.")
        self.refusals.add("409")
        page.get_by_role("button", name="Save note").click()
        expect(page.get_by_role("alert")).to_contain_text("This note was edited meanwhile.")
        expect(page.get_by_label("Note", exact=True)).to_have_value("Call at noon.")
        page.get_by_role("button", name="leave it").click()
        expect(page.get_by_role("region", name="Notes")).to_contain_text("Call in the evening.")

    def test_an_event_is_typed_on_the_axis_edited_and_taken_back(self) -> None:
        page = self.page
        self.open(f"/books/{self.tiny.id}/newness")
        drawing = page.get_by_role("img", name=re.compile("by month, new and returning"))
        size = drawing.bounding_box()
        assert size is not None
        drawing.click(position={"x": 60, "y": size["height"] - 5})
        panel = page.get_by_role("dialog", name="On the time axis")
        expect(panel.get_by_label("From", exact=True)).to_have_value("1 Jan 2024")
        expect(panel.get_by_label("To", exact=True)).to_have_value("31 Jan 2024")
        panel.get_by_label("What was it").fill("Closed for snow")
        panel.get_by_role("button", name="Add event").click()
        line = panel.get_by_role("listitem").filter(has_text="Closed for snow")
        expect(line).to_contain_text("1 Jan 2024 to 31 Jan 2024")
        self.assert_accessible()
        line.get_by_role("button", name="edit").click()
        panel.get_by_label("To", exact=True).fill("3 Jan 2024")
        panel.get_by_role("button", name="Save event").click()
        expect(line).to_contain_text("1 Jan 2024 to 3 Jan 2024")
        panel.get_by_label("What was it").fill("closed for snow")
        panel.get_by_label("From", exact=True).fill("1 Jan 2024")
        self.refusals.add("409")
        panel.get_by_role("button", name="Add event").click()
        expect(panel.get_by_role("alert")).to_contain_text(
            "There is an event closed for snow from 1 Jan 2024 on already"
        )
        line.get_by_role("button", name="remove").click()
        expect(line).to_have_count(0)

    def test_what_was_imported_is_shown_and_not_edited(self) -> None:
        by_hand.put_event(self.workspace, self.tiny, EventByHand("Typed here", "2024-03-05"))
        rows = [("from", "until", "label"), ("2024-02-01", "2024-02-09", "Kiln sale")]
        with TemporaryDirectory() as folder:
            deliver(self.workspace, self.tiny, write_csv(Path(folder) / "events.csv", rows), "office")
        self.open(f"/books/{self.tiny.id}/newness")
        self.page.get_by_role("button", name="On the time axis: events").click()
        panel = self.page.get_by_role("dialog", name="On the time axis")
        expect(panel.get_by_role("listitem").filter(has_text="Typed here").get_by_role("button")).to_have_count(2)
        imported = panel.get_by_role("listitem").filter(has_text="Kiln sale")
        expect(imported).to_contain_text("1 Feb 2024 to 9 Feb 2024, imported")
        expect(imported.get_by_role("button")).to_have_count(0)


if __name__ == "__main__":
    unittest.main()
