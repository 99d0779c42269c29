"""Questions of a book in parts, asked on a cluster: which parts, by which worker, and the sum of what they say.

Dask's scheduler decides when and where, moves what must be moved and begins again what was lost. What is ours is one
function for a part (`goldthread.cluster.worker.answer`), sums two by two on the workers, and words for what fails.
"""

from __future__ import annotations

import logging
import math
import threading
import time
from collections.abc import Callable, Hashable, Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from functools import partial
from itertools import pairwise
from queue import Empty, SimpleQueue
from typing import Any, TypeVar
from uuid import uuid4

import numpy as np
import psutil
from distributed import Client, Future
from distributed.client import FutureCancelledError
from distributed.comm.core import CommClosedError
from distributed.scheduler import KilledWorker
from numpy.typing import NDArray

from goldthread.askers import stop_when_gone
from goldthread.cluster.keys import security_of
from goldthread.cluster.worker import (
    Asked,
    OtherVersion,
    Refused,
    Selection,
    added,
    answer,
    end,
    forget,
    told,
    versions,
)
from goldthread.core.book.order_book import OrderBook
from goldthread.core.history.history import HistoryRule
from goldthread.core.history.of_parts import AskedOfParts, Reading
from goldthread.core.records import Progress
from goldthread.errors import Unavailable
from goldthread.processes import alone
from goldthread.settings import Settings, private_folder
from goldthread.store.parts import (
    NotBeside,
    Parted,
    PartUnreadable,
    parts_of_book,
    remove_parts,
    save_beside,
    save_parts,
    saved_parts,
)
from goldthread.store.revisions import Stamped

T = TypeVar("T")
R = TypeVar("R")
CONNECT_SECONDS, AGAIN_SECONDS = 10.0, 15.0
_LOOK_SECONDS = 0.2
_AGAIN_MOST = 80
"""How often a question is asked again: for each own attribute that was not beside the parts, and once for parts that
had to be written anew."""
_HOMES_MOST = 10_000
_WRITE_SECONDS = 600.0
_WORKERS_SECONDS, _BEGIN_SECONDS = 2.0, 60.0
"""How often is looked which workers there are, and how long for the first of those that are begun again."""
_LOST_MOST = 2
"""How often workers may end over a question before it is taken to be its fault."""
_HERE_BYTES_PER_ORDER = 64
_HERE_SHARE = 0.5
_log = logging.getLogger(__name__)
# what fails is told in words of ours, once
logging.getLogger("distributed.client").setLevel(logging.CRITICAL)
_LOST = (CommClosedError, FutureCancelledError)
ADDRESS = "address"
"""The file that says where the cluster of this machine is reached."""


@dataclass(frozen=True, eq=False)
class BookInParts:
    """A book and its parts. ``numbered`` : the book as it is shown to whoever may not see who its customers are; None
    for everybody else."""

    book_id: int
    at: Stamped
    orders: OrderBook
    parted: Parted
    numbered: OrderBook | None = None


class Cluster:
    """The cluster that the settings name. Safe to use from several threads; connected when first asked."""

    def __init__(self, settings: Settings) -> None:
        self._settings = settings
        self._client: Client | None = None
        self._lock = threading.Lock()
        self._not_before = 0.0
        self._why_gone = ""
        self._homes: dict[str, str] = {}
        self._parted: dict[int, Parted] = {}
        self._write_not_before = -math.inf
        self._workers: dict[str, int] = {}
        self._workers_seen = -math.inf

    @property
    def trouble(self) -> str:
        """Why the cluster could not be asked when somebody last looked, in words; empty where it could."""
        return self._why_gone

    def look(self) -> None:
        """Connect where that is due, unless somebody else is at it."""
        if self._lock.acquire(blocking=False):
            try:
                self._look()
            finally:
                self._lock.release()

    def is_for(self, orders: int) -> bool:
        """Whether a book of so many orders is kept in parts."""
        return orders > self._settings.part_orders

    def in_parts(
        self, book_id: int, at: Stamped, orders: OrderBook, numbered: OrderBook | None = None
    ) -> BookInParts | None:
        """A revision in parts, ``numbered`` as in `BookInParts`; None while they are not written."""
        parted = self._parted.get(book_id)
        if parted is None or parted.stamp != at.stamp:
            parted = saved_parts(self._settings.parts_folder, book_id, at)
            if parted is None:
                return None
            self._parted[book_id] = parted
        return BookInParts(book_id, at, orders, parted, numbered)

    def write_parts(self, book_id: int, at: Stamped, book: OrderBook) -> None:
        """Write the parts of a revision that are not there yet, one process at a time. Where that fails the log says
        so, and it is not tried again for a while."""
        if time.monotonic() < self._write_not_before:
            return
        folder, room = self._settings.parts_folder, private_folder(self._settings.scratch)
        try:
            with alone(self._settings.var / f"parts-{book_id}.lock", "writing parts of this book", _WRITE_SECONDS):
                save_parts(folder, room, book_id, at, book, self._part_orders)
        except (OSError, Unavailable) as error:
            self._write_not_before = time.monotonic() + _WRITE_SECONDS
            _log.warning("Parts of book %s could not be written: %s", book_id, error)

    def each(self, work: Callable[[T, Progress], R], given: Sequence[T], progress: Progress) -> Iterator[R]:
        """What a work makes of each of some things, as workers are done with them; it tells them how far it is, and is
        ended there when this ends. Raises what it raises, what ``progress`` raises, which is called meanwhile, and
        `Unavailable` where there is no cluster."""
        client = self._connected(None)
        if client is None:
            raise Unavailable("The cluster cannot be reached.", remedy="Start it, or try again.")
        done: SimpleQueue[Future] = SimpleQueue()
        name = f"goldthread-{uuid4()}"
        futures = client.map(partial(told, work, name), given, key=f"{name}-work", pure=False)
        try:
            for each in futures:
                each.add_done_callback(done.put)
            for place in range(len(futures)):
                found = self._next(done, place, len(futures), progress).result(timeout=CONNECT_SECONDS)
                if isinstance(found, Refused):
                    raise found.why
                yield found
        except KilledWorker:
            raise _killed() from None
        except _LOST as error:
            self._gone(f"the cluster was lost: {error}")
            raise Unavailable("The cluster was lost.", remedy="Nothing was changed. Try again.") from None
        finally:
            with suppress(*_LOST):
                client.cancel(futures, force=True)
                client.run(end, name, wait=False, on_error="ignore")

    def _next(self, done: SimpleQueue[Future], place: int, count: int, progress: Progress) -> Future:
        while True:
            with suppress(Empty):
                return done.get(timeout=_LOOK_SECONDS)
            progress("reading", place, count)
            if self._client is None or self._client.status != "running":
                raise CommClosedError("the scheduler has gone")

    def remove(self, book_id: int) -> None:
        """Remove the parts of a book, and what workers that can be reached hold of them."""
        self._parted.pop(book_id, None)
        remove_parts(self._settings.parts_folder, book_id)
        self.look()
        client = self._client
        if client is not None:
            with suppress(*_LOST):
                client.run(forget, parts_of_book(self._settings.parts_folder, book_id), on_error="ignore")

    @property
    def _part_orders(self) -> int:
        """Several parts to a worker, so that all end at about the same time."""
        return max(self._settings.part_orders // 4, 1)

    def asked(
        self, book: BookInParts, rule: HistoryRule, selection: Hashable, among: NDArray[np.bool_] | None
    ) -> AskedOfParts:
        """The parts of a book as a rule reads them; ``selection`` names the customers of ``among``."""
        edges = book.parted.edges
        chosen = tuple(
            None if among is None else Selection.of(selection, among[first:end]) for first, end in pairwise(edges)
        )
        shown, keeping = book.orders, None
        if book.numbered is not None:
            shown, keeping = book.numbered, tuple(book.numbered.customers.attributes)
        about = book.parted, shown.own.columns, keeping, versions()

        def ask(reading: Reading, work: Callable[..., Any], given: tuple[Any, ...], named: Mapping[str, Any]) -> Any:
            return self._total(book, Asked(*about, tuple(range(len(chosen))), chosen, reading, work, given, named))

        return AskedOfParts(Reading(rule), ask, among)

    def _total(self, book: BookInParts, asked: Asked) -> Any:
        lost = anew = 0
        for _ in range(_AGAIN_MOST):
            client = self._connected(book.orders)
            if client is None:
                return None
            try:
                return self._summed(client, asked)
            except NotBeside as wanted:
                save_beside(private_folder(self._settings.scratch), book.parted, book.orders, wanted.args[0])
            except PartUnreadable as broken:
                if anew:
                    break
                anew += 1
                self._write_anew(book, broken.args[0])
            except OtherVersion as told:
                raise _other_version(*told.args) from None
            except (KilledWorker, _WorkersLost) as killed:
                lost, self._workers_seen = lost + 1, -math.inf
                if lost > _LOST_MOST or isinstance(killed, KilledWorker):
                    raise _killed() from None
            except _LOST as error:
                self._gone(f"the cluster was lost: {error}")
        raise Unavailable(
            f"Workers cannot read the parts of this book in {book.parted.address}.",
            remedy="Look whether every worker reaches it under this name, and has the package that speaks it.",
        )

    def _summed(self, client: Client, asked: Asked) -> Any:
        """The sum of what the parts say, added up on the workers. Raises `Stopped`, `Unavailable` and what they do."""
        name = f"goldthread-{uuid4()}"
        asked = replace(asked, name=name)
        groups = self._by_home([each.name for each in asked.parted.parts], self._threads(client))
        futures = [
            client.submit(
                answer,
                asked.of(places),
                key=f"{name}-{number}",
                workers=[home],
                allow_other_workers=True,
            )
            for number, (home, places) in enumerate(groups)
        ]
        every = list(futures)
        while len(futures) > 1:
            pairs = zip(futures[::2], futures[1::2], strict=False)
            sums = [client.submit(added, one, other, key=f"{name}-{uuid4()}") for one, other in pairs]
            every += sums
            futures = [*sums, *futures[2 * len(sums) :]]
        try:
            found = self._waited(client, futures[0], every)
        except BaseException:
            with suppress(*_LOST):
                client.cancel(every, force=True)
                client.run(end, name, wait=False, on_error="ignore")
            raise
        if isinstance(found, Refused):
            raise found.why
        return found

    def _threads(self, client: Client) -> dict[str, int]:
        """How many questions each worker can work out at once; asked of the scheduler now and then. Raises
        `Unavailable` where there is no worker."""
        now = time.monotonic()
        if now - self._workers_seen > _WORKERS_SECONDS:
            found = _threads_of(client)
            begin_again = self._workers or self._settings.compute == "processes"
            # those that have ended are being begun again
            while not found and begin_again and time.monotonic() - now < _BEGIN_SECONDS:
                stop_when_gone()
                time.sleep(_LOOK_SECONDS)
                found = _threads_of(client)
            if not found:
                raise Unavailable("The cluster has no workers.", remedy="Start some: docs/running.md says how.")
            self._workers, self._workers_seen = found, time.monotonic()
        return self._workers

    def _by_home(self, names: list[str], threads: Mapping[str, int]) -> list[tuple[str, tuple[int, ...]]]:
        """The parts that are asked together, and the worker for them: the one that has been asked for each before, so
        that it is open there; a new part goes to whoever has the fewest."""
        with self._lock:
            if len(self._homes) > _HOMES_MOST:
                self._homes.clear()
            load = dict.fromkeys(threads, 0)
            for name in names:
                home = self._homes.get(name)
                if home in load:
                    load[home] += 1
            for name in names:
                if self._homes.get(name) not in load:
                    least = min(load, key=load.__getitem__)
                    self._homes[name] = least
                    load[least] += 1
            homes = [self._homes[name] for name in names]
        groups = []
        for worker, count in threads.items():
            places = [place for place, home in enumerate(homes) if home == worker]
            groups += [(worker, tuple(places[first::count])) for first in range(min(count, len(places)))]
        return groups

    def _waited(self, client: Client, last: Future, every: list[Future]) -> Any:
        now = time.monotonic()
        until, look_at = now + self._settings.cluster_seconds, now + _WORKERS_SECONDS
        done = threading.Event()
        last.add_done_callback(lambda _future: done.set())
        while not done.wait(_LOOK_SECONDS):
            stop_when_gone()
            if client.status != "running":
                raise CommClosedError("the scheduler has gone")
            now = time.monotonic()
            if now > until:
                raise _too_slow(_at_work(client, every), self._settings.cluster_seconds)
            if now > look_at:
                look_at = now + _WORKERS_SECONDS
                # what its own worker took with it, another one may never be given
                if not _at_work(client, every) and not last.done():
                    raise _WorkersLost
        return last.result(timeout=CONNECT_SECONDS)

    def _write_anew(self, book: BookInParts, name: str) -> None:
        """Put a part that cannot be read in place of itself: the whole book is here."""
        _log.warning("A part cannot be read and is written anew: %s", name)
        self.remove(book.book_id)
        self.write_parts(book.book_id, book.at, book.orders)

    def _connected(self, orders: OrderBook | None) -> Client | None:
        """The client; None where there is none now and the book is small enough to be read here. Raises `Unavailable`
        where it is not."""
        with self._lock:
            self._look()
            if self._client is not None:
                return self._client
            why = self._why_gone
        if (
            orders is None
            or orders.order_count * _HERE_BYTES_PER_ORDER <= _HERE_SHARE * psutil.virtual_memory().available
        ):
            return None
        raise Unavailable(
            f"The cluster cannot be reached ({why}), and this book is too large to be read by this server alone.",
            remedy="Start the scheduler again; goldthread cluster status says whether it answers.",
        )

    def _look(self) -> None:
        """Connect where that is due."""
        if self._client is not None and self._client.status != "running":
            self._let_go("the scheduler has gone")
        if self._client is None and time.monotonic() >= self._not_before:
            try:
                self._client, self._why_gone = self._connect(), ""
            except (OSError, TimeoutError) as error:
                self._let_go(str(error))

    def _connect(self) -> Client:
        address = cluster_address(self._settings)
        security = security_of(self._settings.cluster_keys) if address.startswith("tls:") else None
        client = Client(address, timeout=CONNECT_SECONDS, security=security, set_as_default=False, name="goldthread")
        mine = versions()
        for worker, theirs in client.run(versions).items():
            if theirs != mine:
                client.close(CONNECT_SECONDS)
                raise _other_version(mine, theirs, worker)
        return client

    def _gone(self, why: str) -> None:
        with self._lock:
            self._let_go(why)

    def _let_go(self, why: str) -> None:
        _log.warning("The cluster cannot be asked: %s", why)
        self._why_gone, self._not_before = why, time.monotonic() + AGAIN_SECONDS
        client, self._client, self._workers_seen = self._client, None, -math.inf
        if client is not None:
            with suppress(Exception):
                client.close(CONNECT_SECONDS)

    def status(self) -> list[str]:
        """How the cluster stands, in words. Raises `Unavailable` where it does not answer."""
        with self._lock:
            try:
                client = self._client = self._connect()
            except (OSError, TimeoutError) as error:
                raise Unavailable(
                    f"The cluster does not answer: {error}.", remedy="Look whether its scheduler runs."
                ) from None
        workers = client.scheduler_info(n_workers=-1)["workers"]
        told = [f"The scheduler at {client.scheduler.address} answers; {len(workers)} workers."]
        for address, about in sorted(workers.items()):
            used, limit = about["metrics"]["memory"] >> 20, about["memory_limit"] >> 20
            told.append(f"{address}: {used} of {limit} MiB, {about['nthreads']} threads")
        return told

    def close(self) -> None:
        """Leave the cluster."""
        with self._lock:
            client, self._client = self._client, None
        if client is not None:
            client.close(CONNECT_SECONDS)


def cluster_address(settings: Settings) -> str:
    """Where the cluster of the settings is reached. Raises `OSError` where that of this machine has not started."""
    if settings.compute != "processes":
        return settings.compute
    try:
        return (settings.cluster_keys / ADDRESS).read_text(encoding="ascii")
    except FileNotFoundError:
        raise OSError("the cluster of this machine has not started") from None


def _killed() -> Unavailable:
    return Unavailable(
        "Workers ended over this question.",
        remedy="Look whether they have enough memory; goldthread cluster status lists them.",
    )


def _other_version(mine: Mapping[str, str], theirs: Mapping[str, str], worker: str = "") -> Unavailable:
    apart = [name for name in mine if mine[name] != theirs.get(name)]
    said = ", ".join(f"{name} {theirs.get(name, 'not there')} in place of {mine[name]}" for name in apart)
    wanted = " ".join(f"{name}=={mine[name]}" for name in apart)
    where = f"The worker {worker}" if worker else "A worker"
    return Unavailable(f"{where} has {said}.", remedy=f"Install {wanted} there, and start it again.")


def _threads_of(client: Client) -> dict[str, int]:
    """The workers that there are, and how many threads each has."""
    told = client.scheduler_info(n_workers=-1)["workers"]
    return {address: about["nthreads"] for address, about in sorted(told.items())}


class _WorkersLost(Exception):
    """Nobody is at work on a question any more: those who were have ended."""


def _at_work(client: Client, every: list[Future]) -> list[str]:
    """The workers that are given something of a question."""
    mine = {future.key for future in every}
    return sorted(worker for worker, keys in client.processing().items() if mine & set(keys))


def _too_slow(slow: list[str], seconds: int) -> Unavailable:
    """Who has not answered in time."""
    who = f"Still at work: {', '.join(slow)}." if slow else "No worker took it up."
    return Unavailable(
        f"The cluster has not answered within {seconds} seconds. {who}",
        remedy="Ask again, give it more workers, or more time (cluster_seconds).",
    )
