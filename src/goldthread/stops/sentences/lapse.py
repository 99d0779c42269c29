"""After how long without an order a customer is called lapsed: as a rule, and in words."""

from __future__ import annotations

import re

from goldthread.core.choices import LapseBy
from goldthread.core.history.lapse import LapseRule
from goldthread.errors import InvalidInput
from goldthread.stops.sentences.reading_line import LAPSE_WORDS, ReadingLine

_LAPSE = re.compile(r"([0-9]{1,4})([dm])|([0-9]{1,3}(?:\.[0-9]{1,2})?)x")


def lapse_rule(line: ReadingLine) -> LapseRule:
    """The lapse rule of a line. Raises `InvalidInput`."""
    found = _LAPSE.fullmatch(line.lapse)
    if found is None or float(found[1] or found[3]) == 0:
        raise InvalidInput(
            f"{line.lapse[:40] or 'Nothing'} is not a span after which a customer is lapsed.",
            remedy="Give days, calendar months or usual gaps, such as 90d, 6m or 2x.",
            field="lapse",
        )
    by_activity = line.lapse_by is LapseBy.ACTIVITY
    if found[3]:
        return LapseRule(usual_gaps=float(found[3]), by_activity=by_activity)
    if found[2] == "d":
        return LapseRule(days=int(found[1]), by_activity=by_activity)
    return LapseRule(months=int(found[1]), by_activity=by_activity)


def lapse_words(lapse: str) -> str:
    """A lapse rule as people say it: 90 days, 6 calendar months, 1.5 usual gaps."""
    units = {"d": "day", "m": "calendar month", "x": "usual gap"}
    return LAPSE_WORDS.get(lapse) or f"{lapse[:-1]} {units[lapse[-1]]}{'' if lapse[:-1] == '1' else 's'}"
