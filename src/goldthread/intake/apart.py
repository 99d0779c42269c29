"""A large file is read in a process of its own: ``python -m goldthread.intake.apart``.

Checking rows is work for the interpreter, which does one thing at a time; apart, it neither holds up the answers of a
server nor waits while the record takes the rows that were checked before. Pieces come back one by one, and the other
side is never more than one ahead.
"""

from __future__ import annotations

import pickle
import subprocess
import sys
from collections.abc import Callable, Generator, Iterator
from contextlib import suppress
from typing import IO, cast
from zoneinfo import ZoneInfo

from goldthread.core.records import Piece
from goldthread.errors import GoldThreadError, UnreadableFile
from goldthread.intake.delimited import DelimitedFile
from goldthread.intake.reading import Reading, read_pieces

APART_FROM_ROWS = 50_000
"""Rows from which reading apart is worth the start of a process."""


def read_pieces_apart(
    file: DelimitedFile, reading: Reading, currency: str, zone: ZoneInfo, advance: Callable[[int], None]
) -> Generator[Piece]:
    """As `read_pieces`, by another process. It ends with the iteration, however that ends."""
    with subprocess.Popen(
        [sys.executable, "-m", "goldthread.intake.apart"], stdin=subprocess.PIPE, stdout=subprocess.PIPE
    ) as reader:
        question, answers = cast("IO[bytes]", reader.stdin), cast("IO[bytes]", reader.stdout)
        try:
            with question:
                pickle.dump((file, reading, currency, zone.key), question)
            yield from _answers(answers, advance)
        finally:
            reader.kill()


def _answers(stream: IO[bytes], advance: Callable[[int], None]) -> Iterator[Piece]:
    while True:
        try:
            told = pickle.load(stream)  # noqa: S301 - written by our own process
        except EOFError:
            raise UnreadableFile("The reading of the file broke off.", remedy="Try it again.") from None
        rows, answer = told
        advance(rows)
        if isinstance(answer, GoldThreadError):
            raise answer
        if answer is None:
            return
        yield answer


def main(question: IO[bytes], answers: IO[bytes]) -> None:
    """Read what is asked for, and tell it piece by piece; then nothing, or the error that ended it."""
    file, reading, currency, zone = pickle.load(question)  # noqa: S301 - written by our own process
    behind = 0

    def advance(rows: int) -> None:
        nonlocal behind
        behind = rows

    ending: GoldThreadError | None = None
    try:
        for piece in read_pieces(file, reading, currency, ZoneInfo(zone), advance):
            pickle.dump((behind, piece), answers, pickle.HIGHEST_PROTOCOL)
    except GoldThreadError as error:
        ending = error
    pickle.dump((behind, ending), answers)
    answers.flush()


if __name__ == "__main__":
    with suppress(BrokenPipeError):
        main(sys.stdin.buffer, sys.stdout.buffer)
