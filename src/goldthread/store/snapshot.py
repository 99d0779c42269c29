"""A book's sorted columns on disk, memory-mapped: shared by all processes, and thrown away at will.

A snapshot is a folder of ``.npy`` files and a ``book.json`` that names the revision's stamp, the labels, and each
file's size and check figure of its first and last bytes. One that is stale, incomplete or damaged is not read, nor is
one of another record whose books and revisions have the same numbers.

After a change that touched few customers, what they are now is written alone, beside the last whole snapshot: a book is
made of the two when it is opened.
"""

from __future__ import annotations

import json
import logging
import shutil
import tempfile
import time
import zlib
from collections.abc import Callable, Iterable, Mapping
from contextlib import AbstractContextManager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.columns import Attribute, CustomerColumns
from goldthread.core.book.order_book import OrderBook
from goldthread.core.book.part import taken
from goldthread.core.book.payments import Payments
from goldthread.core.book.splicing import spliced
from goldthread.core.book.summing import distinct
from goldthread.core.book.texts import TextColumn
from goldthread.errors import Outdated
from goldthread.processes import alone, mark, remove_left_behind
from goldthread.store.revisions import Stamped

FORMAT = 6
WHOLE_SECONDS = 600
"""After a change, a whole snapshot is written when the last one is so old, else what changed since."""
READING_SECONDS = 600
_UNFINISHED = ".new"
BOOK, _DESCRIBED = "book.json", "columns.json"
Int64s = NDArray[np.int64]
_log = logging.getLogger(__name__)
_COLUMNS = ("starts", "day", "amount_minor", "order_id", "customer_id", "number_key")
_PAYMENTS = ("customer", "day", "amount_minor")
_TOUCHED, _PLACES = "touched", "places"
_HEADER_BYTES = 128
"""A file without entries is no longer than this, and cannot be mapped."""
_SAMPLE_BYTES = 1 << 16


@dataclass(frozen=True, eq=False)
class Whole:
    """The last whole snapshot of a book, and the ids of the customers touched since, ascending; int64."""

    at: Stamped
    touched: Int64s

    @classmethod
    def itself(cls, at: Stamped) -> Whole:
        return cls(at, np.zeros(0, np.int64))

    def further(self, touched: Int64s) -> Whole:
        """The same with more customers touched; ``touched`` : ids, ascending; int64."""
        # two ascending runs are merged at once, where a union looks each one up
        both = np.concatenate((self.touched, touched))
        both.sort(kind="stable")
        return Whole(self.at, distinct(both))


def snapshots_of(folder: Path, book_id: int) -> list[Path]:
    """The snapshots of a book that are finished."""
    return [each for each in folder.glob(f"{book_id}-*") if not each.name.endswith(_UNFINISHED)]


def revisions_on_disk(folder: Path, book_id: int) -> list[Stamped]:
    """The revisions of which there are snapshots, the newest first."""
    names = [each.name.split("-") for each in snapshots_of(folder, book_id)]
    return sorted((Stamped(int(number), stamp) for _, number, stamp in names), key=lambda at: -at.number)


def save_snapshot(
    folder: Path, book_id: int, at: Stamped, book: OrderBook, older: Iterable[Path] = (), since: Whole | None = None
) -> bool:
    """Write a snapshot beside the others, then move it to its name: a whole one, or what changed ``since`` a whole one.
    ``older`` are removed, but for that one: those that were there before the book was read, since a later one may have
    been written meanwhile.

    False, with nothing left behind, where that cannot be done: a full disk must not keep a book from being read.
    """
    unfinished: Path | None = None
    try:
        folder.mkdir(parents=True, exist_ok=True)
        final = _place(folder, book_id, at)
        # whoever wrote one already, it holds the same
        if _described(folder, book_id, at) is None:
            unfinished = Path(tempfile.mkdtemp(prefix=f"{book_id}-{at.stamp}-", suffix=_unfinished(), dir=folder))
            _write(unfinished, at, book, since)
            if _described(folder, book_id, at) is not None:
                shutil.rmtree(unfinished)
            else:
                shutil.rmtree(final, ignore_errors=True)
                unfinished.rename(final)
    except OSError as error:
        _log.warning("A snapshot could not be saved: %s", error)
        if unfinished is not None:
            shutil.rmtree(unfinished, ignore_errors=True)
        return False
    needed = {final} if since is None else {final, _place(folder, book_id, since.at)}
    for other in older:
        if other not in needed:
            shutil.rmtree(other, ignore_errors=True)
    return True


def reading_whole(folder: Path, book_id: int) -> AbstractContextManager[None]:
    """Keep every other process from reading the same book whole meanwhile. Raises `Unavailable` where another one takes
    too long."""
    return alone(folder / f"{book_id}.lock", "reading this book", READING_SECONDS)


def is_old(folder: Path, book_id: int, at: Stamped) -> bool:
    """Whether a snapshot was written long enough ago for a whole one to be worth its time again; so too where there is
    none, or the clock was set back since."""
    try:
        return abs(time.time() - _place(folder, book_id, at).stat().st_mtime) > WHOLE_SECONDS
    except FileNotFoundError:
        return True


def remove_all(folder: Path, book_id: int) -> None:
    """Remove what is on disk of a book; it is read anew from the record."""
    for each in snapshots_of(folder, book_id):
        shutil.rmtree(each, ignore_errors=True)


def remove_unfinished(folder: Path) -> None:
    """Remove what processes that were killed began to write."""
    for pattern in (f"*{_UNFINISHED}", f"*/*{_UNFINISHED}"):
        remove_left_behind(folder, pattern)


def _unfinished() -> str:
    """How what this process has not yet written whole is called at its end."""
    return f"{mark()}{_UNFINISHED}"


def _write(unfinished: Path, at: Stamped, book: OrderBook, since: Whole | None) -> None:
    places: dict[str, Int64s] = {}
    if since is not None:
        places = {_TOUCHED: since.touched, _PLACES: np.flatnonzero(np.isin(book.customer_id, since.touched))}
        book = taken(book, places[_PLACES])
    of_revision = {
        "revision": at.number,
        "stamp": at.stamp,
        "since": since and [since.at.number, since.at.stamp],
    }
    write_book(unfinished, {**places, **columns_of(book)}, {**labels_of(book), **of_revision})


def columns_of(book: OrderBook) -> dict[str, NDArray[Any]]:
    """Everything that is written of a book, but for its labels, by the names of the files."""
    about = book.customers
    labels = [*book.attributes.values(), *about.attributes.values()]
    columns = {
        **{name: getattr(book, name) for name in _COLUMNS},
        **{f"payments-{name}": getattr(book.payments, name) for name in _PAYMENTS},
        **{f"label-{place}": attribute.codes for place, attribute in enumerate(labels)},
    }
    for place, text in enumerate(about.texts.values()):
        columns |= {f"text-{place}": text.data, f"text-{place}-offsets": text.offsets}
    return columns


def labels_of(book: OrderBook) -> dict[str, Any]:
    """The labels of a book, and what its columns are called."""
    about = book.customers
    return {
        "of_orders": {name: attribute.labels for name, attribute in book.attributes.items()},
        "of_customers": {name: attribute.labels for name, attribute in about.attributes.items()},
        "texts": list(about.texts),
        "numbers": sorted(about.numbers),
    }


def write_book(folder: Path, columns: Mapping[str, NDArray[Any]], about: Mapping[str, Any]) -> None:
    """Write columns and what is said of them into a folder."""
    for name, column in columns.items():
        np.save(folder / f"{name}.npy", column)
    files = {file.name: _fingerprint(file) for file in sorted(folder.glob("*.npy"))}
    (folder / BOOK).write_text(json.dumps({"format": FORMAT, **about, "files": files}), encoding="utf-8")


def read_book(folder: Path) -> OrderBook:
    """The book that was written into a folder, memory-mapped. Raises `OSError`, `ValueError` or `KeyError` where it is
    not whole."""
    description: dict[str, Any] = json.loads((folder / BOOK).read_text(encoding="utf-8"))
    if description["format"] != FORMAT or _is_damaged(folder, description):
        raise ValueError(f"{folder} is damaged")
    return _opened(folder, description)


def _is_damaged(folder: Path, description: Mapping[str, Any]) -> bool:
    return any(_fingerprint(folder / name) != known for name, known in description["files"].items())


def open_snapshot(folder: Path, book_id: int, at: Stamped) -> OrderBook | None:
    """The book of a snapshot, memory-mapped where it is a whole one; None when there is none of this revision that can
    be read."""
    description = _described(folder, book_id, at)
    if description is None:
        return None
    try:
        book = _opened(_place(folder, book_id, at), description)
        whole = _whole(folder, book_id, at, description)
        if whole.at == at:
            return book
        before = open_snapshot(folder, book_id, whole.at)
        places = _mapped(_place(folder, book_id, at) / f"{_PLACES}.npy")
    except (OSError, ValueError, KeyError):
        return None
    if before is None:
        return None
    gone = np.flatnonzero(np.isin(before.customer_id, whole.touched))
    return spliced(before, gone, book, places, book.attributes["source"].labels)


def whole_of(folder: Path, book_id: int, at: Stamped) -> Whole | None:
    """What a snapshot is made of: itself, or a whole one and what changed since; None when there is none."""
    try:
        description = _described(folder, book_id, at)
        return None if description is None else _whole(folder, book_id, at, description)
    except (OSError, ValueError, KeyError):
        return None


def _whole(folder: Path, book_id: int, at: Stamped, description: Mapping[str, Any]) -> Whole:
    if description["since"] is None:
        return Whole.itself(at)
    number, stamp = description["since"]
    return Whole(Stamped(int(number), str(stamp)), np.load(_place(folder, book_id, at) / f"{_TOUCHED}.npy"))


def _described(folder: Path, book_id: int, at: Stamped) -> dict[str, Any] | None:
    """What a snapshot says of itself; None when there is none that is whole, or that it builds on."""
    place = _place(folder, book_id, at)
    try:
        description: dict[str, Any] = json.loads((place / BOOK).read_text(encoding="utf-8"))
        if description["format"] != FORMAT or description["stamp"] != at.stamp:
            return None
        if _is_damaged(place, description):
            return None
        since = description["since"]
        is_there = since is None or _described(folder, book_id, Stamped(*since)) is not None
        return description if is_there else None
    except (OSError, ValueError, KeyError, TypeError):
        return None


def _opened(place: Path, description: dict[str, Any]) -> OrderBook:
    def column(name: str) -> NDArray[Any]:
        return _mapped(place / f"{name}.npy")

    labelled = [*description["of_orders"].items(), *description["of_customers"].items()]
    labels = [Attribute(column(f"label-{at}"), tuple(texts)) for at, (_, texts) in enumerate(labelled)]
    orders = len(description["of_orders"])
    texts = {
        name: TextColumn(column(f"text-{at}"), column(f"text-{at}-offsets"))
        for at, name in enumerate(description["texts"])
    }
    return OrderBook(
        starts=column("starts"),
        day=column("day"),
        amount_minor=column("amount_minor"),
        order_id=column("order_id"),
        customer_id=column("customer_id"),
        number_key=column("number_key"),
        attributes=dict(zip(description["of_orders"], labels[:orders], strict=True)),
        customers=CustomerColumns(
            dict(zip(description["of_customers"], labels[orders:], strict=True)),
            texts,
            frozenset(description["numbers"]),
        ),
        payments=Payments(**{name: column(f"payments-{name}") for name in _PAYMENTS}),
    )


@dataclass(frozen=True)
class Beside:
    """Columns that stand beside a snapshot, by name, and the labels of those that are codes."""

    columns: Mapping[str, NDArray[Any]]
    labels: Mapping[str, tuple[str, ...]]

    def attribute(self, name: str) -> Attribute:
        return Attribute(self.columns[name], self.labels[name])


def kept_beside(
    folder: Path, book_id: int, at: Stamped, name: str, read: Callable[[], Beside], holds: Callable[[], bool]
) -> Beside:
    """Columns that stand beside the snapshot of a book, memory-mapped; read and put there when they do not yet.

    Raises `Outdated` when what was read does not hold for the revision, because the book moved on meanwhile.
    """
    kept = _open_beside(folder, book_id, at, name)
    if kept is not None:
        return kept
    found = read()
    if not holds():
        raise Outdated("The book changed while it was read.", remedy="Ask again.")
    _save_beside(folder, book_id, at, name, found)
    return _open_beside(folder, book_id, at, name) or found


def _save_beside(folder: Path, book_id: int, at: Stamped, name: str, what: Beside) -> None:
    """Put columns beside a snapshot, where there is one."""
    place = _place(folder, book_id, at)
    if not place.is_dir():
        return
    try:
        unfinished = Path(tempfile.mkdtemp(prefix=name, suffix=_unfinished(), dir=place))
        for each, column in what.columns.items():
            np.save(unfinished / f"{each}.npy", column)
        files = {each: _fingerprint(unfinished / f"{each}.npy") for each in what.columns}
        described = {"labels": dict(what.labels), "files": files}
        (unfinished / _DESCRIBED).write_text(json.dumps(described), encoding="utf-8")
        shutil.rmtree(place / name, ignore_errors=True)
        unfinished.rename(place / name)
    except OSError as error:
        _log.warning("Columns could not be kept beside their snapshot: %s", error)


def _open_beside(folder: Path, book_id: int, at: Stamped, name: str) -> Beside | None:
    """Columns that were put beside a snapshot, memory-mapped; None when there are none that are whole."""
    place = _place(folder, book_id, at) / name
    try:
        described: dict[str, Any] = json.loads((place / _DESCRIBED).read_text(encoding="utf-8"))
        files: dict[str, list[int]] = described["files"]
        if any(_fingerprint(place / f"{each}.npy") != known for each, known in files.items()):
            return None
        columns = {each: _mapped(place / f"{each}.npy") for each in files}
        return Beside(columns, {each: tuple(labels) for each, labels in described["labels"].items()})
    except (OSError, ValueError, KeyError):
        return None


def _mapped(file: Path) -> NDArray[Any]:
    found: NDArray[Any] = np.load(file, mmap_mode="r" if file.stat().st_size > _HEADER_BYTES else None)
    return found


def _place(folder: Path, book_id: int, at: Stamped) -> Path:
    return folder / f"{book_id}-{at.number}-{at.stamp}"


def _fingerprint(file: Path) -> list[int]:
    size = file.stat().st_size
    with file.open("rb") as content:
        check = zlib.crc32(content.read(_SAMPLE_BYTES))
        content.seek(max(size - _SAMPLE_BYTES, 0))
        return [size, zlib.crc32(content.read(_SAMPLE_BYTES), check)]
