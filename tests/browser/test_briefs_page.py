"""Briefs as people write them, in Chromium: pinned from a stop, put in order, edited by two, printed."""

from __future__ import annotations

import re
import unittest
from typing import Any

from playwright.sync_api import expect

from goldthread.actions import briefs
from tests.support.page import PageCase


def keeps_nothing(_pinned: dict[str, str], _whole: bool) -> dict[str, Any]:
    return {}


class Briefs(PageCase):
    def setUp(self) -> None:
        super().setUp()
        for row in briefs.list_briefs(self.workspace, self.tiny):
            briefs.remove_brief(self.workspace, self.tiny, row)

    def begun(self, *headings: str) -> Any:
        brief = briefs.add_brief(self.workspace, self.tiny, "Monday")
        for heading in headings:
            words = f"About {heading}."
            briefs.add_finding(self.workspace, self.tiny, brief, heading, words, None, keeps_nothing, live=True)
        return brief

    def test_a_figure_and_a_view_are_pinned_and_stand_in_a_brief(self) -> None:
        page = self.page
        self.open(f"/books/{self.tiny.id}/cohorts?open=2024-01~1")
        figure = page.get_by_role("region", name="Behind this number").locator(".font-serif").first.inner_text()
        page.get_by_role("button", name="Pin this figure in a brief").click()
        page.get_by_label("Its name").fill("October for the Monday meeting")
        page.get_by_label("Heading").fill("Fewer came back")
        page.get_by_label("Words", exact=True).fill("Look at **this** before we act.\n\n- once\n- <i>twice</i>")
        self.assert_accessible()
        page.get_by_role("button", name="Pin it").click()
        expect(page.get_by_text("It is pinned in")).to_be_visible()
        page.keyboard.press("Escape")
        page.get_by_role("button", name="Pin this view in a brief").click()
        page.get_by_label("Heading").fill("The whole table")
        page.get_by_label("as it is now, from now on").check()
        page.get_by_role("button", name="Pin it").click()
        page.get_by_role("link", name="October for the Monday meeting").click()
        findings = page.get_by_test_id("finding")
        expect(findings).to_have_count(2)
        expect(findings.first).to_contain_text("Fewer came back")
        expect(findings.first).to_contain_text(figure)
        expect(findings.first).to_contain_text("<i>twice</i>")
        expect(findings.last).to_contain_text("As it was on")
        for at in range(2):
            picture = findings.nth(at).get_by_role("img")
            self.assertGreater(picture.evaluate("img => img.decode().then(() => img.naturalWidth)"), 100)
        expect(page.get_by_text("0 of 2 findings.")).to_be_visible()
        self.assert_accessible()
        with page.expect_download() as taken:
            page.get_by_role("button", name="Download as a page").click()
        self.assertEqual(taken.value.suggested_filename, "October for the Monday meeting.html")
        findings.first.get_by_role("link").click()
        expect(page.get_by_role("grid")).to_be_visible()

    def test_words_are_written_moved_edited_and_removed(self) -> None:
        page = self.page
        brief = self.begun("One", "Two")
        self.open(f"/books/{self.tiny.id}/briefs")
        page.get_by_role("link", name="Monday").click()
        findings = page.get_by_test_id("finding")
        page.get_by_role("button", name="write words here").click()
        page.get_by_label("Heading").fill("Three")
        page.get_by_role("button", name="Add words").click()
        expect(findings).to_have_count(3)
        findings.last.get_by_role("button", name="move up").click()
        expect(findings.nth(1)).to_contain_text("Three")
        findings.first.get_by_role("button", name="edit").click()
        page.get_by_label("Heading").fill("One, rewritten")
        (row, *_) = briefs.list_findings(self.workspace, brief)
        told = ("One", "Of somebody else.")
        briefs.edit_finding(self.workspace, self.tiny, brief, row.id, *told, keeps_nothing, live=True)
        self.refusals.add("409")
        page.get_by_role("button", name="Save finding").click()
        expect(page.get_by_role("alert")).to_contain_text("Of somebody else.")
        expect(page.get_by_label("Heading")).to_have_value("One, rewritten")
        page.get_by_role("button", name="leave it").click()
        findings.first.get_by_role("button", name="remove").click()
        findings.first.get_by_role("button", name="yes").click()
        expect(findings).to_have_count(2)
        page.get_by_role("button", name="rename", exact=True).click()
        page.get_by_label("Name of the brief").fill("Tuesday")
        page.get_by_role("button", name="Rename", exact=True).click()
        expect(page.get_by_role("heading", level=1)).to_have_text("Tuesday")

    def test_a_brief_is_sent_on_a_schedule(self) -> None:
        page = self.page
        brief = self.begun("One")
        self.open(f"/books/{self.tiny.id}/briefs?brief={brief.id}")
        page.get_by_role("link", name="send it on a schedule").click()
        expect(page.get_by_role("combobox", name=re.compile("^Letter"))).to_have_value("brief:Monday")
        page.get_by_label("To", exact=True).fill("mo@marlpit.example")
        page.get_by_role("button", name="Add schedule").click()
        expect(page.get_by_test_id("schedules")).to_contain_text("the brief “Monday”")
        page.go_back()
        expect(page.get_by_text("Nobody gets it by itself yet.")).to_have_count(0)


if __name__ == "__main__":
    unittest.main()
