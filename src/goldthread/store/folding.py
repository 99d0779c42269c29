"""Texts folded for searching: without case, accents and apostrophes; the same for what is kept and what is typed."""

from __future__ import annotations

import pyarrow as pa
import pyarrow.compute as pc

_MARKS = r"\p{Mn}|['\x60´’‘ʼ]"
_LETTERS = {"ß": "ss", "ø": "o", "ł": "l", "đ": "d", "æ": "ae", "œ": "oe", "ı": "i", "þ": "th"}


def fold(texts: pa.Array | pa.ChunkedArray) -> pa.Array | pa.ChunkedArray:
    """A column of texts, folded."""
    plain = pc.utf8_lower(pc.utf8_normalize(texts, form="NFKD"))
    plain = pc.replace_substring_regex(plain, pattern=_MARKS, replacement="")
    for letter, written in _LETTERS.items():
        plain = pc.replace_substring(plain, pattern=letter, replacement=written)
    return pc.utf8_trim_whitespace(pc.replace_substring_regex(plain, pattern=r"\s+", replacement=" "))


def fold_text(text: str) -> str:
    """One text, folded."""
    folded: str = fold(pa.array([text]))[0].as_py()
    return folded
