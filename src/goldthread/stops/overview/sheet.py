"""The letter as a table, as text and as one HTML file that can be mailed."""

from __future__ import annotations

import pyarrow as pa
from jinja2 import Environment

from goldthread.core.calendar_words import date_words
from goldthread.stops.overview.answer import SummaryAnswer
from goldthread.stops.overview.letter import identity_words, looks, paragraphs, plain
from goldthread.stops.sentences.sentence import count_words, sentences
from goldthread.stops.sheet import Sheet
from goldthread.workspace import Workspace

HTML_TYPE = "text/html; charset=utf-8"
_LETTER = Environment(autoescape=True, trim_blocks=True, lstrip_blocks=True).from_string(
    """<!DOCTYPE html>
<html lang="en">
<head>
<meta charset="utf-8">
<title>{{ title }}</title>
</head>
<body style="margin:0;background:#f6f1e7;color:#1b2138;font:16px/1.5 Georgia,serif">
<div style="max-width:640px;margin:0 auto;padding:24px 20px">
<h1 style="font-size:22px;font-weight:600;margin:0 0 4px">{{ title }}</h1>
{% for sentence in over %}<p style="margin:0 0 4px;color:#4d5262;font-size:14px">{{ sentence }}</p>{% endfor %}
{% for each in letter %}
<p style="margin:18px 0 2px;font-size:18px;border-top:1px solid #ddd0b8;padding-top:14px">{{ each.said }}</p>
<p style="margin:0;color:#4d5262;font-size:14px">{{ each.note }}</p>
{% endfor %}
{% if looks %}
<h2 style="font-size:18px;font-weight:600;margin:28px 0 4px">Check this</h2>
<ul style="margin:0;padding-left:20px">
{% for look in looks %}<li><strong>{{ look.what }}</strong>{% if look.why %}: {{ look.why }}{% endif %}</li>{% endfor %}
</ul>
{% endif %}
<h2 style="font-size:18px;font-weight:600;margin:28px 0 4px">Sources</h2>
<table style="border-collapse:collapse;font-size:14px">
{% for source in sources %}
<tr>
<td style="padding:2px 18px 2px 0">{{ source.name }}</td>
<td style="padding:2px 18px 2px 0;text-align:right">{{ source.orders }}</td>
<td>{{ source.latest }}</td>
</tr>
{% endfor %}
</table>
<p style="color:#4d5262;font-size:14px">{{ identities }}</p>
</div>
</body>
</html>
"""
)


def summary_text(answer: SummaryAnswer) -> str:
    """The letter for a terminal."""
    over = sentences(answer.read, answer.words)
    lines = [*over, ""]
    for paragraph in paragraphs(answer):
        lines += [plain(paragraph.said), f"  {plain(paragraph.note)}", ""]
    if not answer.orders:
        lines += ["No order counts yet: deliver a file, or let another status count.", ""]
    found = looks(answer)
    if found:
        lines += ["Check this:", *(f"  {look.what}: {look.why}" for look in found), ""]
    lines += [*(f"{name}: {orders}, {latest}" for name, orders, latest in _sources(answer)), "", identity_words(answer)]
    return "\n".join([*lines, ""])


def summary_html(_workspace: Workspace, answer: SummaryAnswer) -> bytes:
    """The letter as one HTML file without anything from elsewhere, for mail programs as they are."""
    title, *over = sentences(answer.read, answer.words)
    page = _LETTER.render(
        title=title,
        over=over,
        letter=[{"said": plain(each.said), "note": plain(each.note)} for each in paragraphs(answer)],
        looks=looks(answer),
        sources=[{"name": name, "orders": orders, "latest": latest} for name, orders, latest in _sources(answer)],
        identities=identity_words(answer),
    )
    return page.encode()


def _sources(answer: SummaryAnswer) -> list[tuple[str, str, str]]:
    return [
        (each.name, count_words(each.orders, "order"), f"latest on {date_words(each.latest_day)}")
        for each in answer.figures.sources
    ]


def summary_sheet(_workspace: Workspace, answer: SummaryAnswer) -> Sheet:
    """One row per thing that the letter says, with what it notes."""
    rows = [
        *((each.topic.value, plain(each.said), plain(each.note)) for each in paragraphs(answer)),
        *(("check this", look.what, look.why) for look in looks(answer)),
        *(("source", f"{name}: {orders}", latest) for name, orders, latest in _sources(answer)),
        ("identities", identity_words(answer), ""),
    ]
    table = pa.table(
        {
            name: pa.array([row[place] for row in rows], pa.large_string())
            for place, name in enumerate(("topic", "said", "note"))
        }
    )
    return Sheet(sentences(answer.read, answer.words), table)
