"""Cohorts, New & returning, Checks and saved views as a person uses them, in Chromium."""

from __future__ import annotations

import html
import re
import unittest
from pathlib import Path

from playwright.sync_api import expect
from sqlalchemy import text

from goldthread.actions.notes import add_note, thing_of
from goldthread.core.choices import NoteOn
from tests.support.page import PageCase
from tests.support.sharing import deliver, new_book, write_csv

AS_OF = "as_of=2025-08-31"
HEADER = ("order", "customer_no", "date", "amount", "channel")


class QuestionCase(PageCase):
    def newness(self, query: str = AS_OF) -> None:
        self.open(f"/books/{self.tiny.id}/newness?{query}")
        expect(self.page.get_by_test_id("question")).to_be_visible()
        self.settled()

    def taken(self, option: str) -> Path:
        self.word("This table or picture as a file").click()
        with self.page.expect_download() as taken:
            self.page.get_by_role("menuitem", name=option, exact=True).click()
        return Path(taken.value.path())


class Readings(QuestionCase):
    def test_pointing_at_a_cell_tells_the_three_ways_to_read_on_and_opens_each(self) -> None:
        self.cohorts()
        guide = self.page.get_by_role("complementary")
        self.cell(0, 8).hover()
        for way in (
            "Along a row: of 2 customers of Jan 2024, 2 (100 %) came back at all.",
            "Down a column: all cohorts, 8 months later: 30.0 % (95 % confidence interval 11 to 60) on average, "
            "over 8 complete cohorts of 10 customers.",
            "Along the diagonal: in Sep 2024, 2 orders of 2 customers, 1 of them back from earlier",
        ):
            expect(guide).to_contain_text(way)
        lights = self.page.get_by_test_id("lights")
        expect(lights.locator("rect.band")).to_have_count(2)
        expect(lights.locator("polyline")).to_have_count(1)
        guide.get_by_role("button", name="open").nth(2).click()
        expect(self.panel).to_contain_text("All customers who ordered in Sep 2024, whenever they first did.")
        expect(self.panel.get_by_test_id("recount")).to_have_text("The database’s own recount agrees.")

    def test_by_calendar_columns_are_periods_and_the_diagonal_is_one_age(self) -> None:
        self.cohorts(f"{AS_OF}&period=quarter")
        self.choose("Columns are", "calendar quarter")
        expect(self.page.get_by_role("grid")).to_have_accessible_name("Cohorts by calendar period")
        boxes = [self.cell(row, 2).bounding_box() for row in (0, 1)]
        assert boxes[0]
        assert boxes[1]
        self.assertAlmostEqual(boxes[1]["x"] - boxes[0]["x"], boxes[0]["width"], delta=1)
        self.cell(1, 2).hover()
        expect(self.page.get_by_role("complementary")).to_contain_text("Down a column: in Q4 2024,")
        self.page.locator("#cell--1-3").click()
        expect(self.panel).to_contain_text("All customers who ordered in quarter 4 of 2024")
        self.page.get_by_role("grid").focus()
        self.page.keyboard.press("ArrowDown")
        expect(self.page.get_by_test_id("lights")).to_be_visible()

    def test_who_came_back_at_all_stands_beside_each_cohort_and_is_opened(self) -> None:
        self.cohorts(f"{AS_OF}&period=year")
        self.page.locator("tbody td.size").nth(1).click()
        expect(self.panel).to_contain_text("and came back in any year after the first.")
        expect(self.panel).to_contain_text("Counted afresh")

    def test_cohorts_are_drawn_as_lines_and_the_one_pointed_at_is_read_and_opened(self) -> None:
        add_note(self.workspace, self.tiny, thing_of(NoteOn.COHORT, "2024-01"), "The stall at the fair.")
        self.open(f"/books/{self.tiny.id}/cohorts?as_of=2025-08-31&view=lines")
        drawing = self.page.get_by_role("img", name="One line a cohort, by age")
        remarks = self.page.get_by_label("Notes on cohorts")
        remarks.get_by_role("button", name="The stall at the fair.").hover()
        expect(drawing.locator("text.name")).to_have_text("Jan 2024")
        box = drawing.bounding_box()
        assert box is not None
        self.page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        expect(self.page.get_by_text(re.compile(r"\d+ months later: .*ordered")).first).to_be_visible()
        self.page.mouse.down()
        self.page.mouse.up()
        expect(self.panel).to_contain_text("Customers who first ordered in")
        self.page.keyboard.press("Escape")
        self.word("Columns are").click()
        self.page.get_by_text("calendar month", exact=True).click()
        expect(self.page.get_by_role("img", name="One line a cohort, by calendar month")).to_be_visible()
        self.page.get_by_role("button", name="as a table").click()
        self.page.get_by_role("row", name=re.compile("^Jan 2024")).get_by_role("button").first.click()
        expect(self.panel).to_contain_text("Jan 2024")
        self.open(f"/books/{self.tiny.id}/cohorts?as_of=2025-08-31&view=lines&split=first_source")
        expect(self.word("Shown as")).to_have_text("a table")

    def test_profit_states_its_margin_and_cost_and_both_can_be_typed(self) -> None:
        self.cohorts()
        self.choose("Figure", "how much profit had each brought")
        self.word("Gross margin").click()
        self.page.get_by_label("percent").fill("42.5")
        self.page.keyboard.press("Enter")
        self.word("Customer acquisition cost (CAC)").click()
        self.page.get_by_label("an amount").fill("10")
        self.page.keyboard.press("Enter")
        expect(self.page.get_by_text("gross margin 42.5 %, CAC 10 each")).to_be_visible()
        expect(self.cell(0, 0)).to_have_accessible_name("57")

    def test_an_odd_cell_says_what_its_orders_crowd_in(self) -> None:
        book = new_book(self.workspace)
        rows: list[tuple[str, ...]] = []
        for cohort in range(8):
            for place in range(50):
                key = f"C{cohort:02d}{place:02d}"
                rows.append((f"A{len(rows)}", key, f"2024-{cohort + 1:02d}-05", "10", "counter"))
                if place < (45 if cohort == 3 else 10):
                    day, channel = ("14", "letter") if cohort == 3 else (f"{place + 3:02d}", "counter")
                    rows.append((f"A{len(rows)}", key, f"2024-{cohort + 3:02d}-{day}", "10", channel))
        rows.append(("LAST", "C0000", "2025-01-31", "10", "counter"))
        deliver(self.workspace, book, write_csv(self.folder / "odd.csv", [HEADER, *rows]))
        self.open(f"/books/{book.id}/cohorts")
        odd = self.cell(3, 2)
        expect(odd).to_have_class(re.compile(r"\bodd\b"))
        odd.click()
        expect(self.panel).to_contain_text("100 % of its customers (45 of 45) ordered on one day, 14 Jun 2024")
        expect(self.panel).to_contain_text("have channel letter; of others 2 calendar months later 0 %.")
        expect(self.page.locator("td.apart").first).to_be_visible()


class Splits(QuestionCase):
    def test_small_tables_and_curves_stand_side_by_side_and_groups_are_compared(self) -> None:
        self.cohorts(f"{AS_OF}&period=quarter")
        self.choose("Customers", "Split by first source")
        tables = self.page.get_by_test_id("small-tables").get_by_role("figure")
        expect(tables).to_have_count(3)
        expect(tables.first).to_contain_text("6, 0 % bought once")
        guide = self.page.get_by_role("complementary")
        expect(guide).to_contain_text("no significant difference from counter")
        self.choose("Compared with", "web")
        expect(guide).to_contain_text("no significant difference from web")
        expect(self.page).to_have_url(re.compile("split=first_source.*against=web"))
        guide.get_by_role("button", name=re.compile("%")).first.click()
        expect(self.panel).to_contain_text("(first source: counter)")
        expect(self.panel.get_by_test_id("recount")).to_have_text("The database’s own recount agrees.")
        self.page.keyboard.press("Escape")
        self.choose("Customers", "All customers together")
        expect(self.page.get_by_role("grid")).to_be_visible()

    def test_stacked_bars_are_opened_by_period_and_group(self) -> None:
        self.open(f"/books/{self.tiny.id}/cohorts?{AS_OF}&figure=orders&split=first_source")
        self.choose("Shown as", "stacked bars over the calendar")
        chart = self.page.get_by_role("img", name="orders by calendar month, by first source")
        box = chart.bounding_box()
        assert box
        self.page.mouse.move(box["x"] + 60, box["y"] + box["height"] - 24)
        expect(self.page.get_by_text(re.compile("Jan 2024, orders: 4 counter"))).to_be_visible()
        self.page.mouse.click(box["x"] + 60, box["y"] + box["height"] - 24)
        expect(self.panel).to_contain_text("(first source: counter)")
        expect(self.panel).to_contain_text("ordered in Jan 2024")


class NewAndReturning(QuestionCase):
    def test_columns_are_read_and_opened_and_the_year_states_its_boundary(self) -> None:
        self.newness()
        totals = self.page.get_by_role("complementary")
        expect(totals).to_contain_text("1 new customer in 2025")
        expect(totals).to_contain_text("First order from 1 Jan 2025 to 31 Aug 2025, both included.")
        expect(self.page.get_by_test_id("cohorts-agree")).to_contain_text("Agrees with Cohorts")
        chart = self.page.get_by_role("img", name=re.compile("orders by month, new and returning"))
        box = chart.bounding_box()
        assert box
        self.page.mouse.move(box["x"] + 60, box["y"] + box["height"] - 30)
        expect(self.page.get_by_text(re.compile(r"Jan 2024: 4 orders, 2 new \(50 %\), 2 returning"))).to_be_visible()
        self.page.mouse.click(box["x"] + 60, box["y"] + box["height"] - 24)
        expect(self.panel).to_contain_text("Orders that follow an earlier one in Jan 2024.")
        expect(self.panel.get_by_test_id("recount")).to_have_text("The database’s own recount agrees.")
        self.page.keyboard.press("Escape")
        expect(totals).to_contain_text("2025 so far")

    def test_the_table_holds_every_figure_and_opens_it(self) -> None:
        self.newness(f"{AS_OF}&view=table&period=year&measure=customers")
        row = self.page.get_by_role("row", name=re.compile("2024"))
        expect(row.get_by_role("cell")).to_have_text(["10", "0", "0", "10", "100 %", "—", "—"])
        expect(self.page.get_by_role("row", name=re.compile("2025, still running"))).to_be_visible()
        row.get_by_role("button").first.click()
        expect(self.panel).to_contain_text("Customers whose first order falls in 2024.")
        self.keep("new in 2024")
        expect(self.page.get_by_test_id("reading")).to_contain_text("only new in 2024 (10 customers)")

    def test_words_choose_the_span_the_measure_the_view_and_the_split(self) -> None:
        self.newness()
        self.choose("Periods", "quarter")
        self.choose("Counted are", "How much revenue")
        self.choose("Shown as", "shares of each period")
        expect(self.page.get_by_role("img", name=re.compile("EUR revenue by quarter"))).to_be_visible()
        self.choose("Orders", "Split by source")
        groups = self.page.get_by_test_id("groups").get_by_role("figure")
        expect(groups).to_have_count(3)
        self.choose("Won back is who ordered again after", "6 calendar months")
        expect(self.page).to_have_url(re.compile("lapse=6m"))
        text_taken = self.taken("CSV").read_text(encoding="utf-8")
        self.assertTrue(text_taken.startswith("group,period,state,new_orders"))


class TradeWords(QuestionCase):
    def test_the_trades_word_stands_where_a_figure_is_chosen_and_shown(self) -> None:
        self.cohorts(AS_OF)
        expect(self.page.get_by_text("Retention rate. ")).to_be_visible()
        self.word("Figure").click()
        menu = self.page.get_by_role("menu")
        for words, term in (("what share did not order", "churn rate"), ("what was the average order worth", "AOV")):
            expect(menu.get_by_role("menuitemradio").filter(has_text=words)).to_contain_text(term)
        self.page.keyboard.type("churn")
        expect(menu.get_by_role("menuitemradio")).to_have_count(1)
        self.page.keyboard.press("Enter")
        expect(self.page.get_by_test_id("question")).to_contain_text("what share did not order")
        expect(self.page.get_by_text("Churn rate. ")).to_be_visible()

    def test_a_panel_near_the_foot_of_the_window_is_seen_whole(self) -> None:
        self.cohorts(f"{AS_OF}&open=2024-05~13")
        self.word("Keep as a list").click()
        dialog = self.page.get_by_role("dialog", name="Keep as a list")
        box = dialog.bounding_box()
        assert box is not None
        self.assertLessEqual(box["y"] + box["height"], 800)
        expect(dialog.get_by_role("button", name="Keep these 2 customers as a list")).to_be_in_viewport(ratio=1)


class Pictures(QuestionCase):
    def test_what_is_seen_is_taken_as_a_picture_with_its_sentences(self) -> None:
        for path in (f"cohorts?{AS_OF}&period=quarter", f"cohorts?{AS_OF}&split=first_source", f"newness?{AS_OF}"):
            self.open(f"/books/{self.tiny.id}/{path}")
            expect(self.page.get_by_test_id("question")).to_be_visible()
            self.settled()
            sentence = self.page.get_by_test_id("question").inner_text()
            with self.subTest(path=path):
                drawn = self.taken("Picture, SVG").read_text(encoding="utf-8")
                texts = html.unescape(" ".join(re.findall(r"<text [^>]*>([^<]*)</text>", drawn)))
                self.assertTrue(texts.startswith(sentence[:40]), texts[:80])
                self.assertGreater(drawn.count("<path "), 10)
                self.assertEqual(
                    set(re.findall(r"<(\w+)", drawn)) - {"svg", "rect", "path", "text", "g", "clipPath"}, set()
                )
                self.assertEqual(self.taken("Picture, PNG").read_bytes()[:8], b"\x89PNG\r\n\x1a\n")


class SavedAndChecked(QuestionCase):
    def test_a_question_is_saved_changed_and_an_earlier_version_brought_back(self) -> None:
        self.cohorts(f"{AS_OF}&period=year")
        self.word("Saved views").click()
        panel = self.page.get_by_role("dialog", name="Saved views")
        panel.get_by_label("Name of the view").fill("By year")
        panel.get_by_role("button", name="Save this view").click()
        expect(panel.get_by_text("version 1")).to_be_visible()
        self.page.keyboard.press("Escape")
        self.choose("Cohorts by", "quarter")
        self.word("Saved views").click()
        panel.get_by_role("button", name="save over it").click()
        panel.get_by_role("button", name="Save as version 2").click()
        panel.get_by_role("button", name="earlier versions").click()
        panel.get_by_role("button", name="restore").click()
        expect(panel.get_by_text("version 3", exact=True)).to_be_visible()
        panel.get_by_role("link", name="By year").click()
        expect(self.page.get_by_test_id("question")).to_contain_text("in each year")
        self.newness()
        self.word("Saved views").click()
        panel.get_by_role("link", name="By year").click()
        expect(self.page).to_have_url(re.compile("/cohorts.*period=year"))
        self.word("Saved views").click()
        panel.get_by_role("button", name="delete").click()
        expect(panel).to_contain_text("Nothing saved yet.")
        expect(panel.get_by_role("button", name="undo")).to_be_focused()
        self.page.keyboard.press("Escape")
        # it is offered on the page as well, once the panel is closed
        self.page.get_by_role("button", name="undo").click()
        expect(self.page.get_by_text("was deleted")).to_have_count(0)
        self.word("Saved views").click()
        expect(panel.get_by_text("version 3", exact=True)).to_be_visible()

    def test_the_first_words_say_what_they_mean_beside_the_answer(self) -> None:
        self.cohorts()
        term = self.page.get_by_role("button", name="Retention rate")
        term.press("Enter")
        beside = self.page.get_by_label("What it means", exact=True)
        expect(beside.get_by_role("heading", name="What it means")).to_be_focused()
        expect(beside.locator("[data-met]")).to_contain_text("customers(c, k) / size(c)")
        expect(self.page.get_by_role("grid")).to_be_visible()
        expect(self.page).to_have_url(re.compile("help=5"))
        beside.get_by_label("Search all of it").fill("Hyndman fan")
        expect(beside).to_contain_text("between the two nearest gaps")
        beside.get_by_role("button", name="7. Order counts").click()
        expect(beside.get_by_label("What is read")).to_have_value("7")
        beside.get_by_label("What is read").select_option("cohorts")
        expect(beside).to_contain_text("Three readings")
        beside.get_by_label("Search all of it").fill("kiln goddess")
        expect(beside).to_contain_text("Nothing says “kiln goddess”.")
        self.assert_accessible()
        # only what is read goes on paper
        self.page.evaluate("window.print = () => {}")
        beside.get_by_role("button", name="print").click()
        self.page.emulate_media(media="print")
        expect(self.page.get_by_role("grid")).to_be_hidden()
        expect(beside).to_be_visible()
        self.page.emulate_media(media="screen")
        # a figure that is opened takes its place
        self.cell(0, 1).click()
        expect(self.panel).to_be_visible()
        expect(beside).to_have_count(0)
        term.click()
        self.page.keyboard.press("Escape")
        expect(self.panel).to_be_visible()

    def test_checks_run_and_a_wrong_record_is_shown_in_both_places(self) -> None:
        book = new_book(self.workspace)
        rows = [(f"A{at}", f"C{at % 4}", f"2024-0{at % 6 + 1}-1{at % 7}", "10", "") for at in range(24)]
        deliver(self.workspace, book, write_csv(self.folder / "few.csv", [HEADER, *rows]))
        self.open(f"/books/{book.id}/checks")
        self.page.get_by_role("button", name="Run the checks").click()
        verdict = self.page.get_by_test_id("verdict")
        expect(verdict).to_contain_text(re.compile(r"All \d+ checks hold."))
        groups = self.page.locator("ol summary").all_text_contents()
        together = sum(int(group.split()[0]) for group in groups)
        expect(verdict).to_contain_text(f"All {together} checks hold.")
        expect(self.page.get_by_text("Customers by revenue are the ordering ones, each once")).to_be_visible()
        with self.workspace.record.engine.begin() as connection:
            connection.execute(
                text("UPDATE orders SET amount = 11 WHERE book_id = :book AND current LIMIT 1"), {"book": book.id}
            )
        self.page.get_by_role("button", name="Run the checks again").click()
        expect(verdict).to_contain_text("fail")
        expect(self.page.get_by_role("main")).to_contain_text("Cells in which the database's own recount differs")
        self.open(f"/books/{book.id}/newness?open=all~all&measure=revenue")
        expect(self.panel.get_by_test_id("recount")).to_contain_text("Two counts differ.")
        expect(self.panel.get_by_test_id("recount")).to_contain_text("240.00 EUR. The database: 4 customers")


if __name__ == "__main__":
    unittest.main()
