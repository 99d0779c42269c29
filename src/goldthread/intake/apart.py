"""Files are read in a process of their own: ``python -m goldthread.intake.apart``.

Looking at a file and checking its rows is work for the interpreter, which does one thing at a time; apart, it neither
holds up the answers of a server nor waits while the record takes the rows that were checked before. The process is
bounded (`goldthread.intake.bounds`), and ends with the one who started it. Pieces come back one by one, and the other
side is never more than a few ahead.
"""

from __future__ import annotations

import gc
import os
import pickle
import select
import struct
import subprocess
import sys
from collections.abc import Callable, Generator, Iterator, Mapping
from contextlib import closing, suppress
from pathlib import Path
from typing import IO, Any, cast
from zoneinfo import ZoneInfo

from goldthread.core.records import Piece, Progress
from goldthread.errors import GoldThreadError, UnreadableFile
from goldthread.intake.bounds import bound_this_process, turn
from goldthread.intake.delimited import DelimitedFile, line_estimate
from goldthread.intake.reading import Reading, read_pieces
from goldthread.intake.surveying import Surveyed, survey

APART_FROM_ROWS = 50_000
"""Rows from which reading apart is worth the start of a process."""
_LENGTH = struct.Struct("<Q")
_CHUNK = 1 << 20
_COLLECT_AFTER = 1_000_000
"""Objects after which the interpreter looks for circles."""
_LOOK_EVERY_SECONDS = 0.2
_PROGRESS, _ANSWER, _END = "progress", "answer", "end"


def read_pieces_apart(
    file: DelimitedFile, reading: Reading, currency: str, zone: ZoneInfo, advance: Callable[[int], None]
) -> Generator[Piece]:
    """As `read_pieces`, by another process. It ends with the iteration, however that ends."""
    with closing(_asked(advance, file.path, _read_pieces, file, reading, currency, zone.key)) as answers:
        yield from answers


def survey_apart(path: Path, typed: bool, progress: Progress) -> Surveyed:
    """As `survey`, by another process. Raises what ``progress`` raises, which is called now and then."""
    with turn(progress):
        with path.open("rb") as file:
            expected = line_estimate(file.read(_CHUNK), path.stat().st_size)
        return cast("Surveyed", _answer(_telling(progress, expected), path, _survey, path, typed))


def _telling(progress: Progress, expected: int) -> Callable[[int], None]:
    return lambda rows: progress("looking", rows, max(rows, expected))


def _answer(advance: Callable[[int], None], path: Path, task: Callable[..., Any], *arguments: Any) -> Any:
    with closing(_asked(advance, path, task, *arguments)) as answers:
        return next(answers)


def _asked(advance: Callable[[int], None], path: Path, task: Callable[..., Any], *arguments: Any) -> Generator[Any]:
    """What a task gives of a file, one by one; how large that is bounds the task. ``advance`` is called with the rows
    done, also while nothing comes."""
    with subprocess.Popen(
        [sys.executable, "-m", "goldthread.intake.apart"], stdin=subprocess.PIPE, stdout=subprocess.PIPE
    ) as reader:
        question, answers = cast("IO[bytes]", reader.stdin), cast("IO[bytes]", reader.stdout)
        behind = 0

        def wait() -> None:
            advance(behind)

        try:
            with question:
                pickle.dump((task.__name__, path.stat().st_size, arguments), question)
            for what, sent in _frames(answers.fileno(), wait):
                if what == _PROGRESS:
                    behind = sent
                    advance(behind)
                elif what == _END:
                    if sent is not None:
                        raise sent
                    return
                else:
                    yield sent
        finally:
            reader.kill()


def _frames(stream: int, wait: Callable[[], None]) -> Iterator[tuple[str, Any]]:
    """What is written into a pipe, frame by frame; ``wait`` is called now and then while nothing comes."""
    have = bytearray()
    while True:
        while len(have) < _LENGTH.size or len(have) < _LENGTH.size + _LENGTH.unpack_from(have)[0]:
            while not select.select([stream], [], [], _LOOK_EVERY_SECONDS)[0]:
                wait()
            piece = os.read(stream, _CHUNK)
            if not piece:
                raise UnreadableFile(
                    "The file cannot be read: it asks for more memory or time than any table of its size needs.",
                    remedy="Save the table as CSV (UTF-8), in parts.",
                )
            have += piece
        end = _LENGTH.size + _LENGTH.unpack_from(have)[0]
        yield pickle.loads(bytes(have[_LENGTH.size : end]))  # noqa: S301 - written by our own process
        del have[:end]


def main(question: IO[bytes], answers: IO[bytes]) -> None:
    """Do what is asked for, and give it piece by piece; then that it ended, and by what error."""
    name, content_bytes, arguments = pickle.load(question)  # noqa: S301 - written by our own process
    bound_this_process(content_bytes=content_bytes)
    # rows are lists by the ten thousand, none of them in a circle: looking through them all takes a fifth of the time
    gc.set_threshold(_COLLECT_AFTER)

    def send(what: str, sent: Any) -> None:
        frame = pickle.dumps((what, sent), pickle.HIGHEST_PROTOCOL)
        answers.write(_LENGTH.pack(len(frame)) + frame)
        answers.flush()

    ending: GoldThreadError | None = None
    try:
        for answer in _TASKS[name](lambda rows: send(_PROGRESS, rows), *arguments):
            send(_ANSWER, answer)
    except GoldThreadError as error:
        ending = error
    except MemoryError:
        ending = UnreadableFile(
            "The file asks for more memory than any table of its size needs.",
            remedy="Save it as CSV (UTF-8), in parts.",
        )
    send(_END, ending)


def _read_pieces(
    advance: Callable[[int], None], file: DelimitedFile, reading: Reading, currency: str, zone: str
) -> Iterator[Piece]:
    return read_pieces(file, reading, currency, ZoneInfo(zone), advance)


def _survey(advance: Callable[[int], None], path: Path, typed: bool) -> Iterator[Surveyed]:
    yield survey(path, typed, advance)


_TASKS: Mapping[str, Callable[..., Iterator[Any]]] = {task.__name__: task for task in (_read_pieces, _survey)}


if __name__ == "__main__":
    with suppress(BrokenPipeError):
        main(sys.stdin.buffer, sys.stdout.buffer)
