"""Follow-up as a person uses it, in Chromium: standings, whom to contact, a list worked by keys and by two people."""

from __future__ import annotations

import re
import unittest
from pathlib import Path
from urllib.parse import parse_qs, urlsplit

from playwright.sync_api import Locator, Route, expect

from tests.support.page import PageCase

AS_OF = "as_of=2025-08-31"


class FollowUpCase(PageCase):
    def follow_up(self, query: str = "") -> None:
        self.open(f"/books/{self.tiny.id}/followup?{AS_OF}{query and '&'}{query}")
        expect(self.page.get_by_test_id("question")).to_be_visible()
        self.settled()

    @property
    def rows(self) -> Locator:
        return self.page.get_by_role("grid").locator("tbody tr[aria-rowindex]")

    @property
    def asked(self) -> dict[str, list[str]]:
        return parse_qs(urlsplit(self.page.url).query)


class WhomToContact(FollowUpCase):
    def test_the_band_the_sentence_and_the_list_say_the_same(self) -> None:
        self.follow_up()
        band = self.page.get_by_role("group", name="Where customers stand")
        expect(band.get_by_role("button", name="7 lapsed, 47 %")).to_be_visible()
        expect(self.heading).to_contain_text("Whom to contact: customers who have lapsed, by days since latest order")
        expect(self.page.get_by_text("latest order on 2 Jun 2025 or earlier").first).to_be_visible()
        self.choose("Customers who", "never ordered")
        self.page.keyboard.press("Escape")
        expect(self.heading).to_contain_text("have lapsed or never ordered")
        self.settled()
        expect(self.rows.last).to_contain_text("never ordered")
        left_out = self.page.get_by_role("button", name="closed or not to be contacted")
        left_out.click()
        expect(self.panel).to_contain_text("but are closed or not to be contacted")
        expect(self.panel).to_contain_text("agrees")

    def test_a_limit_is_typed_and_the_suggested_one_is_used(self) -> None:
        self.follow_up()
        self.word("Lapsed after").click()
        self.page.get_by_label("days, months or usual gaps").fill("45d")
        self.page.get_by_role("button", name="Apply").click()
        expect(self.word("Lapsed after")).to_have_text("45 days")
        self.page.get_by_role("button", name="by limit").click()
        expect(self.heading).to_contain_text("How many are lapsed at each limit?")
        expect(self.page.get_by_text("29 orders are fewer than the 30 it takes")).to_be_visible()
        every = "&".join(f"status={each}" for each in ("open", "paid", "refunded", "cancelled"))
        self.follow_up(f"view=lapse-curve&lapse=45d&{every}")
        suggested = self.page.get_by_role("button", name=re.compile("^use "))
        words = suggested.inner_text().removeprefix("use ")
        suggested.click()
        expect(self.word("Lapsed after")).to_have_text(words)
        self.page.get_by_role("button", name="as a table").click()
        self.page.get_by_role("button", name="12", exact=True).first.click()
        expect(self.panel).to_contain_text("Customers without an order for 0 days")

    def test_where_and_since_when(self) -> None:
        self.follow_up()
        self.page.get_by_role("button", name="where", exact=True).click()
        self.choose("Customers", "by region")
        expect(self.page.get_by_role("row", name=re.compile("Coast"))).to_be_visible()
        expect(self.page.get_by_text("Do the groups differ?")).to_be_visible()
        self.choose("When", "at the end of each month")
        expect(self.heading).to_contain_text("all together, at the end of each month")
        cloth = self.page.get_by_role("img", name=re.compile("Active and lapsed customers"))
        expect(cloth).to_be_visible()
        self.page.get_by_role("button", name="as a table").click()
        row = self.page.get_by_role("row", name=re.compile("^Aug 2025"))
        expect(row).to_be_visible()
        row.get_by_role("button").nth(1).click()
        expect(self.panel).to_contain_text("Lapsed customers as of 31 Aug 2025")
        expect(self.panel).to_contain_text("agrees")

    def test_it_is_accessible_in_every_view(self) -> None:
        for query in ("", "view=standing&by=region", "view=standing&over=month", "view=lapse-curve", "view=outcomes"):
            self.follow_up(query)
            self.assert_accessible()


class AList(FollowUpCase):
    def worked(self, name: str) -> None:
        """Keep who lapsed as a list, and work it."""
        self.follow_up()
        self.keep(name)
        self.page.get_by_role("button", name=f"work the list {name}").click()
        expect(self.heading).to_contain_text(f"Call list {name}: how far, and what became of it")
        self.settled()

    def state(self, at: int) -> Locator:
        return self.rows.nth(at).locator("td").nth(2)

    def test_one_row_at_a_time_by_keys_with_undo(self) -> None:
        self.worked("By keys")
        self.rows.first.click()
        hand = self.page.get_by_label("Selected customer")
        first = hand.get_by_role("heading").inner_text()
        self.page.get_by_role("grid").focus()
        self.page.keyboard.press("c")
        expect(hand.get_by_role("heading")).not_to_have_text(first)
        expect(self.state(0)).to_contain_text("✓")
        second = hand.get_by_role("heading").inner_text()
        self.page.keyboard.press("n")
        self.page.keyboard.type("moved away")
        # typed into the note, keys are letters
        hand.get_by_role("button", name="Leave out").click()
        expect(self.state(1)).to_have_text("left out")
        expect(self.page.get_by_text("2 of 6 done")).to_be_visible()
        hand.get_by_role("button", name="undo").click()
        expect(self.state(1)).to_have_text("")
        hand.get_by_role("button", name="close").click()
        expect(self.page.get_by_text("taken back").first).to_be_visible()
        expect(self.page.get_by_role("complementary")).to_contain_text(second)
        self.page.reload()
        expect(self.state(0)).to_contain_text("✓")
        self.assert_accessible()

    def test_who_went_elsewhere_while_it_was_saved_stays_there(self) -> None:
        self.worked("Slow line")
        held: list[Route] = []
        self.page.route("**/lists/*/members/*", lambda route: held.append(route))
        hand = self.page.get_by_label("Selected customer")
        for at, elsewhere in ((0, self.rows.nth(3)), (1, hand.get_by_role("button", name="close"))):
            self.rows.nth(at).click()
            with self.page.expect_request("**/lists/*/members/*"):
                hand.get_by_role("button", name="Contacted").click()
            elsewhere.click()
            address = self.page.url
            held.pop().continue_()
            expect(self.state(at)).to_contain_text("✓")
            # whatever follows the answer has been drawn
            self.page.evaluate("new Promise(drawn => requestAnimationFrame(() => requestAnimationFrame(drawn)))")
            self.assertEqual(self.page.url, address)
        self.page.unroute("**/lists/*/members/*")

    def test_what_somebody_else_does_is_seen_at_once(self) -> None:
        self.worked("Two people")
        address = self.page.url
        other = self.page.context.new_page()
        other.goto(address)
        expect(other.get_by_text("0 of 6 done")).to_be_visible()
        self.rows.nth(2).click()
        self.page.get_by_label("Selected customer").get_by_role("button", name="Leave out").click()
        expect(other.get_by_text("1 of 6 done")).to_be_visible()
        other.close()

    def test_a_contact_stands_on_the_customers_page_and_files_are_taken_along(self) -> None:
        self.worked("Taken along")
        self.rows.first.click()
        hand = self.page.get_by_label("Selected customer")
        name = hand.get_by_role("heading").inner_text()
        hand.get_by_label("Later: call on").fill("2026-03-01")
        hand.get_by_role("button", name="Later").click()
        expect(self.state(0)).to_have_text("call 1 Mar 2026")
        expect(hand.get_by_role("heading")).not_to_have_text(name)
        self.rows.first.click()
        hand.get_by_role("button", name="Contacted").click()
        expect(self.state(0)).to_contain_text("✓")
        expect(hand.get_by_role("heading")).not_to_have_text(name)
        hand.get_by_role("button", name="close").click()
        for words, begins in (
            ("address cards", "BEGIN:VCARD"),
            ("sheet to print", "<!DOCTYPE html>"),
            ("call dates", "BEGIN:VCALENDAR"),
        ):
            with self.page.expect_download() as download:
                self.page.get_by_role("button", name=words).click()
            path = self.folder / "file"
            download.value.save_as(path)
            self.assertTrue(Path(path).read_text(encoding="utf-8").startswith(begins), words)
        self.rows.first.click()
        hand.get_by_role("button", name="whole thread").click()
        expect(self.page.get_by_role("heading", name=name)).to_be_visible()
        expect(self.page.get_by_text("from the list Taken along")).to_be_visible()

    def test_messages_are_previewed_before_anything_is_sent(self) -> None:
        self.worked("Letters")
        self.page.get_by_role("button", name="write to them").click()
        panel = self.page.get_by_label("Write to the list")
        expect(panel).to_contain_text("No mail server is set up")
        panel.get_by_label("Subject").fill("We miss you, {name}")
        panel.get_by_role("button", name="Preview").click()
        expect(panel.get_by_text(re.compile("^We miss you, [A-Z]"))).to_be_visible()
        expect(panel.get_by_role("button", name=re.compile("^Send"))).to_be_disabled()
        panel.get_by_label("Subject").fill("{nobody}")
        panel.get_by_role("button", name="Preview").click()
        expect(panel).to_contain_text("{nobody} is no field of customers.")


if __name__ == "__main__":
    unittest.main()
