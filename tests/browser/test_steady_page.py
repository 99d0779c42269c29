"""What somebody typed, opened or scrolled to stays right, whatever comes late, fails, or happens elsewhere."""

from __future__ import annotations

import json
import re
import unittest
from collections.abc import Callable
from urllib.parse import quote

from playwright.sync_api import Locator, Route, expect

from tests.support.page import PageCase
from tests.support.sharing import deliver, new_book, write_csv

AS_OF = "as_of=2025-08-31"


class SteadyCase(PageCase):
    def threads(self, query: str = "") -> None:
        self.open(f"/books/{self.tiny.id}/threads?{AS_OF}{query}")
        expect(self.rows.first).to_be_visible()
        self.settled()

    @property
    def rows(self) -> Locator:
        return self.page.get_by_role("grid").locator("tbody tr[id]")

    def eventually(self, true: str) -> None:
        """Wait until an expression of the page is true; the page's policy keeps the usual way from it."""
        self.page.evaluate(
            f"""new Promise((done, fail) => {{
                const until = performance.now() + 20_000;
                const look = async () => {{
                    if (await Promise.resolve({true}).catch(() => false)) done();
                    else if (performance.now() > until) fail(new Error('It never came true.'));
                    else requestAnimationFrame(look);
                }};
                look();
            }})"""
        )

    def held(self, pattern: str) -> list[Route]:  # type: ignore[override]
        """Requests that wait until a test lets them go on."""
        waiting: list[Route] = []
        self.page.route(pattern, lambda route: waiting.append(route))
        return waiting

    def asked(self, words: str) -> Callable[[], list[str]]:
        """Addresses with some words that were asked for since, latest last."""
        seen: list[str] = []
        self.page.on("request", lambda request: seen.append(request.url) if words in request.url else None)
        return lambda: seen


class Conditions(SteadyCase):
    def test_the_same_condition_twice_and_a_group_against_itself_are_drawn(self) -> None:
        for _ in range(2):
            self.threads("" if _ == 0 else "&where=orders+%3E%3D+2")
            self.condition(self.filter(), "orders", ">=", "2")
            expect(self.reading).to_contain_text("orders is at least 2")
        dialog = self.filter()
        expect(dialog.get_by_role("button", name="Remove: orders is at least 2")).to_have_count(2)
        self.open(f"/books/{self.tiny.id}/worth?{AS_OF}&view=compare&one=2024-01&other=2024-01")
        expect(self.page.get_by_test_id("verdict")).to_be_visible()
        expect(self.page.get_by_role("img", name=re.compile("per customer"))).to_be_visible()

    def test_a_condition_is_added_to_those_that_are_there_never_in_place_of_them(self) -> None:
        where = quote("orders >= 2")
        for how in ("late", "failed"):
            with self.subTest(how=how):
                waiting = self.held("**/condition?*")
                self.threads(f"&where={where}")
                dialog = self.filter()
                dialog.get_by_label("Field").select_option("revenue")
                expect(dialog.get_by_role("button", name="Add", exact=True)).to_be_disabled()
                if how == "failed":
                    waiting[0].fulfill(status=502, body="<h1>Bad gateway</h1>", content_type="text/html")
                    expect(dialog.get_by_role("alert")).to_contain_text("The reply was an error 502")
                    self.page.unroute("**/condition?*")
                    dialog.get_by_role("button", name="Try again").click()
                else:
                    waiting.pop(0).continue_()
                    self.page.unroute("**/condition?*")
                self.condition(dialog, "revenue", ">=", "10")
                expect(self.reading).to_contain_text("orders is at least 2 and revenue is at least 10")
        self.faults.clear()

    def test_conditions_are_joined_by_or_in_the_form(self) -> None:
        self.threads("&where=" + quote("orders >= 2 AND revenue >= 10"))
        dialog = self.filter()
        dialog.get_by_role("button", name="Or, beside orders is at least 2").click()
        self.condition(dialog, "orders", "=", "0", "Add with or")
        expect(self.reading).to_contain_text("(orders is at least 2 or orders is 0) and revenue is at least 10")
        dialog = self.filter()
        dialog.get_by_role("button", name="Remove: orders is at least 2").click()
        expect(self.reading).to_contain_text("where orders is 0 and revenue is at least 10")


class Lists(SteadyCase):
    def test_a_list_that_failed_to_open_leaves_the_old_one_whole(self) -> None:
        book = self.many_customers()
        self.open(f"/books/{book}/threads?by=name")
        expect(self.rows.first).to_contain_text("Person 000")
        self.page.route(re.compile("ask/customers.*direction=down"), lambda route: route.abort())
        self.choose("Sequence", "Z to A")
        expect(self.page.get_by_role("alert")).to_contain_text("The server does not answer.")
        self.page.get_by_role("region", name=re.compile("scrolled")).evaluate("box => { box.scrollTop = 31 * 150; }")
        expect(self.page.get_by_role("row", name=re.compile("Person 150"))).to_be_visible()
        self.faults.clear()

    def test_paper_has_what_is_asked_for_not_what_was_loaded(self) -> None:
        self.open(f"/books/{self.many_customers()}/threads?by=name")
        expect(self.rows.first).to_be_visible()
        rows = "[...document.querySelectorAll('tbody tr[id]')].map(row => row.innerText)"
        self.page.evaluate(f"void (print = () => {{ window.printed = {rows}; }})")
        self.page.keyboard.press("Control+p")
        self.eventually("window.printed !== undefined")
        printed = self.page.evaluate("window.printed")
        self.assertEqual((len(printed), [row for row in printed if "Person" not in row]), (260, []))
        self.open(f"/books/{self.tiny.id}/cohorts?{AS_OF}&period=week&table=figures")
        table = self.page.get_by_role("grid")
        expect(table).to_be_visible()
        self.page.evaluate("dispatchEvent(new Event('beforeprint'))")
        expect(table.locator("tr[data-row]")).to_have_count(int(table.get_attribute("aria-rowcount") or 0) - 2 + 1)
        expect(table.locator("..")).not_to_have_class("overflow-auto")

    def many_customers(self) -> int:
        book = new_book(self.workspace)
        orders = [(f"O{at:03}", f"P{at:03}", "2025-08-01", "10.00", "paid") for at in range(260)]
        header = ("order", "customer_no", "date", "amount", "status")
        deliver(self.workspace, book, write_csv(self.folder / "orders.csv", [header, *orders]), "till")
        people = [("customer_no", "name"), *((f"P{at:03}", f"Person {at:03}") for at in range(260))]
        deliver(self.workspace, book, write_csv(self.folder / "people.csv", people), "till")
        return book.id

    def test_a_change_is_asked_after_once(self) -> None:
        book = self.many_customers()
        self.open(f"/books/{book}/threads?by=name")
        self.rows.first.click()
        self.page.get_by_role("button", name="Add an order").click()
        form = self.page.locator("form").filter(has=self.page.get_by_role("button", name="Save order"))
        form.get_by_label("order number").fill("NEW")
        form.get_by_label("amount").fill("12.50")
        self.settled()
        asked = self.asked("/ask/")
        form.get_by_role("button", name="Save order").click()
        expect(form.get_by_role("status")).to_contain_text("Order NEW is in.")
        expect(self.page.get_by_role("region", name="Customer", exact=True)).to_contain_text("22.50")
        # the stream tells of it within a second
        with self.page.expect_response("**/changes", timeout=35_000):
            pass
        counts = {url: asked().count(url) for url in asked()}
        self.assertEqual(set(counts.values()), {1}, counts)

    def test_an_order_belongs_to_the_customer_for_whom_it_was_begun(self) -> None:
        self.threads("&by=name")
        self.rows.nth(0).click()
        panel = self.page.get_by_role("region", name="Customer", exact=True)
        first = panel.get_by_role("heading").first.inner_text()
        panel.get_by_role("button", name="Add an order").click()
        panel.get_by_label("order number").fill("HALF")
        self.rows.nth(2).click()
        expect(panel.get_by_role("heading", name=first)).to_have_count(0)
        expect(panel.get_by_role("button", name="Save order")).to_have_count(0)
        self.rows.nth(0).click()
        expect(panel.get_by_label("order number")).to_have_value("HALF")

    def test_what_is_typed_by_hand_stands_against_a_late_look_up(self) -> None:
        self.open(f"/books/{self.tiny.id}/import?view=hand")
        waiting = self.held("**/orders?*")
        form = self.page.locator("form").first
        expect(form.get_by_label("source")).to_have_value("counter")
        form.get_by_label("source").fill("web")
        form.get_by_label("order number").fill("W-14")
        form.get_by_label("amount").fill("99.00")
        form.get_by_label("sales rep").fill("Mo")
        waiting[0].continue_()
        expect(form).to_contain_text("On record from")
        expect(form.get_by_label("amount")).to_have_value("99.00")
        expect(form.get_by_label("sales rep")).to_have_value("Mo")
        expect(form.get_by_label("customer number or e-mail")).not_to_have_value("")

    def test_steps_of_the_address_are_not_doubled(self) -> None:
        self.threads("&by=name")
        length = self.page.evaluate("history.length")
        self.rows.nth(0).click()
        self.page.get_by_role("button", name="Close", exact=True).click()
        expect(self.page).to_have_url(re.compile(r"by=name$"))
        self.choose("By", "name")
        self.page.go_forward()
        expect(self.page).to_have_url(re.compile(r"customer=\d+$"))
        self.assertEqual(self.page.evaluate("history.length"), length + 1)


class Worked(SteadyCase):
    """A list of more members than come at once."""

    def setUp(self) -> None:
        super().setUp()
        self.book = new_book(self.workspace)
        orders = [(f"O{at:03}", f"P{at:03}", "2024-08-01", f"{at + 1}.00", "paid") for at in range(130)]
        header = ("order", "customer_no", "date", "amount", "status")
        deliver(self.workspace, self.book, write_csv(self.folder / "orders.csv", [header, *orders]), "till")
        people = [("customer_no", "name"), *((f"P{at:03}", f"Person {at:03}") for at in range(130))]
        deliver(self.workspace, self.book, write_csv(self.folder / "people.csv", people), "till")
        for name in ("Other", "Calls"):
            self.open(f"/books/{self.book.id}/followup?{AS_OF}&by=name")
            self.keep(name)
        self.at = f"/books/{self.book.id}/followup?{AS_OF}&view=worked&by=name"

    @property
    def hand(self) -> Locator:
        return self.page.get_by_label("Selected customer")

    def test_what_is_typed_about_a_member_outlasts_what_others_do(self) -> None:
        self.open(f"{self.at}&list=Calls")
        self.rows.first.click()
        note = self.hand.get_by_label("Note")
        note.fill("half a sen")
        self.hand.get_by_label("How").fill("letter")
        note.focus()
        other = self.page.context.new_page()
        for name in ("Other", "Calls"):
            other.goto(f"{self.address}{self.at}&list={name}")
            other.get_by_role("grid").locator("tbody tr[id]").nth(2).click()
            other.get_by_label("Selected customer").get_by_role("button", name="Leave out").click()
            expect(other.get_by_text("1 of 130 done")).to_be_visible()
        other.close()
        expect(self.page.get_by_text("1 of 130 done")).to_be_visible()
        expect(note).to_have_value("half a sen")
        expect(self.hand.get_by_label("How")).to_have_value("letter")

    def test_nobody_is_skipped_and_the_end_of_what_is_loaded_is_no_end(self) -> None:
        self.open(f"{self.at}&list=Calls&shown=to_do")
        self.rows.first.click()
        contacted = self.hand.get_by_role("button", name="Contacted")
        contacted.focus()
        for at in range(3):
            expect(self.hand.get_by_role("heading")).to_have_text(f"Person {at:03}")
            expect(contacted).to_be_focused()
            self.page.keyboard.press("Enter" if at else "c")
        expect(self.hand.get_by_role("heading")).to_have_text("Person 003")
        # a link to a member further down than what is loaded
        self.open(f"{self.at}&list=Calls&open={self.person('Person 119')}")
        expect(self.hand.get_by_role("heading")).to_have_text("Person 119")
        contacted.click()
        expect(self.hand.get_by_role("heading")).to_have_text("Person 120")

    def person(self, name: str) -> int:
        at = f"/api/books/{self.book.id}/find"
        found = self.page.evaluate(
            "at => fetch(at).then(reply => reply.json()).then(({found}) => found[0].customer)", f"{at}?text={name}"
        )
        return int(found)

    def test_a_letter_is_sent_as_it_was_looked_at_and_lost_by_nothing(self) -> None:
        self.open(f"{self.at}&list=Calls&open=mail")
        panel = self.page.get_by_label("Write to the list")
        panel.get_by_label("Subject").fill("We miss you, {name}")
        panel.get_by_role("button", name="Preview").click()
        send = panel.get_by_role("button", name=re.compile("^Send"))
        expect(send).to_have_count(1)
        panel.get_by_label("Subject").fill("We miss you very much, {name}")
        expect(send).to_have_count(0)
        expect(panel.get_by_role("status")).to_contain_text("Changed since the preview")
        self.page.reload()
        expect(panel.get_by_label("Subject")).to_have_value("We miss you very much, {name}")


class Tables(SteadyCase):
    """Put in sequence by their heads, copied as cells, widened; figures as the reader writes them."""

    def head(self, title: str) -> Locator:
        return self.page.get_by_role("columnheader", name=title)

    def clipboard(self) -> list[str]:
        self.eventually("navigator.clipboard.readText().then(text => text.includes('\\t'))")
        return str(self.page.evaluate("navigator.clipboard.readText()")).split("\n")

    def test_a_head_puts_the_list_in_sequence_as_the_word_does(self) -> None:
        self.threads("&by=name")
        expect(self.head("Customer")).to_have_attribute("aria-sort", "ascending")
        self.head("Orders").get_by_role("button").click()
        expect(self.page.get_by_test_id("question")).to_contain_text("by orders, most first")
        expect(self.head("Orders")).to_have_attribute("aria-sort", "descending")
        self.head("Orders").get_by_role("button").click()
        expect(self.page.get_by_test_id("question")).to_contain_text("by orders, fewest first")
        self.page.reload()
        expect(self.head("Orders")).to_have_attribute("aria-sort", "ascending")

    def test_a_head_puts_a_list_in_sequence_that_no_word_does(self) -> None:
        self.open(f"/books/{self.tiny.id}/rhythm?{AS_OF}&view=due&within=90d")
        late = self.head("Days late")
        expect(late).to_have_attribute("aria-sort", "none")
        late.get_by_role("button").click()
        expect(late).to_have_attribute("aria-sort", "descending")
        expect(self.page.get_by_text("Rows by days late, largest first.")).to_be_visible()
        self.settled()
        days = [int(each or 0) for each in self.rows.locator("td:nth-child(4)").all_inner_texts()]
        self.assertEqual(days, sorted(days, reverse=True))
        self.page.reload()
        expect(late).to_have_attribute("aria-sort", "descending")
        late.get_by_role("button").click()
        expect(late).to_have_attribute("aria-sort", "ascending")

    def test_head_and_first_column_stay_where_they_are(self) -> None:
        self.page.set_viewport_size({"width": 400, "height": 500})
        self.threads("&by=name")
        scrolled = self.page.get_by_role("region", name=re.compile("one a row, scrolled"))
        before = self.rows.nth(2).locator("td").first.bounding_box()
        scrolled.evaluate("each => { each.scrollLeft = 300; }")
        self.eventually("document.querySelector('[role=grid]').parentElement.scrollLeft > 200")
        after = self.rows.nth(2).locator("td").first.bounding_box()
        self.assertEqual(before, after)
        second = self.rows.nth(2).locator("td").nth(1).bounding_box()
        assert second is not None
        assert after is not None
        self.assertLess(second["x"], after["x"] + after["width"])

    def test_a_table_that_is_whole_is_put_in_sequence_here(self) -> None:
        self.open(f"/books/{self.tiny.id}/newness?{AS_OF}&view=table")
        rows = self.page.locator("main tbody tr")
        expect(rows.first).to_contain_text("Aug 2025")
        self.head("Month").get_by_role("button").click()
        expect(rows.first).to_contain_text("Jan 2024")
        self.head("In all").get_by_role("button").click()
        self.page.reload()
        expect(self.head("In all")).to_have_attribute("aria-sort", "descending")
        figures = [int(each) for each in self.page.locator("main tbody td:nth-child(5)").all_inner_texts()]
        self.assertEqual(figures, sorted(figures, reverse=True))

    def test_rows_a_chart_and_an_opened_figure_are_copied_as_cells(self) -> None:
        self.page.context.grant_permissions(["clipboard-read", "clipboard-write"])
        self.threads("&by=revenue")
        self.page.get_by_role("grid").focus()
        for key in ("Shift+ArrowDown", "Shift+ArrowDown", "Control+c"):
            self.page.keyboard.press(key)
        lines = self.clipboard()
        self.assertIn("Customers by revenue, largest first", lines[0])
        table = [line.split("\t") for line in lines[lines.index("") + 1 :]]
        self.assertEqual((table[0][:2], len(table)), (["Customer", "revenue"], 4))
        self.assertRegex(table[1][1], r"^\d{4,}\.\d\d$")
        html = self.page.evaluate(
            "navigator.clipboard.read().then(([item]) => item.getType('text/html')).then(blob => blob.text())"
        )
        self.assertIn(f"<td>{table[1][1]}</td>", html)
        self.page.evaluate("navigator.clipboard.writeText('')")
        self.open(f"/books/{self.tiny.id}/rhythm?{AS_OF}&open=1")
        self.page.get_by_role("group", name="Chart and its figures").focus()
        self.page.keyboard.press("Control+c")
        self.assertTrue(any(line.startswith("1\t") for line in self.clipboard()))
        self.page.evaluate("navigator.clipboard.writeText('')")
        self.panel.get_by_role("region", name=re.compile("scrolled")).focus()
        self.page.keyboard.press("Control+c")
        self.assertTrue(any("Customers with 1 order" in line for line in self.clipboard()))
        self.page.get_by_role("button", name="copy link").first.click()
        self.eventually("navigator.clipboard.readText().then(text => text === location.href)")

    def test_a_column_is_widened_by_keys_and_by_dragging(self) -> None:
        self.threads("&by=name")
        edge = self.page.get_by_role("separator", name="Width of Customer")
        before = self.head("Customer").bounding_box()
        edge.press("ArrowRight")
        edge.press("ArrowRight")
        after = self.head("Customer").bounding_box()
        assert before is not None
        assert after is not None
        self.assertEqual(round(after["width"] - before["width"]), 32)
        self.page.mouse.move(after["x"] + after["width"] - 2, after["y"] + 8)
        self.page.mouse.down()
        self.page.mouse.move(after["x"] + after["width"] - 42, after["y"] + 8, steps=4)
        self.page.mouse.up()
        dragged = self.head("Customer").bounding_box()
        assert dragged is not None
        self.assertAlmostEqual(after["width"] - dragged["width"], 40, delta=2)


class Told(SteadyCase):
    def test_a_search_that_failed_says_so(self) -> None:
        self.threads()
        self.page.route("**/find?*", lambda route: route.abort())
        self.page.get_by_label("Find a customer").fill("ada")
        expect(self.page.get_by_role("option")).to_contain_text("The server does not answer.")
        self.faults.clear()

    def test_of_several_files_that_fail_each_is_told(self) -> None:
        self.open(f"/books/{new_book(self.workspace).id}/import")
        for name in ("one.csv", "two.csv"):
            (self.folder / name).write_bytes(b"\x00\x01\x02\x03")
        self.page.locator("input[type=file]").set_input_files([self.folder / "one.csv", self.folder / "two.csv"])
        alerts = self.page.get_by_role("alert")
        expect(alerts).to_have_count(2)
        expect(alerts.nth(0)).to_contain_text("one.csv")
        expect(alerts.nth(1)).to_contain_text("two.csv")

    def test_work_is_followed_through_a_gap(self) -> None:
        self.open(f"/books/{self.tiny.id}/checks?{AS_OF}")
        failed: list[str] = []

        def once(route: Route) -> None:
            if len(failed) < 2:
                failed.append(route.request.url)
                route.abort()
            else:
                route.continue_()

        self.page.route("**/api/jobs/*", once)
        self.page.get_by_role("button", name="Run the checks").click()
        expect(self.page.get_by_test_id("verdict")).to_be_visible()
        self.assertEqual(len(failed), 2)
        self.faults.clear()

    def test_a_picture_that_is_too_large_says_so(self) -> None:
        self.cohorts()
        self.page.evaluate("() => { HTMLCanvasElement.prototype.toBlob = done => done(null); }")
        self.word("This table or picture as a file").click()
        self.page.get_by_text("Picture, PNG", exact=True).click()
        expect(self.page.get_by_role("alert")).to_contain_text("The picture is larger than this browser can draw.")

    def test_a_part_that_cannot_be_drawn_leaves_the_frame_alive(self) -> None:
        def spoiled(route: Route) -> None:
            answer = json.loads(route.fetch().text())
            answer["cohorts"] = None
            route.fulfill(json=answer)

        self.page.route("**/ask/cohorts?*", spoiled)
        self.open(f"/books/{self.tiny.id}/cohorts?{AS_OF}")
        expect(self.page.get_by_role("alert").first).to_contain_text("could not be drawn")
        self.page.unroute("**/ask/cohorts?*")
        self.page.get_by_role("link", name="Rhythm").click()
        expect(self.heading).to_contain_text("How many orders")
        self.faults.clear()


if __name__ == "__main__":
    unittest.main()
