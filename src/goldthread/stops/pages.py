"""The pages that leave as one file or as a mail: nothing from elsewhere, styles in place, everything escaped."""

from __future__ import annotations

from jinja2 import DictLoader, Environment

_PARTS = """
{% macro table(columns, rows) %}
<table style="border-collapse:collapse;font-size:14px;margin:16px 0 0">
<tr>
{% for column in columns %}
<th style="text-align:{{ column.side }};padding:4px 14px 4px 0;border-bottom:1px solid #1b2138">{{ column.name }}</th>
{% endfor %}
</tr>
{% for row in rows %}
<tr>
{% for cell in row %}
<td style="text-align:{{ columns[loop.index0].side }};padding:3px 14px 3px 0;white-space:nowrap">{{ cell }}</td>
{% endfor %}
</tr>
{% endfor %}
</table>
{% endmacro %}
"""
_LETTER = """{% import "parts" as parts with context %}
<!DOCTYPE html>
<html lang="en">
<head>
<meta charset="utf-8">
<title>{{ title }}</title>
</head>
<body style="margin:0;background:#f6f1e7;color:#1b2138;font:16px/1.5 Georgia,serif">
<div style="max-width:680px;margin:0 auto;padding:24px 20px">
<h1 style="font-size:22px;font-weight:600;margin:0 0 4px">{{ title }}</h1>
{% for sentence in over %}<p style="margin:0 0 4px;color:#4d5262;font-size:14px">{{ sentence }}</p>{% endfor %}
{% if picture %}
<p style="margin:16px 0 0">
<img src="{{ picture }}" alt="{{ title }}" width="640" style="max-width:100%;height:auto">
</p>
{% endif %}
{% for part in prose %}
{% if part.heading %}
<h2 style="font-size:18px;font-weight:600;margin:28px 0 4px">{{ part.heading }}</h2>
<ul style="margin:0;padding-left:20px">
{% for each in part.rows %}<li><strong>{{ each.said }}</strong>{% if each.note %}: {{ each.note }}{% endif %}</li>
{% endfor %}
</ul>
{% else %}
{% for each in part.rows %}
<p style="margin:18px 0 2px;font-size:18px;border-top:1px solid #ddd0b8;padding-top:14px">{{ each.said }}</p>
<p style="margin:0;color:#4d5262;font-size:14px">{{ each.note }}</p>
{% endfor %}
{% endif %}
{% endfor %}
{% if columns %}
{{ parts.table(columns, rows) }}
{% endif %}
{% for each in under %}<p style="margin:16px 0 0;color:#4d5262;font-size:14px">{{ each }}</p>{% endfor %}
</div>
</body>
</html>
"""
_BRIEF = """{% import "parts" as parts with context %}
<!DOCTYPE html>
<html lang="en">
<head>
<meta charset="utf-8">
<title>{{ title }}</title>
<style>
@media print {
  .finding { break-inside: avoid; break-after: page; border: 0 !important }
  .finding:last-of-type { break-after: auto }
}
</style>
</head>
<body style="margin:0;background:#f6f1e7;color:#1b2138;font:16px/1.5 Georgia,serif">
<div style="max-width:680px;margin:0 auto;padding:24px 20px">
<h1 style="font-size:26px;font-weight:600;margin:0 0 4px">{{ title }}</h1>
<p style="margin:0;color:#4d5262;font-size:14px">{{ under }}</p>
{% for each in findings %}
<div class="finding" style="margin:22px 0 0;padding:18px 0 0;border-top:1px solid #ddd0b8">
{% if each.heading %}<h2 style="font-size:20px;font-weight:600;margin:0 0 4px">{{ each.heading }}</h2>{% endif %}
{% if each.figure %}
<p style="margin:4px 0 0">
<strong style="font-size:30px;line-height:1.2">{{ each.figure }}</strong> {{ each.beside }}
</p>
{% endif %}
{% for note in each.notes %}<p style="margin:0 0 4px;color:#4d5262;font-size:14px">{{ note }}</p>{% endfor %}
{% for block in each.blocks %}
<p style="margin:6px 0 0{% if block.mark %};padding-left:22px;text-indent:-16px{% endif %}">
{%- if block.mark %}{{ block.mark }} {% endif %}
{%- for run in block.runs %}
{%- if run.text == "\n" %}<br>
{%- elif run.strong and run.emphasised %}<strong><em>{{ run.text }}</em></strong>
{%- elif run.strong %}<strong>{{ run.text }}</strong>
{%- elif run.emphasised %}<em>{{ run.text }}</em>
{%- else %}{{ run.text }}{% endif %}
{%- endfor %}</p>
{% endfor %}
{% if each.picture %}
<p style="margin:12px 0 0">
<img src="{{ each.picture }}" alt="{{ each.sentence }}" width="640" style="max-width:100%;height:auto">
</p>
{% elif each.columns %}
{{ parts.table(each.columns, each.rows) }}
{% endif %}
{% if each.sentence %}<p style="margin:8px 0 0;color:#4d5262;font-size:14px">{{ each.sentence }}</p>{% endif %}
</div>
{% endfor %}
</div>
</body>
</html>
"""
PAGES = Environment(
    loader=DictLoader({"parts": _PARTS, "letter": _LETTER, "brief": _BRIEF}),
    autoescape=True,
    trim_blocks=True,
    lstrip_blocks=True,
)
"""``letter``: one table with its sentences; ``brief``: findings, each with its words."""
