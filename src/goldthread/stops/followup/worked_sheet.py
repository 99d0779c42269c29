"""Lists that are worked, as tables to download."""

from __future__ import annotations

import numpy as np
import pyarrow as pa

from goldthread.core.book.payments import NO_DAY
from goldthread.stops.followup.sheet import contact_columns
from goldthread.stops.followup.worked import OutcomesAnswer, WorkedAnswer
from goldthread.stops.sentences.sentence import sentences
from goldthread.stops.sheet import Sheet, exact_money, known_numbers
from goldthread.workspace import Workspace


def worked_sheet(_workspace: Workspace, answer: WorkedAnswer) -> Sheet:
    """One row per member: how to reach them, what was done, and what came of it."""
    read, worked, places = answer.read, answer.worked, answer.rows
    customers = answer.shown_members
    entries = [worked.entries[place] for place in places.tolist()]
    ordered = worked.found.ordered_day.take(places)
    missing = ordered == NO_DAY
    states = ["held_back" if each.held_back and each.state == "left_out" else each.state.value for each in entries]
    table = pa.table(
        {
            **contact_columns(read, customers),
            "state": pa.array(states, pa.large_string()),
            "contacted_on": pa.array([each.contacted_on for each in entries], pa.date32()),
            "channel": pa.array([each.channel or None for each in entries], pa.large_string()),
            "contacted_by": pa.array([each.contacted_by or None for each in entries], pa.large_string()),
            "call_on": pa.array([each.call_on for each in entries], pa.date32()),
            "note": pa.array([each.note or None for each in entries], pa.large_string()),
            "ordered_on": pa.array(np.where(missing, 0, ordered).astype(np.int32), pa.date32(), mask=missing),
            "after_days": pa.array(ordered - worked.start_day.take(places), mask=missing),
            "amount": exact_money(worked.found.amount_minor.take(places)),
            "days_over": pa.array(np.where(worked.found.over.take(places), "yes", "no").tolist(), pa.large_string()),
        }
    )
    return Sheet(sentences(read, answer.words), table)


def outcomes_sheet(_workspace: Workspace, answer: OutcomesAnswer) -> Sheet:
    """One row per list."""
    lists = answer.lists
    shares = [each.share for each in lists]
    table = pa.table(
        {
            "list": pa.array([each.row.name for each in lists], pa.large_string()),
            "as_of": pa.array([each.row.as_of for each in lists], pa.date32()),
            "customers": pa.array([each.members for each in lists], pa.int64()),
            "contacted": pa.array([each.contacted for each in lists], pa.int64()),
            "to_do": pa.array([each.to_do for each in lists], pa.int64()),
            "left_out": pa.array([each.left_out for each in lists], pa.int64()),
            "held_back": pa.array([each.held_back for each in lists], pa.int64()),
            "days_over": pa.array([share.over for share in shares], pa.int64()),
            "ordered": pa.array([share.ordered for share in shares], pa.int64()),
            "share": known_numbers(np.array([share.ratio for share in shares], np.float64)),
            "low": known_numbers(np.array([share.low for share in shares], np.float64)),
            "high": known_numbers(np.array([share.high for share in shares], np.float64)),
            "median_days": known_numbers(np.array([share.median_days for share in shares], np.float64)),
            "revenue": exact_money(np.array([share.amount_minor for share in shares], np.int64)),
        }
    )
    return Sheet(sentences(answer.read, answer.words), table, frozenset({"share", "low", "high"}))
