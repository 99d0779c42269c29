"""Books whose orders stay in files of their own: where these are, how they are read, and which there are now."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection, Engine, Select, insert, select
from sqlalchemy.orm import InstrumentedAttribute

from goldthread.store.schema.models import Dataset, DatasetFile, Delivery

_SETS_KEPT = 2
_IS_REFRESH = Delivery.reading["files"].is_not(None)


@dataclass(frozen=True)
class DatasetRow:
    """Where the files are, what their orders' source is called, and how they are read."""

    address: str
    source: str
    reading: Mapping[str, Any]


@dataclass(frozen=True)
class FileRow:
    """A file by its name below the address, its size in bytes, and its tag: when it was written."""

    name: str
    size: int
    tag: str


@dataclass(frozen=True)
class Refresh:
    """The files that a book has since a delivery."""

    delivery_id: int
    files: tuple[FileRow, ...]


def find_dataset(engine: Engine, book_id: int) -> DatasetRow | None:
    """Where the orders of a book stay; None where they are on record."""
    query = select(Dataset.address, Dataset.source, Dataset.reading).where(Dataset.book_id == book_id)
    with engine.connect() as connection:
        found = connection.execute(query).first()
    return None if found is None else DatasetRow(*found)


def stays_in_files(connection: Connection, book_id: int) -> bool:
    """Whether the orders of a book stay in files."""
    return connection.execute(select(Dataset.book_id).where(Dataset.book_id == book_id)).first() is not None


def insert_dataset(connection: Connection, book_id: int, dataset: DatasetRow) -> None:
    """Have the orders of a book stay in files."""
    values = {"address": dataset.address, "source": dataset.source, "reading": dict(dataset.reading)}
    connection.execute(insert(Dataset).values(book_id=book_id, **values))


def insert_files(connection: Connection, refresh: Refresh) -> None:
    """Keep which files a book has since a delivery."""
    rows = [
        {"delivery_id": refresh.delivery_id, "sequence": place, "name": each.name, "size": each.size, "tag": each.tag}
        for place, each in enumerate(refresh.files)
    ]
    if rows:
        connection.execute(insert(DatasetFile), rows)


def refreshes(engine: Engine, book_id: int) -> list[Refresh]:
    """The last refreshes of a book that were not withdrawn, newest first: the present files, and those before."""
    with engine.connect() as connection:
        mine = connection.execute(_refreshes(book_id, Delivery.id).limit(_SETS_KEPT)).scalars().all()
        return [files_of(connection, delivery) for delivery in mine]


def sizes_of_refreshes(engine: Engine, book_id: int) -> list[tuple[int, dt.datetime]]:
    """How many files there are since each of the last refreshes, newest first, and when it was; no file is read."""
    query = _refreshes(book_id, Delivery.reading, Delivery.delivered_at).limit(_SETS_KEPT)
    with engine.connect() as connection:
        return [(int(reading["files"]["all"]), at) for reading, at in connection.execute(query)]


def is_refresh(engine: Engine, delivery_id: int) -> bool:
    """Whether a delivery is a refresh."""
    query = select(Delivery.id).where(Delivery.id == delivery_id, _IS_REFRESH)
    with engine.connect() as connection:
        return connection.execute(query).first() is not None


def files_of(connection: Connection, delivery_id: int) -> Refresh:
    """The files that a book has since a delivery."""
    query = (
        select(DatasetFile.name, DatasetFile.size, DatasetFile.tag)
        .where(DatasetFile.delivery_id == delivery_id)
        .order_by(DatasetFile.sequence)
    )
    return Refresh(delivery_id, tuple(FileRow(*row) for row in connection.execute(query)))


def files_of_now(connection: Connection, book_id: int) -> tuple[FileRow, ...]:
    """The files that a book has."""
    newest = connection.execute(_refreshes(book_id, Delivery.id).limit(1)).scalar()
    return () if newest is None else files_of(connection, newest).files


def _refreshes(book_id: int, *columns: InstrumentedAttribute[Any]) -> Select[Any]:
    """Some columns of the log for each refresh of a book that was not withdrawn, newest first."""
    mine = (Delivery.book_id == book_id, Delivery.withdrawn_at.is_(None), _IS_REFRESH)
    return select(*columns).where(*mine).order_by(Delivery.id.desc())


@dataclass(frozen=True)
class Differences:
    """How two sets of files differ. ``new`` and ``gone`` are of one set alone; ``changed`` files are in both, each as
    it was and as it is."""

    new: tuple[FileRow, ...]
    changed: tuple[tuple[FileRow, FileRow], ...]
    gone: tuple[FileRow, ...]

    @property
    def by_name(self) -> dict[str, Sequence[object]]:
        """The same by what they are called."""
        return {"new": self.new, "changed": self.changed, "gone": self.gone}


def differences(before: Sequence[FileRow], now: Sequence[FileRow]) -> Differences:
    """How a set of files differs from the one before."""
    old, new = ({each.name: each for each in files} for files in (before, now))
    both = (name for name in new if name in old and old[name] != new[name])
    return Differences(
        tuple(each for name, each in new.items() if name not in old),
        tuple((old[name], new[name]) for name in both),
        tuple(each for name, each in old.items() if name not in new),
    )
