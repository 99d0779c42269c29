"""What the program's answers say beside their tables, by the names that `tests.reference.facts` gives it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from goldthread.core.book.days import to_date
from goldthread.core.cohorts.concentration import concentrations
from goldthread.core.counted import Counted
from goldthread.core.newness.classes import Tally
from goldthread.core.survival import age_of_share
from tests.reference.facts import Facts
from tests.reference.figures import About


def _cohorts_there(answer: Any) -> Facts:
    table, figure = answer.table, answer.figure
    odd = {(table.labels[row], int(age)) for row, age in zip(*np.nonzero(figure.odd), strict=True)}
    found: Facts = {"odd": odd, "overall": None if np.isnan(figure.averages.overall) else figure.averages.overall}
    found["apart"] = {(table.labels[each.row], each.age) for each in answer.apart}
    for row, age in zip(*np.nonzero(table.observed), strict=True):
        cell = Counted.of_table(table.history, table, int(row), int(age))
        for each in concentrations(table, cell, int(row), int(age)):
            key = f"common {table.labels[row]} {age} {each.field} {each.label}"
            found[key] = (each.customers, each.of, round(each.expected_share, 9))
    return found


def _tally_there(tally: Tally | None) -> Any:
    return None if tally is None else (tally.orders, tally.customers, tally.revenue_minor)


def _newness_there(answer: Any) -> Facts:
    years = {
        f"before {label}": _tally_there(each) for label, each in zip(answer.table.labels, answer.last_year, strict=True)
    }
    whole = {"whole": _tally_there(answer.whole)} if answer.whole.orders != (0, 0, 0) else {}
    now, before = _tally_there(answer.year), _tally_there(answer.year_before)
    return whole | years | {"year": now, "year before": before, "begins": to_date(answer.whole.first_day)}


def _counts_there(answer: Any) -> Facts:
    counts = answer.counts
    known = counts.with_orders > 0
    return {"mean": counts.mean if known else None, "median": counts.median if known else None, "mode": counts.mode}


def _half_there(answer: Any) -> Facts:
    # two groups can bear one name: a blank one, and one whose label reads so
    return {"halves": tuple(sorted(zip(answer.labels, age_of_share(answer.curve, 0.5), strict=True), key=str))}


def _band_there(answer: Any) -> Facts:
    return {
        f"band {age}": None if np.isnan(low) else (About(low / 10_000, 1e-6), About(high / 10_000, 1e-6))
        for age, (low, high) in enumerate(zip(answer.band.low_minor, answer.band.high_minor, strict=True))
    }


def _due_there(answer: Any) -> Facts:
    return dict(zip(("1", "2", "3", "4", "none"), answer.due.per_lateness.tolist(), strict=True))


THERE: dict[str, Callable[[Any], Facts]] = {
    "cohorts": _cohorts_there,
    "newness": _newness_there,
    "counts": _counts_there,
    "gaps": lambda answer: {"same day": answer.same_day, "one": answer.one_order, "none": answer.no_order},
    "next-order": _half_there,
    "due": _due_there,
    "lapse-curve": lambda answer: {"suggested": answer.curve.suggested_days},
    "worth": _band_there,
}
"""By question."""
