"""What a worker does: it keeps the parts that it has opened, and asks one of them what it is sent."""

from __future__ import annotations

import platform
import shutil
from collections import OrderedDict
from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass, replace
from functools import reduce
from pathlib import Path
from threading import Lock
from typing import Any, TypeVar

import numpy as np
import psutil
from distributed import Worker, get_worker
from numpy.typing import NDArray

from goldthread import __version__
from goldthread.core.book.order_book import OrderBook
from goldthread.core.book.own_attributes import OwnColumn
from goldthread.core.book.steps import StepsUnknown
from goldthread.core.history.history import counting
from goldthread.core.history.of_parts import Reading
from goldthread.core.parts import MadeLater
from goldthread.core.records import Progress
from goldthread.errors import GoldThreadError, Stopped, TooLarge
from goldthread.kept import Account
from goldthread.store.parts import NotBeside, Parted, PartUnreadable, copies_of, open_part, remove_old_copies
from goldthread.store.read.numbered import numbered

PARTS_KEPT = 64
_BYTES_PER_ORDER, _BYTES_PER_CUSTOMER = 48, 64
"""What reading a part takes beside its columns, and a question of it."""
_KEPT_SHARE = 3
_ENDED_KEPT = 1_000


@dataclass(frozen=True, eq=False)
class Refused:
    """What a part cannot say, in place of what it says: whoever asked is told why."""

    why: Exception


class OtherVersion(Exception):
    """A worker has another version of something than whoever asks: the versions of both are the arguments."""


def versions() -> dict[str, str]:
    """What must be the same wherever a question is worked out."""
    python = ".".join(platform.python_version_tuple()[:2])
    return {"goldthread": __version__, "numpy": np.__version__, "python": python}


@dataclass(frozen=True, eq=False)
class Selection:
    """Which customers of a part are looked at. ``name`` : what tells it from others; ``bits`` : one a customer, packed;
    ``count`` : how many customers there are."""

    name: Hashable
    bits: NDArray[np.uint8]
    count: int

    @classmethod
    def of(cls, name: Hashable, among: NDArray[np.bool_]) -> Selection:
        return cls(name, np.packbits(among), among.size)

    @property
    def among(self) -> NDArray[np.bool_]:
        return np.unpackbits(self.bits, count=self.count).view(np.bool_)


@dataclass(frozen=True, eq=False)
class Asked:
    """What parts are asked: of which revision; how they are read; the work and what goes with it.

    ``own`` : the own attributes that there are. ``numbered_keeping`` : the attributes of customers that stay, for
    whoever may not see who they are; None for everybody else. ``places`` : the parts that are asked, and ``chosen``
    who is looked at in each of them; None for everybody. ``name`` : of the question, by which it is ended.
    """

    parted: Parted
    own: Mapping[str, OwnColumn]
    numbered_keeping: tuple[str, ...] | None
    versions: Mapping[str, str]
    places: tuple[int, ...]
    chosen: tuple[Selection | None, ...]
    reading: Reading
    work: Callable[..., Any]
    given: tuple[Any, ...]
    named: Mapping[str, Any]
    name: str = ""

    def of(self, places: tuple[int, ...]) -> Asked:
        """The same of some of the parts."""
        return replace(self, places=places, chosen=tuple(self.chosen[place] for place in places))


class Opened:
    """The parts that this process has opened, those asked last, and what was made of them, within a bound of bytes."""

    def __init__(self) -> None:
        self._parts: OrderedDict[Hashable, OrderBook] = OrderedDict()
        self._lock = Lock()
        self.account = Account(_memory_limit() // _KEPT_SHARE, lambda: list(self._parts.values()))

    def part(self, asked: Asked, place: int) -> tuple[tuple[Hashable, ...], OrderBook]:
        """A part, and what tells it from others. Raises `TooLarge` where there is no memory for it."""
        part = asked.parted.parts[place]
        key = (part.name, asked.parted.labels, asked.parted.stamp, asked.numbered_keeping)
        with self._lock:
            if key in self._parts:
                self._parts.move_to_end(key)
                return key, self._parts[key]
            self._make_room(part.orders * _BYTES_PER_ORDER + part.customers * _BYTES_PER_CUSTOMER)
            copies = _copies(get_worker())
            remove_old_copies(copies, asked.parted)
            book = open_part(asked.parted, place, asked.own, copies)
            if asked.numbered_keeping is not None:
                book = numbered(book, asked.numbered_keeping)
            self._parts[key] = book
            while len(self._parts) > PARTS_KEPT:
                self._parts.popitem(last=False)
        return key, book

    def _make_room(self, needed_bytes: int) -> None:
        limit = _memory_limit()
        if _used_bytes() + needed_bytes > limit:
            self._parts.clear()
            self.account.clear()
        if _used_bytes() + needed_bytes > limit:
            raise TooLarge(
                f"A worker that may use {limit >> 20} MiB has no room for a part that takes {needed_bytes >> 20} MiB.",
                remedy="Give workers more memory (--memory-limit), or make parts smaller (part_orders).",
            )

    def clear(self) -> None:
        """Hold nothing more."""
        with self._lock:
            self._parts.clear()
            self.account.clear()


T = TypeVar("T")
R = TypeVar("R")
_ended: OrderedDict[str, None] = OrderedDict()
_opened: list[Opened] = []
_opening = Lock()


def opened() -> Opened:
    """The parts of this process."""
    with _opening:
        if not _opened:
            _opened.append(Opened())
        return _opened[0]


def answer(asked: Asked) -> Any:
    """What a work says of some parts, added up; `Refused` for what somebody is to be told of."""
    if asked.versions != versions():
        return Refused(OtherVersion(dict(asked.versions), versions()))
    try:
        return reduce(added, (_of_part(asked, *each) for each in zip(asked.places, asked.chosen, strict=True)))
    except (GoldThreadError, StepsUnknown, NotBeside, PartUnreadable) as error:
        return Refused(error)


def _of_part(asked: Asked, place: int, selection: Selection | None) -> Any:
    if asked.name in _ended:
        raise Stopped("Nobody waits for this answer any more.", remedy="Ask again.")
    here = opened()
    key, book = here.part(asked, place)
    rule, reading = asked.reading.rule, asked.reading
    counted: OrderBook = here.account.get((*key, "counting", rule.statuses, rule.sources), lambda: counting(book, rule))
    among = None if selection is None else selection.among
    # each round knows of the steps of one more
    told = rule, None if selection is None else selection.name, reading.made_into, len(reading.steps)
    history = here.account.get((*key, *told), lambda: reading.of(book, among, counted))
    found = asked.work(history, *asked.given, **asked.named)
    # what also knows its history would hold it until whoever asked is done
    return found.counts_alone if isinstance(found, MadeLater) else found


def forget(address: str, dask_worker: Worker) -> None:
    """Hold nothing more of a book that lies at an address. Done beside the work that is under way, where Dask says by
    this name which worker it is."""
    for each in _opened:
        each.clear()
    shutil.rmtree(copies_of(_copies(dask_worker), address), ignore_errors=True)


def told(work: Callable[[T, Progress], R], name: str, given: T) -> R | Refused:
    """What a work makes of something; `Refused` for what somebody is to be told of. It ends when nobody waits for the
    question of this name any more."""

    def advance(_phase: str, _done: int, _total: int) -> None:
        if name in _ended:
            raise Stopped("Nobody waits for this work any more.", remedy="Begin it again.")

    try:
        return work(given, advance)
    except GoldThreadError as error:
        return Refused(error)


async def end(name: str) -> None:
    """Look at no further part for a question. Done beside the work that is under way."""
    _ended[name] = None
    while len(_ended) > _ENDED_KEPT:
        _ended.popitem(last=False)


def added(one: Any, other: Any) -> Any:
    """The sum of what two parts say."""
    refused = next((each for each in (one, other) if isinstance(each, Refused)), None)
    return one + other if refused is None else refused


def _memory_limit() -> int:
    """What this process may use, in bytes."""
    return int(get_worker().memory_manager.memory_limit or psutil.virtual_memory().total)


def _used_bytes() -> int:
    """What this process has of its own: pages of mapped files can be let go at any time."""
    return int(psutil.Process().memory_full_info().uss)


def _copies(worker: Worker) -> Path:
    """Where a worker keeps copies of parts that lie at an address."""
    return Path(worker.local_directory) / "parts"
