"""A history of eight orders whose worth is worked out by hand in ``docs/definitions.md``, section 9."""

from __future__ import annotations

import re
from pathlib import Path

PAGE = Path(__file__).parents[2] / "docs" / "definitions.md"
_SECTION = re.compile(r"\*\*By hand\*\*.*?(?=\n## )", re.DOTALL)
AS_OF = "2024-04-30"
SPEND = (("2024-01", "post", "60"), ("2024-02", "post", "40"), ("2024-04", "post", "200"))


def _rows(columns: int) -> list[list[str]]:
    """The rows of the section's table with so many columns, without its head."""
    found = _SECTION.search(PAGE.read_text(encoding="utf-8"))
    assert found is not None
    cells = [[cell.strip() for cell in line.strip("|").split("|")] for line in found[0].splitlines() if "|" in line]
    return [row for row in cells if len(row) == columns][2:]


def orders() -> list[tuple[str, str, str, str]]:
    """Order number, customer, date and amount."""
    return [(number, customer, date, amount) for number, customer, date, amount in _rows(4)]


def by_hand() -> dict[str, float]:
    """Every figure that is worked out by hand."""
    return {name: float(value) for name, _, value in _rows(3)}
