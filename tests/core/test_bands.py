"""Numbers and dates as groups: round bands, the same for every part of a book."""

from __future__ import annotations

import datetime as dt
import random
import unittest
from dataclasses import replace

import numpy as np

from goldthread.core.book.columns import Attribute
from goldthread.core.book.days import to_day
from goldthread.core.book.filtered import filtered
from goldthread.core.book.own_attributes import OwnAttributes, OwnColumn
from goldthread.core.history.bands import months, number_bands
from goldthread.core.history.conditions import Numbers
from goldthread.core.history.fields import FieldSource, FieldValues
from goldthread.core.history.lapse import LapseRule
from goldthread.core.records import AttributeType
from tests.support.random_books import attribute, book_of, random_rows

MINOR = 10_000


def numbers(*values: float | None) -> Numbers:
    return Numbers(
        np.array([round((value or 0) * MINOR) for value in values], np.int64),
        np.array([value is None for value in values]),
    )


def labels(given: Attribute) -> list[str]:
    return [given.labels[code] for code in given.codes.tolist()]


class Bands(unittest.TestCase):
    def test_few_numbers_are_groups_by_themselves(self) -> None:
        some = numbers(2, 1.5, None, -3, 2)
        self.assertEqual(labels(number_bands(some).of(some)), ["2", "1.5", "", "-3", "2"])

    def test_many_numbers_are_in_bands_between_round_ones_that_hold_about_as_many(self) -> None:
        draw = random.Random(1)
        some = numbers(*(draw.lognormvariate(4, 1) for _ in range(3_000)), None)
        found = number_bands(some)
        counts = [labels(found.of(some)).count(label) for label in found.labels]
        self.assertEqual((len(counts), sum(counts)), (6, 3_000))
        self.assertGreater(min(counts), 300)
        for label, (low, high) in zip(found.labels, found.spans, strict=True):
            inside = [
                (low is None or value >= low) and (high is None or value < high)
                for value, own in zip(some.values.tolist(), labels(found.of(some)), strict=True)
                if own == label
            ]
            with self.subTest(label):
                self.assertTrue(all(inside))
        self.assertRegex(found.labels[0], r"^under [1-9][0-9.]*$")

    def test_a_part_of_a_book_has_the_bands_of_the_whole(self) -> None:
        whole = numbers(*range(-40, 60))
        part = numbers(59, None, -40, 7)
        found = number_bands(whole)
        every = dict(zip(whole.values.tolist(), labels(found.of(whole)), strict=True))
        self.assertEqual(labels(found.of(part)), [every[590_000], "", every[-400_000], every[70_000]])

    def test_days_are_grouped_by_their_month(self) -> None:
        days = [to_day(dt.date(*day)) for day in ((2025, 1, 31), (2025, 2, 1), (2025, 4, 30))]
        some = Numbers(np.array([*days, 0], np.int32), np.array([False, False, False, True]))
        found = months(some)
        self.assertEqual(labels(found.of(some)), ["2025-01", "2025-02", "2025-04", ""])
        self.assertEqual(found.span("2025-02"), (to_day(dt.date(2025, 2, 1)), to_day(dt.date(2025, 3, 1))))

    def test_nothing_has_one_band(self) -> None:
        none = numbers(None, None)
        self.assertEqual(labels(number_bands(none).of(none)), ["", ""])
        self.assertEqual(labels(months(none).of(none)), ["", ""])

    def test_an_attribute_of_a_part_groups_alike_however_often_it_is_asked(self) -> None:
        whole = book_of(random_rows(3))
        column = OwnColumn("weight", AttributeType.NUMBER)
        own = OwnAttributes(
            {"weight": column},
            lambda _name, ids: attribute([str(each % 3) for each in ids], ("0", "1", "2")),
        )
        part = filtered(replace(whole, own=own), whole.day > np.median(whole.day))
        fields = FieldValues(FieldSource(part, part, int(whole.day.max()), LapseRule(days=90)))
        first = labels(fields.grouping("weight"))
        self.assertEqual(labels(fields.grouping("weight")), first)
        self.assertEqual(first, [str(each % 3) for each in part.order_id])


if __name__ == "__main__":
    unittest.main()
