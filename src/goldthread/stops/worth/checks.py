"""What must hold of worth."""

from __future__ import annotations

from collections.abc import Iterator

from goldthread.core.checks import check_new_by_channel, check_revenue_shares
from goldthread.core.choices import Period
from goldthread.core.worth.revenue_shares import revenue_shares
from goldthread.stops.reading import Read
from goldthread.stops.step import Step
from goldthread.workspace import Workspace


def worth_steps(_workspace: Workspace, read: Read) -> Iterator[Step]:
    """Customers by revenue hold everything that was counted, and new customers by channel add up."""
    yield "Customers by revenue", lambda: check_revenue_shares(revenue_shares(read.history))
    yield "New customers by channel", lambda: check_new_by_channel(read.history.everybody, Period.MONTH)
