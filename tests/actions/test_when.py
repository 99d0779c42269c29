"""When something runs: words and cron expressions, the next moments, and summer time."""

from __future__ import annotations

import datetime as dt
import unittest
from zoneinfo import ZoneInfo

from goldthread.actions.when import next_after, read_when, runs_between, when_words
from goldthread.errors import InvalidInput

BERLIN = ZoneInfo("Europe/Berlin")


def following(cron: str, after: str, count: int) -> list[str]:
    """The next times on the wall in Berlin."""
    at, found = dt.datetime.fromisoformat(after), []
    for _ in range(count):
        at = next_after(cron, BERLIN, at)
        found.append(f"{at.replace(tzinfo=dt.UTC).astimezone(BERLIN):%d %H:%M %z}")
    return found


class Words(unittest.TestCase):
    def test_words_are_read_and_said_again(self) -> None:
        for said, cron, words in (
            ("every Monday at 06:00", "0 6 * * 1", "every Monday at 06:00"),
            ("monday 06:00", "0 6 * * 1", "every Monday at 06:00"),
            ("on the first of the month", "0 6 1 * *", "on the first of the month at 06:00"),
            ("On the 22nd of every month at 18:15", "15 18 22 * *", "on the 22nd of the month at 18:15"),
            ("on the last of the month at 8", "0 8 L * *", "on the last of the month at 08:00"),
            ("every day at 7", "0 7 * * *", "every day at 07:00"),
            ("every hour", "0 * * * *", "every hour"),
            ("every 15 minutes", "*/15 * * * *", "every 15 minutes"),
            ("every weekday", "0 6 * * 1-5", "every weekday at 06:00"),
            ("every friday, monday and wednesday at 9", "0 9 * * 1,3,5", "every Monday, Wednesday and Friday at 09:00"),
            ("30 5 * * mon", "30 5 * * mon", "by the expression 30 5 * * mon"),
        ):
            with self.subTest(said):
                self.assertEqual((read_when(said), when_words(cron)), (cron, words))

    def test_what_says_no_time_is_refused_with_examples(self) -> None:
        for said in (
            "",
            "every blue moon",
            "every day at 25",
            "on the 32nd of the month",
            "0 6 * *",
            "R * * * *",
            "@daily",
            "x" * 300,
        ):
            with self.subTest(said), self.assertRaises(InvalidInput) as refused:
                read_when(said)
            self.assertIn("every Monday at 06:00", refused.exception.remedy)

    def test_what_comes_too_often_or_never_is_refused(self) -> None:
        for said, why in (("* * * * *", "more often"), ("0,1 6 * * *", "more often"), ("0 0 30 2 *", "no day")):
            with self.subTest(said), self.assertRaisesRegex(InvalidInput, why):
                read_when(said)


class Moments(unittest.TestCase):
    def test_an_hour_that_summer_time_leaves_out_is_made_up_and_one_it_repeats_counts_once(self) -> None:
        self.assertEqual(
            following("30 2 * * *", "2026-03-27T12:00", 3), ["28 02:30 +0100", "29 03:30 +0200", "30 02:30 +0200"]
        )
        self.assertEqual(
            following("30 2 * * *", "2026-10-23T12:00", 3), ["24 02:30 +0200", "25 02:30 +0200", "26 02:30 +0100"]
        )

    def test_every_hour_is_every_hour_that_passes(self) -> None:
        self.assertEqual(
            following("0 * * * *", "2026-10-24T23:30", 4),
            ["25 02:00 +0200", "25 02:00 +0100", "25 03:00 +0100", "25 04:00 +0100"],
        )
        self.assertEqual(
            following("0 * * * *", "2026-03-28T23:30", 3), ["29 01:00 +0100", "29 03:00 +0200", "29 04:00 +0200"]
        )

    def test_runs_between_two_moments_are_counted(self) -> None:
        after, until = dt.datetime.fromisoformat("2026-10-24T12:00"), dt.datetime.fromisoformat("2026-10-25T12:00")
        for cron, count in (("0 * * * *", 24), ("30 2 * * *", 1), ("0 6 * * 2", 0), ("*/5 * * * *", 288)):
            with self.subTest(cron):
                self.assertEqual(runs_between(cron, BERLIN, after, until), count)
