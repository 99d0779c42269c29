"""The page with accounts, in Chromium: signing in, what each role sees, a session that ends under what is typed."""

from __future__ import annotations

import re
import unittest
from typing import ClassVar

from playwright.sync_api import Page, expect

from goldthread.actions import people
from goldthread.store import sign_ins
from tests.support.page import faults_for_some
from tests.support.people import PASSWORD
from tests.support.people_page import PeoplePageCase
from tests.support.provider import Provider

OTHER = "tin whistle broom lantern"


class PeoplePage(PeoplePageCase):
    provider: ClassVar[Provider]

    @classmethod
    def setUpClass(cls) -> None:
        cls.provider = Provider()
        cls.addClassCleanup(cls.provider.close)
        # by another name than the server's it is another site, as a company's is
        cls.provider.issuer = cls.provider.issuer.replace("127.0.0.1", "localhost")
        told = {**cls.provider.settings, "oidc_name": "Marl login"}
        cls.further = {f"GOLDTHREAD_{name.upper()}": value for name, value in told.items()}
        # it speaks no TLS
        cls.further["AUTHLIB_INSECURE_TRANSPORT"] = "1"
        super().setUpClass()

    def _stops(self, page: Page) -> list[str]:
        links = page.get_by_role("navigation").first.get_by_role("link")
        expect(links.first).to_be_visible()
        return links.all_inner_texts()

    def test_nothing_is_shown_before_somebody_has_signed_in(self) -> None:
        page = self.new_page()
        page.goto(f"{self.address}/books/{self.book.id}/overview")
        expect(page.get_by_role("heading", name="Sign in")).to_be_visible()
        self.assertEqual(page.get_by_label("Password").get_attribute("autocomplete"), "current-password")
        self.assertEqual(page.get_by_label("Name").get_attribute("autocomplete"), "username")
        self.sign_in(page, "owner", OTHER)
        expect(page.get_by_role("alert")).to_contain_text("Name and password do not fit.")
        self.sign_in(page, "owner")
        expect(page.get_by_role("heading", level=1)).to_contain_text("How does")
        page.get_by_role("button", name="Account: owner one").click()
        page.get_by_role("menuitem", name="Sign out").click()
        expect(page.get_by_role("heading", name="Sign in")).to_be_visible()

    def test_people_sign_in_with_the_companys_own_and_are_back_where_they_were(self) -> None:
        page = self.new_page()
        page.goto(f"{self.address}/account")
        page.get_by_role("dialog", name="Sign in").get_by_text("Marl login").click()
        expect(page.get_by_role("button", name="Account: Orla")).to_be_visible()
        self.assertTrue(page.url.startswith(self.address), page.url)

    def test_each_sees_what_they_may_and_nothing_else(self) -> None:
        self.assertIn("Import", self._stops(self.signed_in("analyst")))
        reader = self.signed_in("reader", f"/books/{self.book.id}/overview")
        self.assertNotIn("Import", self._stops(reader))
        reader.goto(f"{self.address}/books/{self.book.id}/import")
        expect(reader.get_by_role("heading", level=1)).to_have_text("Import is not open to you.")
        caller = self.signed_in("caller")
        expect(caller.get_by_role("heading", level=1)).to_have_text("Your lists")
        self.assertEqual(self._stops(caller), ["Follow-up"])
        admin = self.signed_in("admin")
        admin.get_by_role("button", name="Account: admin one").click()
        expect(admin.get_by_role("menuitem", name="Accounts")).to_be_visible()

    def test_a_session_that_ends_keeps_what_was_typed_and_goes_on_after_signing_in(self) -> None:
        page = self.signed_in("analyst", f"/books/{self.book.id}/cohorts")
        page.get_by_role("button", name="Saved views: saved views").click()
        page.get_by_label("Name of the view").fill("typed before the session ended")
        sign_ins.end_sign_ins(self.workspace.record.engine, self.users["analyst"].id)
        page.get_by_role("button", name="Save this view").click()
        expect(page.get_by_role("heading", name="Sign in again")).to_be_visible()
        page.get_by_label("Password").fill(PASSWORD)
        page.get_by_role("button", name="Sign in").click()
        expect(page.get_by_role("heading", name="Sign in again")).to_be_hidden()
        page.get_by_role("button", name="Saved views: saved views").click()
        expect(page.get_by_role("link", name="typed before the session ended")).to_be_visible()
        expect(page.get_by_text("Saved by analyst one, seen by nobody else.")).to_be_visible()

    def test_an_owner_makes_members_and_reads_who_did_what(self) -> None:
        page = self.signed_in("owner", f"/books/{self.book.id}/members")
        page.get_by_label("Account", exact=True).fill("stranger one")
        page.get_by_role("button", name="Add member").click()
        expect(page.get_by_label("Role of stranger one")).to_have_value("reader")
        page.get_by_label("Readers see numbers of customers in place of names and contacts").check()
        page.goto(f"{self.address}/books/{self.book.id}/log")
        log = page.get_by_role("list", name="Who did what")
        expect(log).to_contain_text("owner one made stranger one a reader.")
        expect(log).to_contain_text("owner one changed a setting of the book: readers see numbers of customers.")
        page.get_by_role("combobox", name="What").select_option("role set")
        expect(log).not_to_contain_text("changed a setting")

    def test_a_list_is_given_to_callers_who_see_their_part_of_it(self) -> None:
        page = self.signed_in("analyst", f"/books/{self.book.id}/threads?as_of=2025-08-31")
        page.get_by_role("button", name=re.compile("^Keep as a list:")).click()
        page.get_by_label("Name of the list").fill("for the phone")
        page.keyboard.press("Enter")
        expect(page.get_by_test_id("reading")).to_contain_text("only for the phone")
        page.get_by_role("button", name=re.compile("^Customer list:")).click()
        panel = page.get_by_role("dialog", name="Customer list")
        expect(panel).to_contain_text("for the phone")
        whole = int(re.findall(r"(\d+) customers", panel.inner_text())[0])
        panel.get_by_role("button", name="give to callers").click()
        panel.get_by_role("button", name="Add a caller").click()
        panel.get_by_label("Account").fill("reader one")
        panel.get_by_label("Which part").select_option("every n-th")
        panel.get_by_label("Part", exact=True).fill("1/2")
        panel.get_by_role("button", name="Save parts").click()
        expect(panel.get_by_role("alert")).to_contain_text("reader one")
        panel.get_by_label("Account").fill("caller one")
        panel.get_by_role("button", name="Save parts").click()
        expect(panel.get_by_role("button", name="Save parts")).to_have_count(0)
        caller = self.signed_in("caller")
        caller.get_by_role("link", name="for the phone").click()
        rows = caller.get_by_role("row")
        expect(rows).to_have_count(1 + (whole + 1) // 2)

    def test_an_administrator_makes_an_account_and_whoever_it_is_for_sets_its_password(self) -> None:
        page = self.signed_in("admin", "/accounts")
        page.get_by_label("Name", exact=True).fill("mira")
        page.get_by_role("button", name="Make an account").click()
        link = page.get_by_role("status").filter(has_text="Pass this link on to mira").locator("code").inner_text()
        theirs = self.new_page()
        theirs.goto(self.address + link[link.index("/password") :])
        expect(theirs.get_by_role("heading", level=1)).to_have_text("Set your password, mira")
        theirs.get_by_label("New password").fill(OTHER)
        theirs.get_by_role("button", name="Set password").click()
        theirs.get_by_role("button", name="Sign in").click()
        theirs.get_by_label("Name").fill("mira")
        theirs.get_by_label("Password").fill(OTHER)
        theirs.get_by_role("button", name="Sign in").click()
        expect(theirs.get_by_role("heading", level=1)).to_have_text("No book is open to you yet.")
        self.assertTrue(people.find_user(self.workspace, "mira").password)

    def test_everybody_can_use_the_pages_of_people(self) -> None:
        page = self.signed_in("owner", f"/books/{self.book.id}/members")
        for path in (f"/books/{self.book.id}/members", f"/books/{self.book.id}/log", "/account"):
            page.goto(self.address + path)
            expect(page.get_by_role("heading", level=1)).to_be_visible()
            with self.subTest(path=path):
                self.assertEqual(faults_for_some(page), [])
        page.set_viewport_size({"width": 320, "height": 700})
        width = page.evaluate("document.documentElement.scrollWidth")
        self.assertLessEqual(width, 320)


if __name__ == "__main__":
    unittest.main()
