"""Books whose orders stay in files of their own: begun from them, refreshed when these change, and taken back.

Every file is checked by the rules of a delivery, once; what came of it is kept beside the record. Where the files are
is said by whoever has the machine, never by a page.
"""

from __future__ import annotations

import hashlib
import tempfile
from collections.abc import Iterator, Sequence
from contextlib import closing
from dataclasses import dataclass, field, replace
from decimal import Decimal
from pathlib import Path, PurePosixPath

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from pyarrow import fs, parquet

from goldthread.actions import books
from goldthread.actions.deciding import reading_of
from goldthread.actions.deliveries import reading_kept
from goldthread.actions.inspecting import Given, look_at_table, reading_again
from goldthread.actions.log import Deed, put_down
from goldthread.actions.uploads import open_file
from goldthread.core.money import MINOR_PER_UNIT
from goldthread.core.records import COLUMNS, FileKind, KeyKind, Progress, Rows
from goldthread.errors import Conflict, InvalidInput, TooLarge, Unavailable, UnreadableFile
from goldthread.intake.apart import APART_FROM_ROWS, read_pieces_apart
from goldthread.intake.delimited import look
from goldthread.intake.reading import Reading, read_pieces
from goldthread.settings import Settings, private_folder
from goldthread.store.books import BookRow, Remembered
from goldthread.store.datasets import (
    DatasetRow,
    FileRow,
    Refresh,
    differences,
    find_dataset,
    refreshes,
)
from goldthread.store.orders_in_files import columns_of, remove_others, staged_name, write_staged
from goldthread.store.write.delivery import DeliveryOrder, DeliveryReport
from goldthread.store.write.refreshing import WantedRefresh, refresh
from goldthread.workspace import Workspace

FORM = "parquet"
FILES_MOST = 10_000
_ENDINGS = (".parquet", ".parq", ".pq")
_HIDDEN = ("_", ".")
_ROWS_AT_ONCE = 20_000
_PROBLEMS_MOST = 10_000
"""Problems of one refresh that are kept; more are counted."""


@dataclass(frozen=True)
class Files:
    """Where the files of a dataset are."""

    address: str
    system: fs.FileSystem
    root: str

    @classmethod
    def at(cls, address: str) -> Files:
        """By an address: parquet: and a folder or a file, or what a file system is reached by, such as
        parquet:s3://orders/2026. Raises `InvalidInput`."""
        form, _, place = address.partition(":")
        if form != FORM or not place:
            raise InvalidInput(
                f"{address[:80] or 'Nothing'} does not say where orders are.",
                remedy=f"Give {FORM}: and a folder, such as {FORM}:/data/orders.",
                field="orders_in",
            )
        try:
            system, root = (
                fs.FileSystem.from_uri(place) if "://" in place else (fs.LocalFileSystem(), str(Path(place).absolute()))
            )
        except (pa.ArrowInvalid, OSError) as error:
            raise InvalidInput(f"{place[:80]} cannot be reached: {error}.", remedy="Look at the address.") from None
        return cls(address, system, root)

    def listed(self) -> tuple[FileRow, ...]:
        """The files by name, without those that begin with an underscore or a dot. Raises `Unavailable`."""
        try:
            above = self.system.get_file_info(self.root)
            one = above.type == fs.FileType.File
            found = [above] if one else self.system.get_file_info(fs.FileSelector(self.root, recursive=True))
        except OSError as error:
            raise Unavailable(
                f"The orders in {self.address} cannot be reached: {error}.", remedy="Nothing was changed. Try again."
            ) from None
        rows = []
        for each in found:
            name = PurePosixPath(each.path).name if one else str(PurePosixPath(each.path).relative_to(self.root))
            hidden = any(part.startswith(_HIDDEN) for part in PurePosixPath(name).parts)
            if each.type == fs.FileType.File and name.endswith(_ENDINGS) and not hidden:
                rows.append(FileRow(name, each.size, str(each.mtime_ns)))
        if len(rows) > FILES_MOST:
            raise TooLarge(f"{len(rows)} files are more than a book has.", remedy=f"Join them to {FILES_MOST} at most.")
        return tuple(sorted(rows, key=lambda row: row.name))

    def fetched(self, file: FileRow, folder: Path) -> Path:
        """A file on this machine, with what the names of its folders say (region=north) as columns."""
        path = self.root if PurePosixPath(self.root).name == file.name else f"{self.root}/{file.name}"
        said = [part.partition("=") for part in PurePosixPath(file.name).parts[:-1] if "=" in part]
        if isinstance(self.system, fs.LocalFileSystem) and not said:
            return Path(path)
        target = folder / "fetched.parquet"
        with self.system.open_input_file(path) as content:
            source = parquet.ParquetFile(content)
            more = [(name, pa.string()) for name, _, _ in said if name not in source.schema_arrow.names]
            schema = pa.schema([*source.schema_arrow, *more])
            with parquet.ParquetWriter(target, schema) as out:
                for group in range(source.num_row_groups):
                    rows = source.read_row_group(group)
                    for name, _, value in said:
                        if name not in rows.column_names:
                            rows = rows.append_column(name, pa.array([value] * rows.num_rows, pa.string()))
                    out.write_table(rows)
        return target


def begin_from_files(
    workspace: Workspace,
    name: str,
    currency: str,
    time_zone: str,
    address: str,
    source: str,
    given: Given,
    progress: Progress,
) -> tuple[BookRow, DeliveryReport]:
    """Begin a book whose orders stay in files, and bring it up to them. Where that fails nothing is left of it. Raises
    `InvalidInput` where the first file leaves something open, and as `books.add_book`."""
    files = Files.at(address)
    listed = files.listed()
    if not listed:
        raise InvalidInput(
            f"There are no Parquet files in {address}.", remedy="Look at the address.", field="orders_in"
        )
    reading = _reading_of_first(workspace.settings, files, listed[0], given, progress)
    dataset = DatasetRow(address, books.checked_name(source, "source"), reading_kept(reading))
    book = books.add_book(workspace, name, currency, time_zone, dataset)
    return book, refresh_book(workspace, book, progress)


def _reading_of_first(settings: Settings, files: Files, first: FileRow, given: Given, progress: Progress) -> Reading:
    with tempfile.TemporaryDirectory(dir=private_folder(settings.scratch)) as folder:
        sent = open_file(settings, _fetched(files, first, Path(folder)), Path(folder))[0]
        view = look_at_table(sent.table(), FileKind.ORDERS, given, apart=progress, kept=sent.folder)
        reading = reading_of(view, given)
    # further columns are not kept of orders that stay elsewhere
    return replace(reading, further={})


def _fetched(files: Files, file: FileRow, folder: Path) -> Path:
    try:
        return files.fetched(file, folder)
    except (OSError, pa.ArrowException) as error:
        raise UnreadableFile(f"{file.name} cannot be read: {error}.", remedy="Write it again, and refresh.") from None


def dataset_of(workspace: Workspace, book: BookRow) -> DatasetRow:
    """Where the orders of a book stay. Raises `Conflict` where they are on record."""
    found = find_dataset(workspace.record.engine, book.id)
    if found is None:
        raise Conflict(f"The orders of {book.name} are on record.", remedy="Bring in files with deliver.")
    return found


def refresh_book(
    workspace: Workspace,
    book: BookRow,
    progress: Progress,
    *,
    as_before: bool = False,
    accept_rejected: bool = False,
) -> DeliveryReport:
    """Bring a book up to its files: those that are new or changed are read, and orders of those that are gone are gone.
    ``as_before`` : go back to the files of the refresh before, where they still are. Nothing is changed when more of
    the rows would be left out than may without a yes. Raises `Unavailable`, `UnreadableFile`, `Conflict`."""
    dataset, engine = dataset_of(workspace, book), workspace.record.engine
    files, known = Files.at(dataset.address), refreshes(engine, book.id)
    listed = files.listed()
    before = known[0].files if known else ()
    wanted = _as_before(known, listed, workspace, book, dataset) if as_before else listed
    folder = workspace.settings.files_of(book.id)
    to_read = [each for each in wanted if not (folder / staged_name(each, dataset.reading)).exists()]
    if known and wanted == before and not to_read:
        return DeliveryReport(earlier_delivery_id=known[0].delivery_id)
    found = _Found()
    for place, file in enumerate(to_read):
        progress("reading", place, len(to_read))
        _stage(workspace, book, dataset, files, file, found, progress)
    report = found.report
    report.held_back = not accept_rejected and report.leaves_out_much
    if report.held_back:
        return report
    new, changed, gone = differences(before, wanted)
    told = {"all": len(wanted), "new": new, "changed": changed, "gone": gone}
    order = DeliveryOrder(
        book_id=book.id,
        source_name=dataset.source,
        kind=FileKind.ORDERS,
        customer_key=KeyKind(dataset.reading["customer_key"]),
        file_name=f"{dataset.address} ({len(wanted)} files: {new} new, {changed} changed, {gone} gone)",
        fingerprint=_fingerprint(known, wanted),
        reading={**dataset.reading, "files": told},
        erasing_key=workspace.settings.erasing_key,
    )
    customers = found.customers(order.customer_key)
    done = refresh(engine, WantedRefresh(order, wanted, report), customers, progress)
    kept = [*wanted, *before]
    remove_others(folder, (staged_name(each, dataset.reading) for each in kept))
    put_down(workspace, Deed.IMPORTED, book.id, order.file_name, source=dataset.source, delivery=done.delivery_id)
    return done


def _as_before(
    known: Sequence[Refresh],
    listed: Sequence[FileRow],
    workspace: Workspace,
    book: BookRow,
    dataset: DatasetRow,
) -> tuple[FileRow, ...]:
    """The files of the refresh before. Raises `Conflict` where there is none, or one of them is there no more."""
    if len(known) < 2:
        raise Conflict("There was no refresh before this one.", remedy="Put the files back, and refresh.")
    folder = workspace.settings.files_of(book.id)
    there = set(listed)
    for each in known[1].files:
        if each not in there and not (folder / staged_name(each, dataset.reading)).exists():
            raise Conflict(f"{each.name} of before is there no more.", remedy="Put it back, and refresh.")
    return known[1].files


def _fingerprint(known: Sequence[Refresh], files: Sequence[FileRow]) -> str:
    digest = hashlib.sha256(str(known[0].delivery_id if known else 0).encode())
    for each in files:
        digest.update(f"\x1e{each.name}\x1f{each.size}\x1f{each.tag}".encode())
    return digest.hexdigest()


@dataclass
class _Found:
    """What became of the rows of the files that were read, and what they say of customers."""

    report: DeliveryReport = field(default_factory=DeliveryReport)
    about: list[pa.Table] = field(default_factory=list)

    def customers(self, kind: KeyKind) -> Iterator[Rows]:
        """A record of each customer: of each column what the latest order says that has it filled in."""
        if not self.about:
            return
        every = pa.concat_tables(self.about)
        keys = pc.unique(every.column("customer"))
        by_email = kind is KeyKind.EMAIL
        known = {name: _latest(every, keys, name) for name in ("email", "name", "town")}
        blank = pa.array([""] * len(keys), pa.string())
        known |= {"number": blank if by_email else keys, "email": keys if by_email else known["email"]}
        for start in range(0, len(keys), _ROWS_AT_ONCE):
            some = {name: values.slice(start, _ROWS_AT_ONCE).to_pylist() for name, values in known.items()}
            count = len(some["number"])
            fixed = {"closed": [""] * count, "do_not_contact": [""] * count, "attributes": ["{}"] * count}
            columns = {name: (some | fixed)[name] for name in COLUMNS[FileKind.CUSTOMERS]}
            yield Rows(range(start + 1, start + count + 1), columns)


def _latest(every: pa.Table, keys: pa.Array, name: str) -> pa.Array:
    """What the latest order of each customer that has it filled in says."""
    filled = every.filter(pc.not_equal(every.column(name), "")).sort_by("day")
    place = pc.index_in(filled.column("customer"), keys).to_numpy()
    last = np.full(len(keys), -1, np.int64)
    last[place] = np.arange(place.size)
    found = filled.column(name).combine_chunks().take(pa.array(last, mask=last < 0))
    return pc.fill_null(found.combine_chunks() if isinstance(found, pa.ChunkedArray) else found, "")


def _stage(
    workspace: Workspace,
    book: BookRow,
    dataset: DatasetRow,
    files: Files,
    file: FileRow,
    found: _Found,
    progress: Progress,
) -> None:
    """Check the rows of a file, and keep its orders as columns."""
    settings, zone = workspace.settings, books.zone(book.time_zone)
    reading = reading_again(
        Remembered(dataset.source, FileKind.ORDERS, [], dict(dataset.reading)), dataset.reading["statuses"]
    )
    report, pieces = found.report, []
    with tempfile.TemporaryDirectory(dir=private_folder(settings.scratch)) as folder:
        sent = open_file(settings, _fetched(files, file, Path(folder)), Path(folder))[0].table()
        table = look(sent.path, sent.typed)
        reading = reading.validated(table)
        read = read_pieces_apart if table.row_estimate >= APART_FROM_ROWS else read_pieces

        def advance(rows: int) -> None:
            progress(file.name, rows, max(rows, table.row_estimate))

        with closing(read(table, reading, book.currency, zone, advance)) as found_pieces:
            for piece in found_pieces:
                report.rows_read += piece.read
                report.rows_rejected += len({each.row for each in piece.problems if each.rejected})
                report.amount_rejected += piece.rejected_amount
                for problem in piece.problems:
                    report.note(replace(problem, reason=f"{problem.reason} ({file.name})"))
                del report.unreported[_PROBLEMS_MOST:]
                columns = columns_of(piece.rows)
                report.rows_in += columns.num_rows
                report.amount_in += Decimal(pc.sum(pc.abs(columns.column("amount"))).as_py() or 0) / MINOR_PER_UNIT
                pieces.append(columns)
                found.about.append(_about(columns, piece.rows))
    write_staged(settings.files_of(book.id) / staged_name(file, dataset.reading), pieces)


def _about(columns: pa.Table, rows: Rows) -> pa.Table:
    """What rows say of their customers, without those who say nothing new."""
    said = {name: pa.array(rows.about_customer.get(name, [""] * columns.num_rows), pa.string()) for name in _ABOUT}
    table = pa.table({"customer": columns.column("customer").cast(pa.string()), **said, "day": columns.column("day")})
    keys = ["customer", *_ABOUT]
    return table.group_by(keys).aggregate([("day", "max")]).rename_columns([*keys, "day"])


_ABOUT = ("email", "name", "town")
