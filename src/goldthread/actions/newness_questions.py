"""Questions about new and returning, as frozen values under the names of the page, HTTP and the command line."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import StrEnum

from goldthread.actions.questions import HistoryChoice
from goldthread.core.choices import Measure, Span


class NewnessView(StrEnum):
    """How the answer is drawn."""

    COLUMNS = "columns"
    SHARES = "shares"
    TABLE = "table"


@dataclass(frozen=True)
class NewnessQuestion:
    """A question about new and returning. ``split`` names the field by whose labels orders are told apart."""

    history: HistoryChoice = field(default_factory=HistoryChoice)
    period: Span = Span.MONTH
    measure: Measure = Measure.ORDERS
    view: NewnessView = NewnessView.COLUMNS
    split: str = ""
