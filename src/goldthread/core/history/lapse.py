"""The lapse rule: since when a customer without a newer order is called lapsed (``docs/definitions.md``, section 8)."""

from __future__ import annotations

from dataclasses import dataclass

from goldthread.core.book.periods import months_before


@dataclass(frozen=True)
class LapseRule:
    """No order in the last ``days`` days; or in the last ``months`` calendar months when that is set; or for longer
    than ``usual_gaps`` times the gap after which the customer's next order was expected when that is set.

    ``by_activity``: a payment counts as an order does.
    """

    days: int = 90
    months: int | None = None
    usual_gaps: float | None = None
    by_activity: bool = False

    @property
    def is_span(self) -> bool:
        """Whether the limit is the same for every customer."""
        return self.usual_gaps is None

    def last_lapsed_day(self, as_of_day: int) -> int:
        """A latest order on or before this day means lapsed. "The last N days" is (as-of − N, as-of].

        Of a rule that is a span.
        """
        return as_of_day - self.days if self.months is None else months_before(as_of_day, self.months)


NINETY_DAYS = LapseRule()
"""The rule in force until another is chosen."""
