"""What can come next in a condition text: fields, comparisons, values."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from lark.exceptions import UnexpectedInput

from goldthread.core.choices import Kind
from goldthread.core.history.fields import Field, written_name
from goldthread.cql2.reading import LONGEST, grammar

MOST = 12
_UNFINISHED = re.compile(r"""(?:[^\W\d][\w.:]*|[<>=]+|[+-]?[\d.]+)$""")
_QUOTED = re.compile(r"""'(?:[^']|'')*(?:'(?!')|$)|"(?:[^"]|"")*(?:"(?!")|$)""")
_WORDS = {
    "_AND": "AND",
    "_OR": "OR",
    "_NOT": "NOT",
    "_IN": "IN (",
    "_LIKE": "LIKE",
    "_BETWEEN": "BETWEEN",
    "_IS": "IS",
    "NOT": "NOT",
    "_NULL": "NULL",
    "RPAR": ")",
}
_COMPARISONS = ("=", "<>", "<", ">", "<=", ">=")


@dataclass(frozen=True)
class Completion:
    """What may stand from ``start`` on in place of what was typed there; ``title`` says what it is."""

    start: int
    text: str
    title: str


def complete(
    text: str, at: int, fields: Mapping[str, Field], values_of: Callable[[Field], Sequence[str]]
) -> list[Completion]:
    """What can stand at a place of a text, narrowed by what is typed there already."""
    head = text[: min(at, LONGEST)]
    start = _unfinished_from(head)
    accepted, field = _accepted(head[:start], fields)
    typed = head[start:]
    found: list[tuple[str, str]] = []
    if "NAME" in accepted:
        found += [(written_name(name), each.title) for name, each in fields.items()]
    if "COMPARE" in accepted:
        found += [(sign, "") for sign in _signs(field)]
    if "STRING" in accepted and field is not None:
        found += [(_literal(field, value), value) for value in values_of(field)]
    found += [(word, "") for token, word in _WORDS.items() if token in accepted and not _idle(word, field)]
    wanted = typed.strip("'\"").casefold()
    fitting = [(word, title) for word, title in dict.fromkeys(found) if wanted in f"{word} {title}".casefold()]
    fitting.sort(key=lambda each: not each[0].strip("'\"").casefold().startswith(wanted))
    return [Completion(start, word, title) for word, title in fitting[:MOST] if word != typed]


def _unfinished_from(head: str) -> int:
    """Where the word that is being typed begins: an open quote, or letters up to the end."""
    quoted = list(_QUOTED.finditer(head))
    if quoted and quoted[-1].end() == len(head) and not _closed(quoted[-1].group()):
        return quoted[-1].start()
    found = _UNFINISHED.search(head, quoted[-1].end() if quoted else 0)
    return found.start() if found is not None else len(head)


def _closed(quoted: str) -> bool:
    """Whether a quoted text has come to its closing quote; doubled quotes inside are letters."""
    return len(quoted) > 1 and quoted[1:].replace(quoted[0] * 2, "").endswith(quoted[0])


def _accepted(head: str, fields: Mapping[str, Field]) -> tuple[set[str], Field | None]:
    """The tokens that may follow a text, and the field that was named last."""
    parser = grammar().parse_interactive(head)
    field = None
    try:
        for token in parser.iter_parse():
            if token.type in ("NAME", "QUOTED"):
                field = fields.get(str(token).strip('"').replace('""', '"'))
        accepted: set[str] = parser.accepts()  # type: ignore[no-untyped-call]
        return accepted, field
    except UnexpectedInput:
        return set(), field


def _signs(field: Field | None) -> tuple[str, ...]:
    return _COMPARISONS[:2] if field is not None and field.kind is Kind.TEXT else _COMPARISONS


def _literal(field: Field, value: str) -> str:
    quoted = "'" + value.replace("'", "''") + "'"
    if field.kind in (Kind.TEXT, Kind.LABEL):
        return quoted
    return f"DATE({quoted})" if field.kind is Kind.DATE else value


def _idle(word: str, field: Field | None) -> bool:
    """Words that may come by the grammar and mean nothing for the field."""
    if field is None:
        return False
    if word == "LIKE":
        return field.kind not in (Kind.TEXT, Kind.LABEL)
    return word == "BETWEEN" and field.kind in (Kind.TEXT, Kind.LABEL)
