"""What a survey finds over all rows of a file."""

from __future__ import annotations

from dataclasses import dataclass, field

from goldthread.intake.formats import AmountEvidence, DateEvidence, StatusEvidence
from goldthread.intake.further import FurtherColumn


@dataclass
class Evidence:
    """What the date, amount and status columns of a file speak for, and what its further columns say something of.

    ``whole`` when every row was looked at.
    """

    dates: DateEvidence = field(default_factory=DateEvidence)
    amounts: AmountEvidence = field(default_factory=AmountEvidence)
    statuses: StatusEvidence = field(default_factory=StatusEvidence)
    further: list[FurtherColumn] = field(default_factory=list)
    whole: bool = True
