"""A list as a sheet to print: one row per customer with room for notes, in one HTML file that needs nothing else."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from jinja2 import Environment
from numpy.typing import NDArray

from goldthread.core.book.days import to_day
from goldthread.core.calendar_words import date_words
from goldthread.core.history.fields import Field
from goldthread.core.limits import CARDS_MOST
from goldthread.errors import TooLarge
from goldthread.stops.followup.list_shape import rows_of
from goldthread.stops.reading import Read

SHEET_TYPE = "text/html; charset=utf-8"
_PAGE = Environment(autoescape=True, trim_blocks=True, lstrip_blocks=True).from_string(
    """<!DOCTYPE html>
<html lang="en">
<head>
<meta charset="utf-8">
<title>{{ title }}</title>
<style>
  @page { size: A4; margin: 14mm 12mm; }
  body { font: 10pt/1.35 Georgia, serif; color: #1b2138; margin: 1.5rem; }
  h1 { font-size: 15pt; margin: 0; }
  p { margin: 0.2rem 0 0.8rem; color: #4d5262; }
  table { width: 100%; border-collapse: collapse; }
  thead { display: table-header-group; }
  tr { break-inside: avoid; }
  th { text-align: left; font-size: 8.5pt; color: #4d5262; border-bottom: 1.5px solid #1b2138; padding: 3px 8px 3px 0; }
  td { vertical-align: top; border-bottom: 1px solid #d8d2c6; padding: 5px 8px 5px 0; height: 15mm; }
  td.done { width: 6mm; }
  td.done span { display: block; width: 4mm; height: 4mm; border: 1px solid #1b2138; }
  td.figure { white-space: nowrap; }
  td.note { width: 34%; }
  strong { font-weight: 600; }
  @media print { body { margin: 0; } }
</style>
</head>
<body>
<h1>{{ title }}</h1>
{% for sentence in sentences %}<p>{{ sentence }}</p>{% endfor %}
<table>
<thead><tr><th></th><th>Customer</th><th>Contact</th><th>Latest order</th><th>Silent for</th><th>Note</th></tr></thead>
<tbody>
{% for row in rows %}
<tr>
<td class="done"><span></span></td>
<td><strong>{{ row.name }}</strong><br>{{ row.key }}</td>
<td>{% for each in row.contact %}{{ each }}<br>{% endfor %}</td>
<td class="figure">{{ row.latest }}</td>
<td class="figure">{{ row.silent }}</td>
<td class="note">{{ row.note }}</td>
</tr>
{% endfor %}
</tbody>
</table>
</body>
</html>
"""
)


def phone_sheet(
    read: Read, by: Field, customers: NDArray[np.int64], title: str, said: Sequence[str], notes: Sequence[str]
) -> bytes:
    """Some customers as a sheet, with the sentences that say who they are. Raises `TooLarge`.

    ``notes``: one each, or none at all.
    """
    if customers.size > CARDS_MOST:
        raise TooLarge(
            f"A sheet of {customers.size} rows is too long to print; {CARDS_MOST} are the most.",
            remedy="Narrow the customers by a filter, or download them as a table.",
            field="who",
        )
    rows = [
        {
            "name": row.thread.name,
            "key": row.thread.key,
            "contact": [each for each in (row.contact.phone, row.contact.email, row.contact.town) if each],
            "latest": "never ordered" if row.latest_date is None else date_words(to_day(row.latest_date)),
            "silent": "" if row.days_since is None else f"{row.days_since} days{_late(row.times_late)}",
            "note": notes[place] if notes else "",
        }
        for place, row in enumerate(rows_of(read, by, customers))
    ]
    return _PAGE.render(title=title, sentences=said, rows=rows).encode()


def _late(times: float | None) -> str:
    return "" if times is None else f", overdue, {times:.1f} × usual gap"
