"""The answers of Follow-up as tables to download."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from goldthread.core.choices import Flow, Stands
from goldthread.core.history import facts
from goldthread.core.history.conditions import Level
from goldthread.core.intervals import wilson_interval
from goldthread.core.standing.over_time import StandingsOverTime
from goldthread.core.standing.tally import StandingTable
from goldthread.stops.behind.order_table import field_column, of_customers, who
from goldthread.stops.followup.answer import FollowUpAnswer, LapseCurveAnswer, StandingAnswer
from goldthread.stops.reading import Read
from goldthread.stops.sentences.sentence import sentences
from goldthread.stops.sheet import Sheet, exact_money, known_numbers, label_column, with_first_days
from goldthread.workspace import Workspace

Int64s = NDArray[np.int64]
_OF_THREAD = ("standing", "latest_date", "days_since", "usual_gap")
_AFTER_GAP = ("overdue", "orders", "revenue", "average_order_value", "first_date", "last_activity", "next_due", "town")
_SHARES = frozenset({"share", "low", "high"})


def follow_up_sheet(_workspace: Workspace, answer: FollowUpAnswer) -> Sheet:
    """One row per customer, in sequence, with everything that a letter or a call may need."""
    return Sheet(sentences(answer.read, answer.words), of_customers(answer.read, answer.found, contacts))


def contacts(read: Read, rows: Int64s) -> pa.Table:
    """Some customers, one a row."""
    return pa.table(contact_columns(read, rows))


def contact_columns(read: Read, rows: Int64s) -> dict[str, pa.Array]:
    """Who some customers are, how to reach them, and what their threads show: the columns of a mail merge."""
    known = read.fields.by_name
    own = [
        name
        for name, field in known.items()
        if name in read.shelved.orders.customers.attributes and field.level is Level.CUSTOMER
    ]
    names = dict.fromkeys([*_AFTER_GAP, *own])
    return {
        **who(read.orders, rows),
        "email": field_column(read, "email", rows),
        **{name: field_column(read, name, rows) for name in _OF_THREAD},
        "expected_gap": known_numbers(facts.expected_gap_days(read.orders).take(rows)),
        **{name: field_column(read, name, rows) for name in names if name in known},
    }


def standing_sheet(_workspace: Workspace, answer: StandingAnswer) -> Sheet:
    """One row per group, or per period, and standing."""
    if answer.over is not None:
        return Sheet(sentences(answer.read, answer.words), _over(answer.over), _SHARES)
    groups = answer.groups()
    tables = [_group(table, place) for _, table, place in groups]
    nobody = np.zeros(len(Stands), np.int64)
    whole = pa.concat_tables(tables) if tables else _standings(nobody, nobody).slice(0, 0)
    if answer.question.by or answer.rest is not None:
        labels = [label for label, _, _ in groups for _ in Stands]
        whole = whole.add_column(0, "group", label_column(labels))
    return Sheet(sentences(answer.read, answer.words), whole, _SHARES)


def _group(table: StandingTable, place: int) -> pa.Table:
    return _standings(table.customers[place], table.revenue_minor[place])


def _standings(customers: Int64s, revenue_minor: Int64s) -> pa.Table:
    return pa.table(
        {
            "standing": pa.array([stands.value for stands in Stands], pa.large_string()),
            "customers": customers,
            **_share(customers, np.full(customers.size, customers.sum())),
            "revenue": exact_money(revenue_minor),
        }
    )


def _over(table: StandingsOverTime) -> pa.Table:
    """What each flow added to a standing, or took from it: opening and flows make up the customers at the end."""
    labels, periods = table.labels, table.end_day.size
    everybody = table.customers.sum(axis=0)

    def flat(values: Int64s) -> Int64s:
        """By period, then by standing; int64, shape (periods · standings,)."""
        return values.T.ravel()

    found = pa.table(
        {
            "period": pa.array([label for label in labels for _ in Stands], pa.large_string()),
            "standing": pa.array([stands.value for stands in Stands] * periods, pa.large_string()),
            "opening": flat(table.openings),
            **{flow.value: flat(table.change(flow)) for flow in Flow},
            "customers": flat(table.customers),
            **_share(flat(table.customers), np.repeat(everybody, len(Stands))),
        }
    )
    return with_first_days(found, "period", table.period)


def lapse_curve_sheet(_workspace: Workspace, answer: LapseCurveAnswer) -> Sheet:
    """One row per limit, from one day to the longest silence."""
    curve = answer.curve
    days = np.arange(1, curve.lapsed.size)
    customers = curve.lapsed[1:]
    share = customers / max(curve.lapsed_at(0), 1)
    table = pa.table({"days": days, "customers": customers, "share": share})
    return Sheet(sentences(answer.read, answer.words), table, frozenset({"share"}))


def _share(customers: Int64s, everybody: Int64s) -> dict[str, pa.Array]:
    low, high = wilson_interval(customers, everybody)
    share = customers / np.where(everybody > 0, everybody, np.nan)
    return {"share": known_numbers(share), "low": known_numbers(low), "high": known_numbers(high)}
