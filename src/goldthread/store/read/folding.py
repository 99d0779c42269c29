"""Texts folded for searching: without case, accents and apostrophes; the same for what is kept and what is typed."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

_MARKS = r"\p{Mn}|['\x60´’‘ʼ]"
_LETTERS = {"ß": "ss", "ø": "o", "ł": "l", "đ": "d", "æ": "ae", "œ": "oe", "ı": "i", "þ": "th"}
_PLAIN_MARKS, _BLANKS = b"'`", b"\t\n\x0b\x0c\r\x1c\x1d\x1e\x1f "


def fold(texts: pa.Array | pa.ChunkedArray) -> pa.Array | pa.ChunkedArray:
    """A column of texts, folded. One whose letters are all ASCII, as most are, needs only what occurs in it."""
    letters = _letters_in(texts)
    if letters[128:].any():
        plain = pc.utf8_lower(pc.utf8_normalize(texts, form="NFKD"))
        plain = pc.replace_substring_regex(plain, pattern=_MARKS, replacement="")
        for letter, written in _LETTERS.items():
            plain = pc.replace_substring(plain, pattern=letter, replacement=written)
    else:
        plain = pc.ascii_lower(texts)
        for mark in _PLAIN_MARKS:
            if letters[mark]:
                plain = pc.replace_substring(plain, pattern=chr(mark), replacement="")
        if not letters[list(_BLANKS)].any():
            return plain
    return pc.utf8_trim_whitespace(pc.replace_substring_regex(plain, pattern=r"\s+", replacement=" "))


def fold_text(text: str) -> str:
    """One text, folded."""
    folded: str = fold(pa.array([text]))[0].as_py()
    return folded


def _letters_in(texts: pa.Array | pa.ChunkedArray) -> NDArray[np.bool_]:
    """Which bytes occur in a column of texts; bool, shape (256,)."""
    occurring = np.zeros(256, np.bool_)
    for chunk in texts.chunks if isinstance(texts, pa.ChunkedArray) else [texts]:
        data = chunk.buffers()[2]
        if data is not None:
            occurring |= np.bincount(np.frombuffer(data, np.uint8), minlength=256) > 0
    return occurring
