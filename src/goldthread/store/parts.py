"""A book in parts on disk: ranges of its customers, each a folder of columns that is named by what it holds.

A part is written once and never changed, so a new revision writes only those that it touched. Its labels are its own;
whoever opens it is told those of the whole book, so that the parts of one revision speak of the same labels. Parts lie
in a folder, or at an address of fsspec; there they are copied once into a folder of whoever opens them.
"""

from __future__ import annotations

import hashlib
import json
import shutil
import tempfile
from collections.abc import Iterable, Mapping
from contextlib import suppress
from dataclasses import asdict, dataclass, replace
from itertools import pairwise
from pathlib import Path
from typing import Any

import fsspec
import numpy as np
from fsspec.implementations.local import LocalFileSystem
from numpy.typing import NDArray

from goldthread.core.book.columns import Attribute, CustomerColumns, without_unused
from goldthread.core.book.lines import LinesOnRecord, OrderLines
from goldthread.core.book.order_book import OrderBook
from goldthread.core.book.own_attributes import OwnAttributes, OwnColumn
from goldthread.core.book.part import BookPart, PartAlone
from goldthread.processes import mark
from goldthread.store.revisions import Stamped
from goldthread.store.snapshot import BOOK, columns_of, labels_of, read_book, write_book

Int64s = NDArray[np.int64]
LINES = "lines"
"""In place of the name of an own attribute: the order lines."""
REVISIONS_KEPT = 2
_UNBALANCED = 1.5
_PARTED, _LABELS = "parted.json", "labels.json"
_UNFINISHED = ".new"


class PartUnreadable(Exception):
    """A part cannot be read: missing, or not as it was written. Its name is the argument."""


class NotBeside(Exception):
    """An own attribute, or the lines, of a part were asked for, and nobody has put them beside it yet. Which one is the
    argument."""


@dataclass(frozen=True)
class Part:
    """One part. ``name`` : by what it holds. ``first_id`` : the record's id of its first customer."""

    name: str
    first_id: int
    customers: int
    orders: int
    size_bytes: int


@dataclass(frozen=True)
class Parted:
    """A book in parts as of a revision, by its number and stamp. ``address`` : of everything of the book. ``labels`` :
    names the labels of the whole."""

    address: str
    number: int
    stamp: str
    labels: str
    parts: tuple[Part, ...]

    @property
    def edges(self) -> list[int]:
        """The place of the first customer of each part in the whole, and how many customers there are."""
        return [0, *np.cumsum([each.customers for each in self.parts]).tolist()]


class PartFolder:
    """Where the parts of books lie: a folder, or an address of fsspec. Raises `OSError` where it cannot be reached."""

    def __init__(self, address: str) -> None:
        self.address = address
        self._files, self._root = fsspec.url_to_fs(address)

    @property
    def is_local(self) -> bool:
        """Whether what lies here can be mapped as it lies."""
        return type(self._files) is LocalFileSystem

    def has(self, name: str) -> bool:
        return bool(self._files.exists(f"{self._root}/{name}"))

    def read(self, name: str) -> str:
        with self._files.open(f"{self._root}/{name}", "r", encoding="utf-8") as file:
            return str(file.read())

    def put(self, made: Path, name: str) -> None:
        """Move a folder that was made on this machine to its name, where nobody has yet."""
        target = f"{self._root}/{name}"
        if self.is_local:
            Path(target).parent.mkdir(parents=True, exist_ok=True)
            # a name is never seen half written
            unfinished = Path(f"{target}{mark()}{_UNFINISHED}")
            shutil.move(made, unfinished)
            with suppress(OSError):
                unfinished.rename(target)
                return
            shutil.rmtree(unfinished, ignore_errors=True)
            return
        self._files.makedirs(target, exist_ok=True)
        # what says that a folder is whole comes last
        for each in sorted(made.iterdir(), key=lambda file: file.suffix == ".json"):
            self._files.put_file(str(each), f"{target}/{each.name}")

    def names(self) -> list[str]:
        """What lies here."""
        with suppress(FileNotFoundError):
            return sorted(Path(each).name for each in self._files.ls(self._root, detail=False))
        return []

    def remove(self, name: str) -> None:
        with suppress(OSError):
            self._files.rm(f"{self._root}/{name}", recursive=True)

    def fetched(self, name: str, copies: Path) -> Path:
        """A folder of this machine that holds what lies here under a name: itself, or a copy among ``copies``."""
        if self.is_local:
            return Path(self._root) / name
        copy = copies_of(copies, self.address) / _copy_name(name)
        if not copy.exists():
            copy.parent.mkdir(parents=True, exist_ok=True)
            unfinished = Path(tempfile.mkdtemp(dir=copy.parent, suffix=_UNFINISHED))
            self._files.get(f"{self._root}/{name}/", f"{unfinished}/", recursive=True)
            with suppress(OSError):
                unfinished.rename(copy)
        return copy


def _copy_name(name: str) -> str:
    return name.replace("/", "-")


def remove_old_copies(copies: Path, parted: Parted) -> None:
    """Remove what was copied of other revisions of a book, and is not of this one too."""
    mine = copies_of(copies, parted.address)
    wanted = {each.name for each in parted.parts}
    for each in mine.iterdir() if mine.exists() else ():
        of_this = each.name in wanted or each.name.startswith(_copy_name(f"revision-{parted.stamp}/"))
        if not of_this and not each.name.endswith(_UNFINISHED):
            shutil.rmtree(each, ignore_errors=True)


def copies_of(copies: Path, address: str) -> Path:
    """Where, among ``copies``, those of what lies at an address are."""
    return copies / _digest(address)


def _digest(text: str) -> str:
    return hashlib.blake2b(text.encode(), digest_size=16).hexdigest()


def parts_of_book(address: str, book_id: int) -> str:
    """Where everything of a book lies."""
    return f"{address.rstrip('/')}/{book_id}"


def saved_parts(address: str, book_id: int, at: Stamped) -> Parted | None:
    """The parts of a revision; None where it is not in parts."""
    place = parts_of_book(address, book_id)
    return _parted(PartFolder(place), place, at.stamp)


def _parted(folder: PartFolder, place: str, stamp: str) -> Parted | None:
    try:
        told = json.loads(folder.read(f"revision-{stamp}/{_PARTED}"))
        parts = tuple(Part(**each) for each in told["parts"])
        return Parted(place, int(told["number"]), stamp, told["labels"], parts)
    except (OSError, ValueError, KeyError, TypeError):
        return None


def save_parts(address: str, scratch: Path, book_id: int, at: Stamped, book: OrderBook, orders_most: int) -> Parted:
    """Write the parts of a revision that are not there yet, of so many orders at the most, but for one customer who has
    more. Those of older revisions go. Raises `OSError`."""
    place = parts_of_book(address, book_id)
    folder = PartFolder(place)
    known = _parted(folder, place, at.stamp)
    if known is not None:
        return known
    before = _newest_first(folder, place)
    with tempfile.TemporaryDirectory(dir=scratch) as made:
        room = Path(made)
        labels = put_labels(folder, room, book)
        edges = pairwise(_edges(book, orders_most, before[0] if before else None))
        parts = tuple(put_part(folder, room, BookPart.of(book, first, end)) for first, end in edges)
        parted = Parted(place, at.number, at.stamp, labels, parts)
        put_parted(folder, room, parted)
    _remove_old(folder, [parted, *before][:REVISIONS_KEPT])
    return parted


def remove_parts(address: str, book_id: int) -> None:
    """Remove everything of a book."""
    PartFolder(address).remove(str(book_id))


def _newest_first(folder: PartFolder, place: str) -> list[Parted]:
    stamps = (name.removeprefix("revision-") for name in folder.names() if name.startswith("revision-"))
    found = (_parted(folder, place, stamp) for stamp in stamps)
    return sorted(filter(None, found), key=lambda each: -each.number)


def _remove_old(folder: PartFolder, kept: Iterable[Parted]) -> None:
    wanted = {name for each in kept for name in (each.labels, f"revision-{each.stamp}", *(p.name for p in each.parts))}
    for name in folder.names():
        if name not in wanted and not name.endswith(_UNFINISHED):
            folder.remove(name)


def _edges(book: OrderBook, orders_most: int, before: Parted | None) -> list[int]:
    """Where parts begin, by the places of customers, and the end of the last one: as they did before, so that most of
    them hold what they held, while that leaves none much larger than it should be."""
    wanted = -(-book.order_count // orders_most)
    if before is not None:
        firsts = np.flatnonzero(np.isin(book.customer_id, [each.first_id for each in before.parts[1:]])).tolist()
        edges = sorted({0, *firsts, book.customer_count})
        largest = max((int(book.starts[end] - book.starts[first]) for first, end in pairwise(edges)), default=0)
        if largest <= _UNBALANCED * orders_most and len(edges) - 1 <= _UNBALANCED * wanted:
            return edges
    cuts = np.searchsorted(book.starts, np.arange(1, wanted) * book.order_count // wanted).tolist()
    return sorted({0, *cuts, book.customer_count})


def put_parted(folder: PartFolder, room: Path, parted: Parted) -> None:
    """Say which parts a revision has; they are there by then."""
    told = {"number": parted.number, "labels": parted.labels, "parts": [asdict(each) for each in parted.parts]}
    _put_text(folder, room, f"revision-{parted.stamp}", _PARTED, json.dumps(told))


def put_part(folder: PartFolder, room: Path, part: BookPart) -> Part:
    """Write a part where nobody has yet; ``room`` : a folder to make it in."""
    alone = _with_own_labels(part)
    columns, about = columns_of(alone), labels_of(alone)
    digest = hashlib.blake2b(json.dumps(about).encode(), digest_size=20)
    for name, column in columns.items():
        digest.update(f"{name} {column.dtype} {column.shape}".encode())
        digest.update(np.ascontiguousarray(column).data)
    name = f"part-{digest.hexdigest()}"
    if not folder.has(f"{name}/{BOOK}"):
        made = room / name
        made.mkdir()
        write_book(made, columns, about)
        folder.put(made, name)
    first_id = int(part.customer_id[0]) if part.customer_count else 0
    size = sum(column.nbytes for column in columns.values())
    return Part(name, first_id, part.customer_count, part.order_count, size)


def _with_own_labels(part: BookPart) -> OrderBook:
    """The same with no label that nothing in it has, so that what others have does not change it."""
    of_orders = {name: without_unused(each) for name, each in part.attributes.items()}
    of_customers = {name: without_unused(each) for name, each in part.customers.attributes.items()}
    customers = CustomerColumns(of_customers, part.customers.texts, frozenset())
    return replace(part, attributes=of_orders, customers=customers)


def put_labels(folder: PartFolder, room: Path, book: OrderBook) -> str:
    """Write the labels of a whole book where nobody has yet; what they are called."""
    text = json.dumps(labels_of(book))
    name = f"labels-{hashlib.blake2b(text.encode(), digest_size=20).hexdigest()}"
    if not folder.has(f"{name}/{_LABELS}"):
        _put_text(folder, room, name, _LABELS, text)
    return name


def _put_text(folder: PartFolder, room: Path, name: str, file: str, text: str) -> None:
    made = room / name
    made.mkdir()
    (made / file).write_text(text, encoding="utf-8")
    folder.put(made, name)


def save_beside(scratch: Path, parted: Parted, book: OrderBook, name: str) -> None:
    """Put an own attribute, or the order lines (`LINES`), of a whole book beside its parts. Raises `OSError`, and
    `KeyError` for an attribute that there is not."""
    folder, edges = PartFolder(parted.address), pairwise(parted.edges)
    parts = [BookPart.of(book, first, end) for first, end in edges]
    with tempfile.TemporaryDirectory(dir=scratch) as made:
        here = Path(made) / "beside"
        here.mkdir()
        for place, part in enumerate(parts):
            for column, values in _beside(part, name).items():
                np.save(here / f"{place}-{column}.npy", values)
        (here / _LABELS).write_text(json.dumps(_labels_beside(book, name)), encoding="utf-8")
        folder.put(here, _place_beside(parted.stamp, name))


def _place_beside(stamp: str, name: str) -> str:
    return f"revision-{stamp}/beside-{_digest(name)}"


def _beside(part: BookPart, name: str) -> dict[str, NDArray[Any]]:
    if name != LINES:
        return {"codes": part.own_attribute(name).codes}
    lines = part.order_lines()
    columns = {"order": lines.order, "amount_minor": lines.amount_minor}
    return {**columns, "product": lines.product.codes, "category": lines.category.codes}


def _labels_beside(book: OrderBook, name: str) -> dict[str, tuple[str, ...]]:
    if name != LINES:
        return {"codes": book.own_attribute(name).labels}
    return {of: book.order_lines().labels(of).labels for of in ("product", "category")}


def open_part(parted: Parted, place: int, own: Mapping[str, OwnColumn], copies: Path) -> OrderBook:
    """A part of a revision by its place, memory-mapped, with the labels of the whole. ``own`` : what own attributes
    there are, read when asked for, as the lines are. Raises `PartUnreadable`, and when these are not beside it
    `NotBeside`."""
    part = parted.parts[place]

    def read(name: str) -> dict[str, Any]:
        where = _place_beside(parted.stamp, name)
        if not folder.has(f"{where}/{_LABELS}"):
            raise NotBeside(name)
        here = folder.fetched(where, copies)
        labels = json.loads((here / _LABELS).read_text(encoding="utf-8"))
        names = ("order", "amount_minor", "product", "category") if name == LINES else ("codes",)
        columns = {each: np.load(here / f"{place}-{each}.npy") for each in names}
        return {**columns, **{each: Attribute(columns[each], tuple(texts)) for each, texts in labels.items()}}

    def attribute(name: str, _order_id: Int64s) -> Attribute:
        found: Attribute = read(name)["codes"]
        return found

    def lines(_order_id: Int64s) -> OrderLines:
        return OrderLines(**read(LINES))

    try:
        folder = PartFolder(parted.address)
        book = read_book(folder.fetched(part.name, copies))
        told = json.loads(folder.read(f"{parted.labels}/{_LABELS}"))
    except (OSError, ValueError, KeyError, ImportError) as error:
        raise PartUnreadable(part.name) from error
    customers = CustomerColumns(
        _relabelled(book.customers.attributes, told["of_customers"]),
        {name: book.customers.texts[name] for name in told["texts"]},
        frozenset(told["numbers"]),
    )
    whole = replace(book, attributes=_relabelled(book.attributes, told["of_orders"]), customers=customers)
    alone = PartAlone.of_book(whole, parted.edges[place])
    return alone.reading(OwnAttributes(own, attribute), LinesOnRecord(lines))


def _relabelled(mine: Mapping[str, Attribute], every: Mapping[str, list[str]]) -> dict[str, Attribute]:
    """The labels of a part as those of the whole; codes stay mapped where both are the same. A part of nobody has a
    label that nothing has."""
    found = {}
    for name, labels in every.items():
        codes, own = mine[name].codes, mine[name].labels
        if list(own) != labels:
            place = {label: code for code, label in enumerate(labels)}
            wide = np.min_scalar_type(max(len(labels) - 1, 0))
            codes = np.array([place.get(label, 0) for label in own], max(wide, codes.dtype)).take(codes)
        found[name] = Attribute(codes, tuple(labels))
    return found
