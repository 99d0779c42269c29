"""By keys, by fingers, by ear: the focus is never lost, nothing needs dragging, and what changed is said."""

from __future__ import annotations

import re
import unittest

from playwright.sync_api import expect

from tests.support.page import PageCase

AS_OF = "as_of=2025-08-31"


class Focus(PageCase):
    def test_it_goes_to_the_customer_who_was_found_and_back(self) -> None:
        self.cohorts()
        self.settled()
        self.page.keyboard.press("/")
        self.page.keyboard.type("ada")
        expect(self.page.get_by_role("option").first).to_contain_text("Ada")
        self.page.keyboard.press("Enter")
        expect(self.page.get_by_label("Customer", exact=True).get_by_role("heading")).to_be_focused()
        self.page.get_by_role("button", name="Close", exact=True).press("Enter")
        expect(self.page.get_by_label("Find a customer")).to_be_focused()

    def test_it_comes_back_to_the_row_of_the_customer_who_was_closed(self) -> None:
        self.open(f"/books/{self.tiny.id}/threads?{AS_OF}")
        rows = self.page.get_by_role("grid")
        rows.focus()
        self.page.keyboard.press("ArrowDown")
        self.page.keyboard.press("Enter")
        customer = self.page.get_by_label("Customer", exact=True)
        expect(customer.get_by_role("heading")).to_be_visible()
        # the arrows lead on in the list
        expect(rows).to_be_focused()
        customer.get_by_role("button", name="Close", exact=True).press("Enter")
        expect(customer).to_have_count(0)
        expect(rows).to_be_focused()

    def test_an_answer_that_changed_is_said(self) -> None:
        self.cohorts()
        said = self.page.get_by_test_id("answered")
        expect(said).to_be_empty()
        self.choose("Cohorts by", "quarter")
        expect(said).to_contain_text("Answered: Of those who first ordered in each quarter")

    def test_the_edge_of_a_field_is_seen(self) -> None:
        self.cohorts()
        for theme in ("linen", "evening"):
            ratio = self.page.evaluate(
                """theme => {
                    document.documentElement.dataset.theme = theme;
                    const paint = document.createElement('canvas').getContext('2d', {willReadFrequently: true});
                    const seen = (...colours) => {
                        for (const colour of colours) { paint.fillStyle = colour; paint.fillRect(0, 0, 1, 1); }
                        const [r, g, b] = [...paint.getImageData(0, 0, 1, 1).data].slice(0, 3).map(each => {
                            const part = each / 255;
                            return part <= 0.04045 ? part / 12.92 : ((part + 0.055) / 1.055) ** 2.4;
                        });
                        return 0.2126 * r + 0.7152 * g + 0.0722 * b;
                    };
                    const field = getComputedStyle(document.querySelector('header .input'));
                    const ground = seen(field.backgroundColor);
                    const edge = seen(field.backgroundColor, field.borderTopColor);
                    return (Math.max(ground, edge) + 0.05) / (Math.min(ground, edge) + 0.05);
                }""",
                theme,
            )
            with self.subTest(theme=theme):
                self.assertGreaterEqual(ratio, 3)


class Pointers(PageCase):
    def test_a_range_of_the_timelines_is_chosen_by_two_clicks(self) -> None:
        self.open(f"/books/{self.tiny.id}/threads?{AS_OF}&view=loom")
        lines = self.page.get_by_role("slider", name=re.compile("Customer timelines"))
        box = lines.bounding_box()
        assert box is not None
        row = box["height"] / int(lines.get_attribute("aria-valuemax") or 1)
        self.page.get_by_role("button", name="choose a range").click()
        expect(self.page.get_by_text("Click the first thread of the range")).to_be_visible()
        lines.click(position={"x": 40, "y": 1.5 * row})
        lines.click(position={"x": 40, "y": 3.5 * row})
        expect(self.panel).to_contain_text("3 customers")
        expect(self.page.get_by_role("button", name="choose a range")).to_have_attribute("aria-pressed", "false")

    def test_a_finger_that_is_called_away_chooses_nothing(self) -> None:
        self.open(f"/books/{self.tiny.id}/threads?{AS_OF}&view=loom")
        lines = self.page.get_by_role("slider", name=re.compile("Customer timelines"))
        self.page.evaluate("Element.prototype.setPointerCapture = () => {}")
        finger = {"pointerId": 7, "pointerType": "touch", "button": 0, "bubbles": True, "clientX": 400, "clientY": 300}
        for kind in ("pointerdown", "pointercancel", "pointerup"):
            lines.dispatch_event(kind, finger)
        lines.dispatch_event("pointermove", {**finger, "clientY": 400})
        expect(self.page.get_by_text("let go to see who they are")).to_have_count(0)
        self.assertNotIn("open=", self.page.url)

    def test_two_fingers_or_a_word_zoom_a_thread(self) -> None:
        customer = self.customer("Ada O'Fallon")
        self.open(f"/books/{self.tiny.id}/threads?{AS_OF}&customer={customer}")
        thread = self.page.get_by_role("application", name=re.compile("^Thread:"))
        whole = self.page.get_by_role("button", name="show all")
        self.page.get_by_role("button", name="zoom in").click()
        expect(whole).to_be_visible()
        self.page.get_by_role("button", name="zoom out").click()
        expect(whole).to_have_count(0)
        box = thread.bounding_box()
        assert box is not None
        middle = {"x": box["x"] + box["width"] / 2, "y": box["y"] + 80}

        def touch(kind: str, finger: int, away: int) -> None:
            at = {"clientX": middle["x"] + away, "clientY": middle["y"]}
            thread.dispatch_event(kind, {"pointerId": finger, "bubbles": True, "button": 0, **at})

        self.page.evaluate("Element.prototype.setPointerCapture = () => {}")
        touch("pointerdown", 1, -20)
        touch("pointerdown", 2, 20)
        touch("pointermove", 2, 80)
        for finger in (1, 2):
            touch("pointerup", finger, 0)
        expect(whole).to_be_visible()


if __name__ == "__main__":
    unittest.main()
