"""The page's pure modules: formats, scales, windows, keys and conditions, without a browser."""

from __future__ import annotations

import unittest
from itertools import pairwise

from tests.support.modules import called

THIN = "\u202f"


class Formats(unittest.TestCase):
    def test_figures_have_real_minus_signs_and_nothing_has_none(self) -> None:
        cases: list[tuple[tuple[object, ...], str]] = [
            (("money", "31204.85"), f"31{THIN}204.85"),
            (("money", "-1234567.5"), f"−1{THIN}234{THIN}567.5"),
            (("money", "-0.4", True), "0"),
            (("money", "-0.00"), "0.00"),
            (("signed", "-0.00"), "+0.00"),
            (("signed", "-12.00"), "−12.00"),
            (("count", -1234), f"−1{THIN}234"),
            (("rounded", -0.4), "0"),
            (("rounded", -1_250_000), "−1.3 M"),
            (("percent", -0.004), "0"),
            (("percent", None), "—"),
            (("percent", -0.125, 1), "−12.5"),
        ]
        found = called("lib/format/figures.ts", *(call for call, _ in cases))
        self.assertEqual(found, [text for _, text in cases])

    def test_today_is_the_days_where_the_book_is_kept(self) -> None:
        midnight_in_utc = 1_764_028_800_000
        found = called(
            "lib/format/dates.ts",
            ("todayIn", "UTC", midnight_in_utc),
            ("todayIn", "America/New_York", midnight_in_utc),
            ("todayIn", "Pacific/Auckland", midnight_in_utc - 43_200_000),
        )
        self.assertEqual(found, ["2025-11-25", "2025-11-24", "2025-11-25"])

    def test_periods_and_spans_are_named_as_people_name_them(self) -> None:
        found = called(
            "lib/format/dates.ts",
            ("periodName", "2024-03"),
            ("periodName", "2024-Q1"),
            ("periodName", "2024-W05"),
            ("span", "2026-02-01", "2026-02-28"),
            ("span", "2023-01-02", "2026-10-31"),
        )
        named = ["Mar 2024", "Q1 2024", "week 5 of 2024", "1 to 28 Feb 2026", "2 Jan 2023 to 31 Oct 2026"]
        self.assertEqual(found, named)
        self.assertEqual(
            called("lib/periods.ts", ("daysOf", "2020-W53"), ("daysOf", "2024-02-29"), ("daysOf", "2024-Q4")),
            [["2020-12-28", "2021-01-04"], ["2024-02-29", "2024-03-01"], ["2024-10-01", "2025-01-01"]],
        )


class Charts(unittest.TestCase):
    def test_scales_hold_zero_and_what_is_below_it(self) -> None:
        found = called(
            "charts/scales.ts",
            ("extentOf", [None, 5, -3, 2]),
            ("extentOf", []),
            ("valueScale", [100, 0], {"lowest": -47, "highest": 798}),
            ("valueScale", [100, 0], {"lowest": 0, "highest": 0.97}, True),
            ("valueScale", [100, 0], {"lowest": 0, "highest": 0}),
            ("valueScale", [100, 0], {"lowest": -30, "highest": 0}),
        )
        self.assertEqual(found[:2], [{"lowest": -3, "highest": 5}, {"lowest": 0, "highest": 0}])
        self.assertEqual(found[2:], [[-500, 1000], [0, 1], [0, 1], [-30, 0]])

    def test_losses_are_stacked_down_from_zero_and_gains_up(self) -> None:
        series = [
            {"key": "a", "label": "a", "values": [10, -10], "tone": 1},
            {"key": "b", "label": "b", "values": [10, -10], "tone": 2},
        ]
        measures = {"step": 10, "top": 0, "bottom": 80, "shares": False, "most": 0}
        [laid] = called("charts/columns.ts", ("stack", series, measures))
        tops = [[round(box["y"]) for box in boxes] for boxes in laid["boxes"]]
        heights = {round(box["height"]) for boxes in laid["boxes"] for box in boxes}
        self.assertEqual((tops, heights), ([[20, 40], [0, 60]], {20}))

    def test_a_curve_leaves_out_what_has_no_value_and_begins_where_it_should(self) -> None:
        [points] = called("charts/curve.ts", ("pointsFrom", 1, [9, 5, None, 3], [8, 4], [9, 6, None, None]))
        self.assertEqual(
            points,
            [{"at": 1, "value": 5, "low": 4, "high": 6}, {"at": 3, "value": 3, "low": None, "high": None}],
        )


class Lists(unittest.TestCase):
    def test_steps_stay_within_the_list(self) -> None:
        steps = [("stepped", key, 5, 20) for key in ("ArrowDown", "ArrowUp", "PageDown", "Home", "End", "a")]
        self.assertEqual(called("table/column.ts", *steps), [6, 4, 19, 0, 19, None])

    def test_selected_figures_are_summed_as_exactly_as_they_are_shown(self) -> None:
        cells: tuple[list[str], ...] = (
            ["0.1", "0.5", "", "—"],
            ["41 %", "38 %"],
            [f"1{THIN}204.50", "−4.5"],
            ["2 of 5", "1"],
            ["3 d", "4 %"],
            [],
        )
        found = called("table/summed.ts", *(("summed", each) for each in cells))
        self.assertEqual(
            found,
            [
                {"sum": "0.6", "mean": "0.3", "median": "0.3", "count": 2},
                {"sum": "", "mean": "39.5 %", "median": "39.5 %", "count": 2},
                {"sum": f"1{THIN}200.00", "mean": "600.00", "median": "600.00", "count": 2},
                *(3 * [None]),
            ],
        )

    def test_choices_are_narrowed_by_words_and_by_the_trades_terms(self) -> None:
        options = [
            {"value": "retention", "label": "what share ordered", "term": "retention rate"},
            {"value": "customers", "label": "how many customers ordered"},
        ]
        found = called("menus/choice.ts", *(("narrowed", options, letters) for letters in ("RETENT", "order", "x")))
        self.assertEqual([len(each) for each in found], [1, 2, 0])

    def test_keys_lead_through_every_cell_of_the_cohort_table(self) -> None:
        row = {"customers": [4, 2, 1]}
        answer = {
            "cohorts": [row, {"customers": [3, 1]}],
            "by_calendar": False,
            "first_column_shown": False,
            "ages_shown": 3,
        }
        places = [
            ({"row": 0, "age": 1}, "ArrowRight", {"row": 0, "age": 2}),
            ({"row": 0, "age": 2}, "ArrowRight", {"row": 0, "age": 2}),
            ({"row": 0, "age": 2}, "ArrowDown", {"row": 1, "age": 1}),
            ({"row": 1, "age": 1}, "ArrowDown", {"row": -1, "age": 1}),
            ({"row": 0, "age": 1}, "ArrowLeft", {"row": 0, "age": 0, "part": "back"}),
            ({"row": 0, "age": 0, "part": "back"}, "ArrowLeft", {"row": 0, "age": 0, "part": "customers"}),
            ({"row": 0, "age": 0, "part": "back"}, "ArrowRight", {"row": 0, "age": 1}),
        ]
        calls = [("ledTo", answer, now, key) for now, key, _ in places]
        self.assertEqual(called("stops/cohorts/gridKeys.ts", *calls), [to for _, _, to in places])

    def test_a_comparison_is_written_as_cql2(self) -> None:
        text = {"name": "name", "written": "name", "kind": "text"}
        found = called(
            "sentence/conditions.ts",
            ("written", text, "=", "O'Hara"),
            ("written", text, "has", "50%"),
            ("written", {**text, "kind": "money"}, ">=", "12.5"),
            ("written", {**text, "kind": "date"}, "<=", "2026-10-31"),
        )
        self.assertEqual(
            found, ["name = 'O''Hara'", "name LIKE '%50\\%%'", "name >= 12.5", "name <= DATE('2026-10-31')"]
        )


class Rhythm(unittest.TestCase):
    FIRST, LAST = 19_723, 20_088
    """1 January and 31 December 2024, as days since 1970-01-01."""

    def test_keys_move_an_end_of_the_window_by_months_or_days_within_the_book(self) -> None:
        first, last = self.FIRST, self.LAST
        cases: list[tuple[tuple[object, ...], int | None]] = [
            (("steppedDay", "ArrowRight", False, "from", first, first, last), first + 31),
            (("steppedDay", "ArrowRight", False, "from", first + 10, first, last), first + 31),
            (("steppedDay", "ArrowLeft", False, "from", first + 31, first, last), first),
            (("steppedDay", "ArrowLeft", False, "from", first + 40, first, last), first + 31),
            (("steppedDay", "ArrowLeft", False, "from", first, first, last), first),
            (("steppedDay", "ArrowLeft", False, "to", last, first, last), last - 31),
            (("steppedDay", "ArrowRight", False, "to", last - 31, first, last), last),
            (("steppedDay", "ArrowRight", False, "to", last, first, last), last),
            (("steppedDay", "ArrowLeft", True, "to", last, first, last), last - 1),
            (("steppedDay", "Home", False, "to", last, first, last), first),
            (("steppedDay", "End", False, "from", first, first, last), last),
            (("steppedDay", "a", False, "from", first, first, last), None),
        ]
        found = called("stops/rhythm/counts/brush.ts", *(call for call, _ in cases))
        self.assertEqual(found, [day for _, day in cases])

    def test_a_window_moved_as_a_whole_keeps_its_length_and_stays_in_the_book(self) -> None:
        window = {"from": 120, "to": 150}
        found = called(
            "stops/rhythm/counts/brush.ts",
            *(("moved", window, days, 100, 200) for days in (7, -7, -90, 90)),
        )
        ends = [(127, 157), (113, 143), (100, 130), (170, 200)]
        self.assertEqual([(each["from"], each["to"]) for each in found], ends)

    def test_days_are_written_whole_or_with_one_decimal_and_ticks_can_be_read(self) -> None:
        found = called("stops/rhythm/gaps.ts", ("days", 61), ("days", 40.5), ("days", 33.333))
        self.assertEqual(found, ["61", "40.5", "33.3"])
        ticks = called("charts/days.ts", ("dayTicks", 90), ("dayTicks", 480), ("dayTicks", 4_000))
        self.assertEqual(ticks[0], [0, 30, 60, 90])
        self.assertEqual(ticks[1], [0, 60, 120, 180, 240, 300, 360, 420, 480])
        self.assertEqual(ticks[2], [at * 730 for at in range(6)])

    def test_a_curve_is_read_in_words(self) -> None:
        answer = {"ages": [0, 30, 60]}
        curve = {"share": [0, 0.275, None], "low": [None, 0.24, None], "high": [None, 0.32, None]}
        found = called(
            "stops/rhythm/next-order/curves.ts",
            *(("shareWords", answer, curve, place) for place in range(3)),
            *(("halfWords", {"half_by": day}) for day in (None, 0, 1_046)),
            ("placeOf", [0, 7, 30, 60], 50),
        )
        self.assertEqual(found[:3], ["0 % by day 0", "28 % by day 30 (24 to 32)", "no data that far"])
        self.assertEqual(
            found[3:],
            [
                "fewer than half have ordered again so far",
                "half ordered again on the same day",
                f"half have ordered again by day 1{THIN}046",
                3,
            ],
        )

    def test_groups_and_the_ladder_are_read_in_words(self) -> None:
        groups = [
            {"orders": "1", "customers": 3, "order_count": 3, "revenue": "40.00", "reached": 4, "went_on": 1},
            {"orders": "2+", "customers": 1, "order_count": 1_002, "revenue": "9000.50", "reached": 1, "went_on": 0},
        ]
        answer = {"groups": groups, "currency": "EUR"}
        found = called(
            "stops/rhythm/counts/counts.ts",
            ("countWords", answer, 0),
            ("countWords", answer, 1),
            ("ladderWords", groups[0]),
            ("groupName", "2+", False),
        )
        self.assertEqual(found[0], "1 order: 3 customers (75 %, up to here 75 %); 3 orders, 40 EUR")
        last = f"2 or more orders: 1 customer (25 %, up to here 100 %); 1{THIN}002 orders, 9{THIN}000 EUR"
        self.assertEqual(found[1], last)
        self.assertEqual(found[2], "25 %: of 4 with 1 order or more, 1 placed one more. How long until then?")
        self.assertEqual(found[3], "2+")

    def test_names_at_the_ends_of_curves_never_lie_on_each_other(self) -> None:
        ends = [{"y": 10}, {"y": 12}, {"y": 90}, {"y": 95}]
        [placed] = called("charts/lines.ts", ("spread", ends, 15, 0, 100))
        found = [end["y"] for end in placed]
        self.assertTrue(all(after - before >= 15 for before, after in pairwise(found)), found)
        self.assertLessEqual(found[-1], 100)


class Loom(unittest.TestCase):
    PLACES = (0, 3, 6, 9)
    """Every third of ten threads is drawn."""

    def test_a_range_of_the_sequence_and_the_drawn_threads_in_it(self) -> None:
        answer = {"places": self.PLACES, "count": 12}
        found = called(
            "stops/threads/loom/loom.ts",
            ("drawnOf", answer, None),
            ("drawnOf", answer, {"first": 2, "last": 6}),
            ("drawnOf", answer, {"first": 4, "last": 5}),
        )
        self.assertEqual([(each["from"], each["to"]) for each in found], [(0, 4), (1, 3), (2, 2)])

    def test_drawn_threads_stand_for_those_between_them(self) -> None:
        answer = {"places": self.PLACES, "count": 12}
        found = called(
            "stops/threads/loom/loom.ts",
            ("rangeOf", answer, 0, 0),
            ("rangeOf", answer, 1, 2),
            ("rangeOf", answer, 2, 3),
        )
        self.assertEqual([(each["first"], each["last"]) for each in found], [(0, 2), (3, 8), (6, 11)])


UNTOUCHED = {"state": "to_do", "contacted_on": None, "channel": "", "contacted_by": "", "call_on": None, "note": ""}


class FollowUp(unittest.TestCase):
    STANDINGS = "stops/followup/standings.ts"
    MEMBERS = "stops/followup/members.ts"

    def test_stretches_fill_their_width_and_leave_nobody_out(self) -> None:
        [parts, one] = called(self.STANDINGS, ("stretches", [900, 100, 0, 1], 600), ("stretches", [0, 0, 7, 0], 50))
        self.assertEqual([part["stands"] for part in parts], ["active", "lapsed", "none_counted"])
        self.assertAlmostEqual(sum(part["width"] for part in parts), 600)
        self.assertTrue(all(after["x"] == before["x"] + before["width"] for before, after in pairwise(parts)))
        self.assertGreaterEqual(parts[-1]["width"], 3)
        self.assertEqual([(part["x"], part["width"]) for part in one], [(0, 50)])

    def test_a_period_and_a_share_are_read_in_words(self) -> None:
        flows = ["began", "became_lapsed", "won_back", "came_on_file", "none_counted"]
        periods = [
            {"period": "2026-08", "customers": [900, 1200, 0, 0], "flows": [12, 3, 0, 0, 0]},
            {"period": "2026-09", "customers": [0, 0, 1, 0], "flows": [0, 0, 0, 0, 0]},
        ]
        over = {"periods": periods, "flows": flows, "partial": True}
        group = {"lapsed_share": 0.55, "low": 0.52, "high": 0.58}
        found = called(
            self.STANDINGS,
            ("periodWords", over, 0),
            ("periodWords", over, 1),
            ("lapsedWords", group),
            ("lapsedWords", {**group, "lapsed_share": None}),
            ("limitWords", 0, 0),
        )
        self.assertEqual(
            found,
            [
                f"Aug 2026: 900 active, 1{THIN}200 lapsed · 12 began, 3 newly lapsed",
                "Sep 2026, still running: 1 never ordered · nobody moved",
                "55 % (52 to 58)",
                "nobody has ordered",
                "0 of 0 customers (0 %)",
            ],
        )

    def test_bands_share_one_scale_and_are_closed_paths(self) -> None:
        over = {"periods": [{"customers": [10, 30, 10, 0]}, {"customers": [20, 20, 0, 0]}]}
        [cloth, path, nothing] = called(
            self.STANDINGS,
            ("clothOf", over, 20, 400),
            ("bandPath", [{"from": 0, "to": 10}, {"from": 0, "to": 20}], 5, 100, 2),
            ("bandPath", [], 5, 100, 2),
        )
        self.assertAlmostEqual(20 + 20 * cloth["scale"], cloth["floor"])
        self.assertAlmostEqual(cloth["ceiling"] + 40 * cloth["scale"], 400)
        self.assertEqual(path[0], "M")
        self.assertEqual((path[-1], path.count("L"), nothing), ("Z", 7, ""))

    def test_how_far_a_member_is_and_what_came_of_it_is_read_in_words(self) -> None:
        contacted = {
            **UNTOUCHED,
            "state": "contacted",
            "contacted_on": "2026-09-02",
            "channel": "phone",
            "contacted_by": "Mo",
            "note": "kiln broken",
        }
        ordered = {"ordered_on": "2026-09-11", "after_days": 9, "over": True}
        silent = {"ordered_on": None, "after_days": None, "over": True}
        share = {"over": 31, "ordered": 9, "share": 9 / 31, "still_open": 4}
        found = called(
            self.MEMBERS,
            ("entryWords", contacted),
            ("wholeEntry", contacted),
            ("entryWords", {**UNTOUCHED, "call_on": "2026-11-30"}),
            ("entryWords", {**UNTOUCHED, "state": "left_out", "held_back": True}),
            ("becameWords", ordered),
            ("becameShort", ordered),
            ("becameShort", silent),
            ("becameWords", {**silent, "over": False}),
            ("shareWords", share),
            ("shareWords", {**share, "over": 0, "share": None}),
        )
        self.assertEqual(
            found,
            [
                "✓ 2 Sep 2026",
                "✓ 2 Sep 2026, phone, by Mo: kiln broken",
                "call 30 Nov 2026",
                "control group",
                "11 Sep 2026, after 9 days",
                "11 Sep 2026 (9 d)",
                "no",
                "not yet",
                "9 of 31 (29 %), 4 still open",
                "—, 4 still open",
            ],
        )

    def test_held_back_members_are_not_among_those_that_are_done(self) -> None:
        groups = [
            {"members": members, "outcome": {"customers": customers}}
            for members, customers in (("all", 100), ("to_do", 30), ("held_back", 20))
        ]
        self.assertEqual(called(self.MEMBERS, ("doneCount", {"customers": 100, "groups": groups})), [50])


if __name__ == "__main__":
    unittest.main()
