"""Sentences, tables, questions, uploads and jobs."""

from __future__ import annotations

import datetime as dt
import unittest
from decimal import Decimal
from itertools import product

import numpy as np
import pyarrow as pa
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from goldthread.core.book.days import to_day
from goldthread.core.calendar_words import date_words, period_words
from goldthread.core.choices import CALENDAR_PERIODS, AgeKind, Average, CohortFigure, OrderUnit, Period
from goldthread.core.cohorts.figures import COUNTS
from goldthread.core.history.history import read_history
from goldthread.core.money import money_text
from goldthread.core.records import OrderStatus
from goldthread.csv_writer import csv_line, csv_lines
from goldthread.errors import InvalidInput
from goldthread.stops.cohorts.question import CellChoice, CohortQuestion, Columns
from goldthread.stops.cohorts.words import age_phrase, cohort_words
from goldthread.stops.reading import Read, history_rule
from goldthread.stops.sentences.reading_line import ReadingLine, Shown
from goldthread.stops.sentences.sentence import count_words, plain, reading_line
from goldthread.stops.sheet import exact_money, money_texts
from goldthread.store.books import BookRow
from goldthread.store.revisions import Stamped
from goldthread.workspace import Shelved
from tests.support import tiny

TODAY = dt.date(2025, 9, 1)


class Sentences(unittest.TestCase):
    def reading(self, line: ReadingLine) -> str:
        return plain(reading_line(self.read(line)))

    def read(self, line: ReadingLine) -> Read:
        orders = tiny.book()
        history = read_history(orders, history_rule(line, orders, TODAY))
        row = BookRow(1, "tiny", "EUR", "Europe/Lisbon", 1)
        return Read(row, Shelved(1, Stamped(1, "a"), orders), line, history, None, None, [], ())

    def test_the_reading_line_names_sources_statuses_and_the_date(self) -> None:
        open_, paid, *_ = OrderStatus
        every, none = "orders of every source", "no filter"
        cases = {
            ReadingLine(): (f"{every}, cancelled left out, as of 31 Aug 2025, {none}; 1 later order left out."),
            ReadingLine(as_of="2024-12-31", status=tuple(OrderStatus), source=("phone", "web")): (
                f"orders from phone and web, whatever their status, as of 31 Dec 2024, {none}; 9 later orders left out."
            ),
            ReadingLine(as_of="2026-01-01", status=(paid,)): f"{every}, paid ones only, as of 1 Jan 2026, {none}.",
            ReadingLine(as_of="2026-01-01", status=(open_, paid)): (
                f"{every}, cancelled and refunded left out, as of 1 Jan 2026, {none}."
            ),
            ReadingLine(as_of="2026-01-01", source=("counter", "phone", "web")): (
                f"{every}, cancelled left out, as of 1 Jan 2026, {none}."
            ),
            ReadingLine(as_of="2026-01-01", unit=OrderUnit.PURCHASE_DAY): (
                f"purchase days of every source, cancelled left out, as of 1 Jan 2026, {none}."
            ),
        }
        for choice, wanted in cases.items():
            with self.subTest(wanted=wanted):
                self.assertEqual(self.reading(choice), f"Reading {wanted}")

    def test_every_choice_has_its_own_words_and_each_control_states_one_of_its_options(self) -> None:
        read, seen = self.read(ReadingLine()), set()
        choices = product(CALENDAR_PERIODS, AgeKind, CohortFigure, Average, Shown, Columns, ("", "first_source"))
        for period, ages, figure, average, first, columns, split in choices:
            question = CohortQuestion(
                period=period,
                ages=ages,
                figure=figure,
                average=average,
                first_column=first,
                columns=columns,
                split=split,
            )
            words = cohort_words(question, read, None)
            parts, controls = [*words.sentence, *words.manner], {each.name: each for each in words.controls}
            for part in parts:
                if part.control is None:
                    continue
                control = controls[part.control]
                chosen = [option.label for option in control.options if option.value in control.chosen]
                self.assertEqual(chosen, [part.text])
            seen.add((plain(parts), average if figure in COUNTS else None))
        laid_out = 2 + 1 + 1 + 1
        self.assertEqual(len(seen), 4 * 2 * len(CohortFigure) * 2 * laid_out)

    def test_ages_and_periods_in_words(self) -> None:
        cases = {
            (Period.MONTH, AgeKind.CALENDAR, 0): "in the same month",
            (Period.WEEK, AgeKind.CALENDAR, 1): "1 calendar week later",
            (Period.YEAR, AgeKind.CALENDAR, 3): "3 calendar years later",
            (Period.MONTH, AgeKind.ELAPSED, 0): "within 30 days",
            (Period.QUARTER, AgeKind.ELAPSED, 1): "in the 1st later 91-day window",
            (Period.WEEK, AgeKind.ELAPSED, 12): "in the 12th later 7-day window",
        }
        for place, words in cases.items():
            with self.subTest(place=place):
                self.assertEqual(age_phrase(*place), words)
        labels = {"2024": "2024", "2024-03": "Mar 2024", "2024-Q2": "quarter 2 of 2024", "2024-W05": "week 5 of 2024"}
        self.assertEqual({label: period_words(label) for label in labels}, labels)
        self.assertEqual(date_words(to_day(dt.date(2026, 7, 12))), "12 Jul 2026")
        self.assertEqual((count_words(1, "order"), count_words(2377, "order")), ("1 order", "2\u202f377 orders"))

    def test_the_first_column_is_hidden_where_it_is_always_whole(self) -> None:
        self.assertFalse(CohortQuestion().first_column_shown)
        for figure in (CohortFigure.CUSTOMERS, CohortFigure.AVERAGE_ORDER_VALUE, CohortFigure.PROFIT_PER_CUSTOMER):
            self.assertTrue(CohortQuestion(figure=figure).first_column_shown)
        self.assertTrue(CohortQuestion(first_column=Shown.SHOWN).first_column_shown)


class Questions(unittest.TestCase):
    def as_of(self, text: str, today: dt.date = TODAY) -> int:
        return history_rule(ReadingLine(as_of=text), tiny.book(), today).as_of_day

    def test_latest_is_the_last_order_date_that_is_not_after_today(self) -> None:
        self.assertEqual(self.as_of("latest"), tiny.AS_OF_DAY)
        self.assertEqual(self.as_of("latest", dt.date(2025, 9, 20)), to_day(dt.date(2025, 9, 15)))
        self.assertEqual(self.as_of("latest", dt.date(2000, 1, 1)), to_day(dt.date(2000, 1, 1)))
        self.assertEqual(self.as_of("today"), to_day(TODAY))
        self.assertEqual(self.as_of("2024-02-29"), to_day(dt.date(2024, 2, 29)))

    def test_choices_that_do_not_fit_the_book_are_told(self) -> None:
        wrong = {
            ReadingLine(as_of="2025-02-30"): "as_of",
            ReadingLine(status=()): "status",
            ReadingLine(source=("x",)): "source",
        }
        for choice, field in wrong.items():
            with self.subTest(field=field), self.assertRaises(InvalidInput) as told:
                history_rule(choice, tiny.book(), TODAY)
            self.assertEqual(told.exception.field, field)
            self.assertTrue(told.exception.remedy)

    def test_a_cell_is_named_by_cohort_and_age(self) -> None:
        self.assertEqual(CellChoice.read("2024-01", "12"), CellChoice("2024-01", 12))
        self.assertEqual(CellChoice.read("all", "all"), CellChoice("all", None))
        for age in ("", "-1", "1.5", "²", "9999999", "2024-13-01"):
            with self.subTest(age=age), self.assertRaises(InvalidInput):
                CellChoice.read("2024-01", age)

    def test_amounts_are_written_alike_one_by_one_and_all_at_once(self) -> None:
        amounts = [0, 1, -1, 100, 12_345, -12_300, 10**18 - 1, -(10**18) + 1, 5_000]
        self.assertEqual(money_texts(np.array(amounts, np.int64)), [money_text(amount) for amount in amounts])

    def test_questions_cannot_be_changed_and_are_equal_by_value(self) -> None:
        self.assertEqual(hash(CohortQuestion()), hash(CohortQuestion(as_of="latest")))
        with self.assertRaises(ValidationError):
            CohortQuestion().period = Period.YEAR  # type: ignore[misc]


class Tables(unittest.TestCase):
    @given(st.integers(-(10**18), 10**18))
    def test_money_is_exact(self, minor: int) -> None:
        self.assertEqual(Decimal(money_text(minor)) * 10_000, minor)
        self.assertIn(len(money_text(minor).split(".")[1]), (2, 4))

    def test_orders_are_written_with_iso_dates_and_quoted_where_needed(self) -> None:
        table = pa.table(
            {
                "customer": pa.array(["C05"], pa.large_string()),
                "name": pa.array(['Eskil "Kit", Orme'], pa.large_string()),
                "date": pa.array([dt.date(2024, 1, 15)], pa.date32()),
                "amount": exact_money(np.array([1_880_050], np.int64)),
            }
        )
        lines = b"".join(csv_lines(table)).decode().split("\r\n")
        self.assertEqual(lines[1], 'C05,"Eskil ""Kit"", Orme",2024-01-15,188.0050')
        self.assertEqual(csv_line(["C05", '=1+1,"q"', "-3"]), 'C05,"\'=1+1,""q""",-3\r\n')


if __name__ == "__main__":
    unittest.main()
