"""In what a text file is written, found by its bytes: UTF-8, UTF-16 with its mark or without, Windows-1252 or -1250."""

from __future__ import annotations

import codecs
import re
from pathlib import Path

from goldthread.errors import UnreadableFile

UTF_8, UTF_16, WINDOWS, CENTRAL = "utf-8-sig", "utf-16", "cp1252", "cp1250"
WORDS = {
    UTF_8: "UTF-8",
    UTF_16: "UTF-16",
    "utf-16-le": "UTF-16",
    "utf-16-be": "UTF-16",
    WINDOWS: "Windows-1252",
    CENTRAL: "Windows-1250",
}
_WIDE_MARKS = (codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)
_MOSTLY = 0.3
_CENTRAL_ONLY = re.compile(
    rb"[A-Za-z][\xa5\xaf\xa3\xaa\xb3\xb9\xba\xbc\xbe\xbf\x8c\x8d\x8f\x9c\x9d\x9f]"
    rb"|[\xa3\xaf\xbf\xb3\xb9\xbe\x8c\x8d\x8f\x9c\x9d\x9f][a-z]"
)
"""Letters of central Europe beside others, where Windows-1252 has signs of money, superscripts and fractions."""


def encoding_of(start: bytes, *, is_whole: bool) -> str | None:
    """What a file that begins so is written in; None where it is no text in any of these.

    Raises `UnicodeDecodeError` where characters of UTF-8 stand beside bytes that are none.
    """
    if start.startswith(_WIDE_MARKS):
        return UTF_16
    if b"\x00" in start:
        zeros = [start[side::2].count(0) * 2 / len(start) for side in (0, 1)]
        if max(zeros) < _MOSTLY or min(zeros) > _MOSTLY:
            return None
        return "utf-16-le" if zeros[1] > zeros[0] else "utf-16-be"
    try:
        codecs.getincrementaldecoder(UTF_8)().decode(start, is_whole)
    except UnicodeDecodeError as error:
        if not start[: error.start].removeprefix(codecs.BOM_UTF8).isascii():
            raise
        return eight_bits(start)
    return UTF_8


def eight_bits(content: bytes) -> str:
    """Windows-1250 where letters stand that only central Europe has, else Windows-1252."""
    return CENTRAL if _CENTRAL_ONLY.search(content) else WINDOWS


def encoding_of_all(path: Path) -> str:
    """What a file is written in whose beginning was UTF-8 and a later part is not: Windows, unless both stand in it.

    Raises `UnreadableFile`.
    """
    central = False
    with path.open("rb") as file:
        for line in file:
            if line.isascii():
                continue
            try:
                line.decode(UTF_8)
            except UnicodeDecodeError:
                central = central or eight_bits(line) == CENTRAL
            else:
                raise not_utf8(path)
    encoding = CENTRAL if central else WINDOWS
    try:
        with path.open(encoding=encoding, newline="") as text:
            while text.read(1 << 20):
                pass
    except UnicodeDecodeError:
        raise not_utf8(path) from None
    return encoding


def not_utf8(path: Path) -> UnreadableFile:
    """What is wrong with a file that is written in no encoding that is known, and where."""
    with path.open("rb") as file:
        for row, line in enumerate(file, 1):
            try:
                line.decode(UTF_8)
            except UnicodeDecodeError as error:
                bad = line[max(error.start - 12, 0) : error.end + 12].decode("utf-8", errors="replace").strip()
                return UnreadableFile(
                    f"Line {row} is not UTF-8 as the rest, nor is the file Windows-1252 (near “{bad}”).",
                    remedy="Save the file as UTF-8.",
                    row=row,
                )
    return UnreadableFile("The file is not written in UTF-8.", remedy="Save the file as UTF-8.")
