"""Whom to contact, taken to where the work happens: address cards, call dates, a sheet to print."""

from __future__ import annotations

import datetime as dt
import unittest
from html.parser import HTMLParser
from typing import Any

import icalendar

from tests.support.working import WorkingCase


class _Cells(HTMLParser):
    """The texts of a sheet's cells, row by row."""

    def __init__(self, html: str) -> None:
        super().__init__()
        self.rows: list[list[str]] = []
        self.scripts = 0
        self.feed(html)

    def handle_starttag(self, tag: str, _attrs: Any) -> None:
        if tag == "tr":
            self.rows.append([])
        if tag in ("td", "th"):
            self.rows[-1].append("")
        self.scripts += tag in ("script", "img", "link")

    def handle_data(self, data: str) -> None:
        if self.rows and self.rows[-1]:
            self.rows[-1][-1] += data.strip()


class Files(WorkingCase):
    def taken_as(self, path: str, **query: Any) -> tuple[str, str]:
        reply = self.client.get(self.path(path, **query))
        self.assertEqual(reply.status_code, 200, reply.text)
        content = reply.data.decode()
        reply.close()
        return content, reply.content_type

    def test_cards_are_vcards_of_version_4_one_each(self) -> None:
        content, kind = self.taken_as("follow-up/cards", contactable="all", by="name")
        self.assertEqual(kind, "text/vcard; charset=utf-8")
        answer = self.ask("follow-up", contactable="all", by="name")
        cards = content.split("BEGIN:VCARD\r\n")[1:]
        self.assertEqual(len(cards), answer["count"])
        for card, row in zip(cards, answer["rows"], strict=True):
            # unfolded, as RFC 6350, 3.2 has it
            lines = card.replace("\r\n ", "").split("\r\n")
            self.assertEqual((lines[0], lines[-2:]), ("VERSION:4.0", ["END:VCARD", ""]))
            self.assertIn(f"FN:{row['thread']['name']}".replace(",", "\\,"), lines)
            self.assertTrue(all(len(line.encode()) <= 75 for line in card.split("\r\n")))
            if row["contact"]["email"]:
                self.assertIn(f"EMAIL:{row['contact']['email']}", lines)

    def test_call_dates_are_all_day_entries_of_those_still_to_do(self) -> None:
        one, other, third = self.keys()[:3]
        self.work(one, call_on="2026-03-01", note="ask, in spring")
        self.work(other, call_on="2026-03-02")
        self.work(other, state="left_out")
        content, kind = self.taken_as("worked/calendar", list=self.name)
        self.assertEqual(kind, "text/calendar; charset=utf-8")
        (entry,) = icalendar.Calendar.from_ical(content).walk("VEVENT")
        self.assertEqual((entry.decoded("dtstart"), entry.decoded("dtend")), (dt.date(2026, 3, 1), dt.date(2026, 3, 2)))
        self.assertIn("ask, in spring", str(entry["description"]))
        self.assertNotIn(third, str(entry["summary"]))

    def test_a_sheet_needs_nothing_else_and_holds_no_markup_of_the_data(self) -> None:
        key = self.keys(by="name")[0]
        self.work(key, note="<script>alert(1)</script> & more")
        content, kind = self.taken_as("worked/phone-sheet", list=self.name, by="name")
        self.assertEqual(kind, "text/html; charset=utf-8")
        sheet = _Cells(content)
        self.assertEqual((sheet.scripts, len(sheet.rows)), (0, len(self.keys()) + 1))
        self.assertEqual(sheet.rows[1][5], "<script>alert(1)</script> & more")
        self.assertIn("display: table-header-group", content)
        # whoever is done, left out or held back is on it only when that is what is shown
        other = self.keys(by="name")[1]
        self.work(other, state="left_out")
        keys = [row[1] for row in _Cells(self.taken_as("worked/phone-sheet", list=self.name)[0]).rows[1:]]
        self.assertEqual(len(keys), len(self.keys()) - 1)
        self.assertFalse(any(each.endswith(other) for each in keys))
        left_out = self.taken_as("worked/phone-sheet", list=self.name, shown="left_out")[0]
        self.assertEqual(len(_Cells(left_out).rows), 2)
        self.assertEqual(self.taken_as("worked/cards", list=self.name)[0].count("BEGIN:VCARD"), len(keys))
        whole, _ = self.taken_as("follow-up/phone-sheet", who=["never_ordered"], contactable="all")
        self.assertIn("never ordered", whole)


if __name__ == "__main__":
    unittest.main()
