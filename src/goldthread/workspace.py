"""What every action needs: the settings, the record, and books kept in memory by revision."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, partial
from importlib import import_module
from importlib.util import find_spec
from threading import Event
from typing import TYPE_CHECKING, TypeVar
from weakref import ref

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from goldthread.actor import actor
from goldthread.background import Background
from goldthread.core.book.order_book import OrderBook
from goldthread.core.history.history import History, HistoryRule, counting, read_history
from goldthread.core.history.of_parts import HistoryOfParts
from goldthread.core.search import SearchIndex
from goldthread.errors import Outdated, Unavailable
from goldthread.installation import back_up_unasked, find_database
from goldthread.kept import Account, Shelf
from goldthread.settings import Settings
from goldthread.store.datasets import Refresh, files_of, find_dataset, refreshes
from goldthread.store.lists import find_list, list_key, members_mask
from goldthread.store.orders_in_files import OrdersInFiles, delivery_of
from goldthread.store.read.details import OrderDetail, order_details
from goldthread.store.read.lines_out import lines_on_record
from goldthread.store.read.numbered import numbered
from goldthread.store.read.orders_out import load_book, order_numbers
from goldthread.store.read.orders_since import book_since, is_worth_it
from goldthread.store.read.own_out import own_attributes
from goldthread.store.recount.in_files import reason_against
from goldthread.store.revisions import Stamped, present_revision, read_at, touched_since
from goldthread.store.server.address import Address
from goldthread.store.server.bulk import Record
from goldthread.store.server.engine import migrate, open_engine
from goldthread.store.server.suiting import must_be_own, must_suit
from goldthread.store.snapshot import (
    Whole,
    is_old,
    open_snapshot,
    reading_whole,
    revisions_on_disk,
    save_snapshot,
    snapshots_of,
    whole_of,
)

if TYPE_CHECKING:
    from goldthread.cluster.cluster import BookInParts, Cluster

T = TypeVar("T")
BOOKS_KEPT = 4
_READ_ANEW_MOST = 5


@dataclass(frozen=True, eq=False)
class Shelved:
    """A book as of one revision. ``since``: the last whole snapshot, where there is one. ``named``: the same with
    names, where this one is for whoever may not see who its customers are. ``in_files``: whether its orders stay in
    files, and are not on record; ``uncountable`` : why they cannot be counted again."""

    book_id: int
    at: Stamped
    orders: OrderBook
    since: Whole | None = None
    named: OrderBook | None = None
    in_files: bool = False
    uncountable: str = ""

    @property
    def numbers_only(self) -> bool:
        """Whether customers are numbers in it."""
        return self.named is not None

    @property
    def revision(self) -> int:
        return self.at.number

    @property
    def key(self) -> tuple[object, ...]:
        """What tells what is made of it from what is made of others."""
        return self.book_id, self.at, self.numbers_only


class Workspace:
    """One running Gold Thread. Safe to use from several threads."""

    def __init__(self, settings: Settings, record: Record) -> None:
        self.settings = settings
        self.record = record
        self._books: Shelf[Shelved] = Shelf(BOOKS_KEPT)
        self._in_files: dict[int, OrdersInFiles] = {}
        self._background = Background()
        self.ending = Event()
        """Set when the process is about to end: who only waits for what happens need not wait any more."""
        self.account = Account(settings.kept_memory_mib << 20, self._books_in_use)

    def orders(self, book_id: int) -> Shelved:
        """The book at its present revision: brought forward from the one in memory, else from its snapshot, from an
        earlier one that is brought forward, else from the record. Whoever may not see who the customers are has their
        numbers."""
        at = present_revision(self.record.engine, book_id)
        shelved = self._books.get((book_id, at), lambda: self._load(book_id, at))
        return shelved if actor().sees_people else self._numbered(shelved)

    def _numbered(self, shelved: Shelved) -> Shelved:
        key = (*shelved.key, "numbered")
        book: OrderBook = self.account.get(key, lambda: numbered(shelved.orders))
        return replace(shelved, orders=book, named=shelved.orders)

    def has_at_hand(self, book_id: int, at: Stamped) -> bool:
        """Whether a book is in memory at a revision, so that a question of it is answered at once."""
        return self._books.has((book_id, at))

    def bound(self, shelved: Shelved, read: Callable[[], T]) -> T:
        """What is read of the record for a book as of its revision. Raises `Outdated` when the book moved on
        meanwhile, so that what was read may be of a later one."""
        return read_at(self.record.engine, shelved.book_id, shelved.at, read)

    def history(
        self, shelved: Shelved, rule: HistoryRule, selection: Hashable = None, among: NDArray[np.bool_] | None = None
    ) -> History:
        """The book as a rule reads it, kept for the next question. ``selection`` names the customers of ``among``."""

        # what is kept must not hold what keeps it
        keeper = ref(self)

        def here() -> History:
            workspace = keeper()
            counted = None if workspace is None else workspace._counting(shelved, rule)
            return read_history(shelved.orders, rule, among, counted)

        def read() -> History:
            parts = self._parts_of(shelved)
            if parts is None or self.cluster is None:
                return here()
            elsewhere = self.cluster.asked(parts, rule, selection, among)
            return HistoryOfParts.read_by(rule, shelved.orders, elsewhere, here, among=among is not None)

        history: History = self.account.get((*shelved.key, rule, selection), read)
        return history

    @cached_property
    def cluster(self) -> Cluster | None:
        """The cluster that the settings name; None where books are worked out inline. Raises `Unavailable` where what
        it needs is not installed."""
        return open_cluster(self.settings)

    def trouble(self, book_id: int, *, looking: bool = False) -> str:
        """Why a book in memory that is in parts could not be asked where these are, in words; empty where it could.
        ``looking`` : see whether it can now, which may take a while."""
        if self.cluster is None:
            return ""
        known = self._books.newest(book_id)
        if known is None or not self.cluster.is_for(known.orders.order_count):
            return ""
        if looking:
            self.cluster.look()
        return self.cluster.trouble

    def _parts_of(self, shelved: Shelved) -> BookInParts | None:
        """A book in parts; None where it is small. While its parts are not written it is read here, and they are."""
        orders, cluster = shelved.orders, self.cluster
        if cluster is None or not cluster.is_for(orders.order_count):
            return None
        book_id, at, named = shelved.book_id, shelved.at, shelved.named or orders
        found = cluster.in_parts(book_id, at, named, orders if shelved.numbers_only else None)
        if found is None:

            def write() -> None:
                # who was erased meanwhile must not be written once more
                if present_revision(self.record.engine, book_id) == at:
                    cluster.write_parts(book_id, at, named)

            self._background.do(("parts", book_id), write)
        return found

    def _counting(self, shelved: Shelved, rule: HistoryRule) -> OrderBook:
        """The orders that count of whatever date, kept for rules of other as-of dates."""
        key = (*shelved.key, "counting", rule.statuses, rule.sources)
        book: OrderBook = self.account.get(key, lambda: counting(shelved.orders, rule))
        return book

    def search_index(self, shelved: Shelved) -> SearchIndex:
        """What customers are found by. A change that leaves that as it is leaves the index as it is."""
        lines = shelved.orders.customers.found_by
        key = ("search index", shelved.book_id, shelved.numbers_only)
        known: SearchIndex | None = self.account.known(key)
        if known is not None and known.lines is lines:
            return known
        self.account.let_go(known)
        blocks = known.blocks if known is not None and known.lines.same_as(lines) else None
        return self.account.get(key, lambda: SearchIndex.of(lines) if blocks is None else SearchIndex(lines, blocks))

    def answer(self, shelved: Shelved, question: Hashable, work: Callable[[], T]) -> T:
        """An answer, kept by revision and question."""
        answer: T = self.account.get((*shelved.key, question), work)
        self._background.begin()
        return answer

    def list_members(self, shelved: Shelved, list_id: int) -> NDArray[np.bool_]:
        """Which customers of a book are on a list, or on the part of it that whoever acts works; bool, shape
        (customers,). Raises `NotFound`."""
        engine, book = self.record.engine, shelved.book_id
        if not actor().sees_everything:
            find_list(engine, book, list_id)
        key = ("list", *list_key(engine, list_id))
        return self.answer(shelved, key, lambda: members_mask(engine, book, list_id, shelved.orders))

    def _load(self, book_id: int, at: Stamped) -> Shelved:
        known = self._books.newest(book_id)
        self._forget_other(book_id, at)
        if known is None or known.revision >= at.number:
            known = self._from_disk(book_id, at)
        if known is not None and known.at == at:
            return known
        if known is not None and not known.in_files:
            held = [known]
            del known
            brought = self._brought_forward(held, at)
            if brought is not None:
                return brought
        return self._read_whole(book_id, at)

    def _read_whole(self, book_id: int, at: Stamped) -> Shelved:
        """The book as it stands on record: one process reads it, and all have it mapped from its snapshot."""
        folder = self.settings.snapshots
        with reading_whole(folder, book_id):
            orders = open_snapshot(folder, book_id, at)
            if orders is None:
                older = snapshots_of(folder, book_id)
                at, orders = self._read_from_record(book_id)
                if save_snapshot(folder, book_id, at, orders, older):
                    orders = open_snapshot(folder, book_id, at) or orders
        return self._shelved(book_id, at, orders)

    def _read_from_record(self, book_id: int) -> tuple[Stamped, OrderBook]:
        dataset = find_dataset(self.record.engine, book_id)
        if dataset is None:
            return load_book(self.record, book_id)
        engine, folder = self.record.engine, self.settings.files_of(book_id)

        def in_files() -> OrdersInFiles:
            return OrdersInFiles((*refreshes(engine, book_id), Refresh(0, ()))[0], folder, dataset)

        return load_book(self.record, book_id, in_files)

    def order_details(self, book_id: int, ids: Sequence[int]) -> dict[int, OrderDetail]:
        """The details of some orders of a book by id. Raises `Outdated` when one is not there any more."""
        files = self._files(book_id, ids[0] if ids else 0)
        return order_details(self.record.engine, book_id, ids) if files is None else files.details(ids)

    def order_numbers(self, book_id: int, ids: NDArray[np.int64]) -> pa.Array:
        """The numbers of some orders of a book by id. Raises `Outdated` when one is not there any more."""
        files = self._files(book_id, int(ids[0]) if ids.size else 0)
        return order_numbers(self.record, book_id, ids) if files is None else files.numbers(ids)

    def _files(self, book_id: int, order_id: int) -> OrdersInFiles | None:
        """The files that an order is in, by its id; None where it is on record."""
        delivery = delivery_of(order_id)
        if not delivery:
            return None
        known = self._in_files.get(book_id)
        if known is None or known.refresh.delivery_id != delivery:
            dataset = find_dataset(self.record.engine, book_id)
            if dataset is None:
                return None
            with self.record.engine.connect() as connection:
                refresh = files_of(connection, delivery)
            known = self._in_files[book_id] = OrdersInFiles(refresh, self.settings.files_of(book_id), dataset)
        return known

    def _from_disk(self, book_id: int, at: Stamped) -> Shelved | None:
        """The book from its snapshot, else from the newest earlier one."""
        folder = self.settings.snapshots
        earlier = [each for each in revisions_on_disk(folder, book_id) if each.number < at.number]
        for each in [at, *earlier]:
            found = open_snapshot(folder, book_id, each)
            if found is not None:
                return self._shelved(book_id, each, found)
        return None

    def _brought_forward(self, held: list[Shelved], at: Stamped) -> Shelved | None:
        """An earlier book, taken out of ``held``, with what changed since; None when it must be read anew."""
        known = held.pop()
        book_id, was, since, orders = known.book_id, known.at, known.since, [known.orders]
        del known
        folder, customers = self.settings.snapshots, orders[0].customer_count
        for _ in range(_READ_ANEW_MOST):
            with self.record.engine.connect() as connection:
                touched = touched_since(connection, book_id, was, at)
            if touched is None or not is_worth_it(touched, customers):
                return None
            try:
                brought = book_since(self.record, book_id, orders, touched, at, folder)
            except Outdated:
                at = present_revision(self.record.engine, book_id)
                continue
            return None if brought is None else self._saved_later(book_id, at, brought, since, touched)
        return None

    def _saved_later(
        self, book_id: int, at: Stamped, orders: OrderBook, since: Whole | None, touched: NDArray[np.int64]
    ) -> Shelved:
        """A book that was brought forward, which goes to disk beside its first answers: what changed since a whole
        snapshot, or a whole one."""
        folder = self.settings.snapshots
        older = snapshots_of(folder, book_id)
        if since is not None:
            since = since.further(touched)
            is_near = is_worth_it(since.touched, orders.customer_count)
            is_there = not is_old(folder, book_id, since.at) and whole_of(folder, book_id, since.at) is not None
            since = since if is_near and is_there else None
        shelved = Shelved(book_id, at, orders, since or Whole.itself(at))

        def save() -> None:
            orders.complete()
            if save_snapshot(folder, book_id, at, orders, older, since) and since is None:
                self._map(shelved)

        self._background.do(("snapshot", book_id), save)
        return shelved

    def _map(self, shelved: Shelved) -> None:
        """Have a book mapped from its whole snapshot, like every other process, in place of in memory."""
        mapped = open_snapshot(self.settings.snapshots, shelved.book_id, shelved.at)
        if mapped is not None:
            orders = mapped.reading(shelved.orders.own, shelved.orders.on_record)
            if self._books.put_for((shelved.book_id, shelved.at), replace(shelved, orders=orders)):
                self.account.forget(shelved.book_id)

    def let_go(self) -> None:
        """Hold no book in memory, until one is asked again."""
        self._books.clear()
        self.account.clear()

    def finish(self) -> None:
        """Wait until everything that was made is on disk as well."""
        self._background.finish()

    def _shelved(self, book_id: int, at: Stamped, orders: OrderBook) -> Shelved:
        folder = self.settings.snapshots
        own = own_attributes(self.record, book_id, at, folder)
        lines = lines_on_record(self.record, book_id, at, folder)
        dataset, whole = find_dataset(self.record.engine, book_id), whole_of(folder, book_id, at)
        reason = "" if dataset is None else reason_against(dataset, orders.order_count)
        return Shelved(book_id, at, orders.reading(own, lines), whole, None, dataset is not None, reason)

    def _forget_other(self, book_id: int, at: Stamped) -> None:
        self._books.forget_other(book_id, at)
        self.account.forget_other(book_id, at)

    @property
    def books_in_memory(self) -> int:
        """How many books are open."""
        return len(self._books)

    def _books_in_use(self) -> list[OrderBook]:
        return [shelved.orders for shelved in self._books.newest_first()]


def open_cluster(settings: Settings) -> Cluster | None:
    """The cluster of some settings, loaded only where they name one. Raises `Unavailable` where it is not installed."""
    if settings.compute == "inline":
        return None
    if find_spec("distributed") is None:
        raise Unavailable(
            f"The setting compute is {settings.compute}, and what that needs is not installed.",
            remedy="Install goldthread[cluster], or set compute to inline.",
        )
    found: Cluster = import_module("goldthread.cluster.cluster").Cluster(settings)
    return found


def asked_anew(ask: Callable[[], T]) -> T:
    """An answer, asked for again on the book as it is by then when the book moved on meanwhile. Raises `Outdated`
    when it keeps moving."""
    for _ in range(_READ_ANEW_MOST - 1):
        try:
            return ask()
        except Outdated:
            continue
    return ask()


def detached_workspace(settings: Settings) -> Workspace:
    """A workspace without a database, enough to describe what an application accepts."""
    nowhere = Address("", "", "")
    return Workspace(settings, Record(open_engine(nowhere), nowhere))


def open_workspace(settings: Settings) -> Workspace:
    """A workspace on the record of some settings, brought up to date. Raises `Unavailable` where its database does not
    answer, does not suit, or is another installation's."""
    address = find_database(settings)
    record = Record(open_engine(address), address)
    if address.is_private:
        migrate(record.engine, before=partial(back_up_unasked, settings))
    else:
        must_suit(record.engine)
        migrate(record.engine)
        must_be_own(record.engine, settings.installation)
    return Workspace(settings, record)
