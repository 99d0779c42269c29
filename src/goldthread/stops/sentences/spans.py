"""Numbers of days as questions give them: 30d."""

from __future__ import annotations

import re

from goldthread.errors import InvalidInput

_DAYS = re.compile(r"([0-9]+)d")


def days_given(text: str, field: str, least: int, most: int, remedy: str) -> int:
    """The days that a choice gives. Raises `InvalidInput` for anything else than ``least`` to ``most`` days, written
    with no more digits than the most of them has."""
    found = _DAYS.fullmatch(text) if len(text) <= len(f"{most}d") else None
    if found is None or not least <= int(found[1]) <= most:
        raise InvalidInput(f"{text[:40] or 'Nothing'} is not a number of days.", remedy=remedy, field=field)
    return int(found[1])
