"""Many readers of one book at once, under one process and under two, and what these hold together.

The readers are threads of this process on the same machine, so ratios count: all stand beside one reader who asks what
was asked before. A reader asks again at once, or after a second; one question in five may be new, as of another day.
"""

from __future__ import annotations

import http.client
import random
import secrets
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from urllib.parse import urlsplit

import numpy as np
import psutil
import requests
from numpy.typing import NDArray
from tests.support.large import MIB, filed
from tests.support.running import Place, server

from bench.timing import Row, timed
from goldthread.actions import people

ASKED = ("cohorts", "cohorts?period=week", "newness", "customers", "pairs", "counts", "gaps", "follow-up")
_LIMIT_SECONDS = 120
_REPEATED = 400


@dataclass(frozen=True)
class _Load:
    """So many readers, the share of their questions that is new, and how long each thinks before the next."""

    readers: int
    new: float = 0.0
    thinks_seconds: float = 0.0

    def __str__(self) -> str:
        new = ", one in five new" if self.new else ""
        return f"{self.readers} readers{new}{', think 1 s' if self.thinks_seconds else ''}"


LOADS = (_Load(50), _Load(10, 0.2), _Load(50, 0.2), _Load(50, 0.2, 1.0))


def reader_times(orders: int, seconds: float) -> list[Row]:
    """How long readers of a book of so many orders wait, 19 of 20 times at most, and how much is answered, by loads of
    so many seconds each, in which every reader asks once at least."""
    place = Place()
    try:
        workspace = place.workspace()
        book_id = filed(workspace, orders)
        workspace.record.engine.dispose()
        rows, held = [], []
        for processes in (1, 2):
            with _serving(place, processes) as address:
                _waits(address, book_id, _Load(1), seconds / 2)
                alone = float(np.median(_waits(address, book_id, _Load(1), seconds / 2)))
                for load in LOADS:
                    waits = _waits(address, book_id, load, seconds)
                    name = f"{processes} process{'es' if processes > 1 else ''}, {load}"
                    rows.append(Row(f"{name}, p95", float(np.quantile(waits, 0.95)), alone, "one reader, repeated"))
                    rows.append(Row(f"{name}, answered", waits.size / seconds, 1 / alone, "one reader", "a second"))
                held.append(_held())
                if processes > 1:
                    rows.append(_signed_in(place, address, book_id))
        rows.append(Row("memory of two processes (PSS)", held[1] / MIB, held[0] / MIB, "of one", "MiB"))
        return rows
    finally:
        place.close()


def _signed_in(place: Place, address: str, book_id: int) -> Row:
    """What a repeated question takes whoever has signed in, beside what it takes where nobody has an account."""
    one, path = requests.Session(), f"http://{address}/api/books/{book_id}/ask/cohorts"
    nobody = timed(lambda: one.get(path, timeout=_LIMIT_SECONDS), _REPEATED)
    workspace = place.workspace()
    password = secrets.token_urlsafe(16)
    people.add_user(workspace, "reader", is_admin=True, password=password)
    workspace.record.engine.dispose()
    csrf = one.get(f"http://{address}/api/session", timeout=_LIMIT_SECONDS).json()["csrf_token"]
    body, headers = {"name": "reader", "password": password}, {"X-CSRFToken": csrf}
    one.post(f"http://{address}/api/sign-in", json=body, headers=headers, timeout=_LIMIT_SECONDS).raise_for_status()
    one.get(path, timeout=_LIMIT_SECONDS).raise_for_status()
    signed_in = timed(lambda: one.get(path, timeout=_LIMIT_SECONDS), _REPEATED)
    return Row("one reader, repeated, signed in", signed_in, nobody, "without accounts")


@contextmanager
def _serving(place: Place, processes: int) -> Iterator[str]:
    with server(place, {"GOLDTHREAD_PROCESSES": str(processes)}) as address:
        yield urlsplit(address).netloc


def _waits(address: str, book_id: int, load: _Load, seconds: float) -> NDArray[np.float64]:
    """What each question of a load took, in seconds. Raises `RuntimeError` where one is not answered."""
    waits, failed = list[float](), list[str]()
    until = time.monotonic() + seconds

    def read(reader: int) -> None:
        draw = random.Random(reader + load.readers)
        connection = http.client.HTTPConnection(address, timeout=_LIMIT_SECONDS)
        threading.Event().wait(draw.random() * load.thinks_seconds)
        while not failed:
            question = draw.choice(ASKED)
            if draw.random() < load.new:
                day = f"20{draw.randrange(21, 25)}-{draw.randrange(1, 13):02}-{draw.randrange(1, 29):02}"
                question += f"{'&' if '?' in question else '?'}as_of={day}"
            began = time.monotonic()
            connection.request("GET", f"/api/books/{book_id}/ask/{question}", headers={"Accept-Encoding": "gzip"})
            reply = connection.getresponse()
            content = reply.read()
            waits.append(time.monotonic() - began)
            if reply.status != http.HTTPStatus.OK:
                failed.append(f"{question}: {reply.status} {content[:200]!r}")
            threading.Event().wait(load.thinks_seconds)
            if time.monotonic() >= until:
                break
        connection.close()

    readers = [threading.Thread(target=read, args=(number,)) for number in range(load.readers)]
    for each in readers:
        each.start()
    for each in readers:
        each.join()
    if failed:
        raise RuntimeError(failed[0])
    return np.array(waits)


def _held() -> int:
    """What the processes of the server hold together, each its share of what several hold; bytes."""
    own = [each for each in psutil.Process().children(recursive=True) if "serve" in each.cmdline()]
    return sum(int(each.memory_full_info().pss) for each in own)
