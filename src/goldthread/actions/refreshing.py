"""Books whose orders stay in files of their own: begun from them, refreshed when these change, and taken back.

Every file is checked by the rules of a delivery, once; what came of it is kept beside the record. Where the files are
is said by whoever has the machine, never by a page.
"""

from __future__ import annotations

import hashlib
import tempfile
from collections.abc import Iterable, Iterator, Sequence
from contextlib import closing
from dataclasses import dataclass, field, replace
from decimal import Decimal
from functools import partial
from itertools import islice
from pathlib import Path
from zoneinfo import ZoneInfo

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from goldthread.actions import books
from goldthread.actions.deciding import reading_of
from goldthread.actions.deliveries import reading_kept
from goldthread.actions.inspecting import Given, look_at_table, reading_again
from goldthread.actions.log import Deed, put_down
from goldthread.actions.uploads import open_file
from goldthread.core.money import MINOR_PER_UNIT
from goldthread.core.records import COLUMNS, FileKind, KeyKind, Problem, Progress, Rows, unreported
from goldthread.errors import Conflict, InvalidInput, UnreadableFile
from goldthread.intake.apart import APART_FROM_ROWS, read_pieces_apart
from goldthread.intake.delimited import look
from goldthread.intake.packing import Packed, tables_of
from goldthread.intake.reading import Reading, read_pieces
from goldthread.settings import Settings, private_folder
from goldthread.store.books import BookRow, Remembered, find_delivery
from goldthread.store.dataset_files import Files
from goldthread.store.datasets import (
    DatasetRow,
    Differences,
    FileRow,
    Refresh,
    differences,
    find_dataset,
    refreshes,
)
from goldthread.store.orders_in_files import (
    SCHEMA,
    changes,
    columns_of,
    relabel,
    remove_others,
    staged_name,
    write_staged,
)
from goldthread.store.write.delivery import DeliveryOrder, DeliveryReport
from goldthread.store.write.erasing import ErasedPeople
from goldthread.store.write.refreshing import WantedRefresh, refresh
from goldthread.workspace import Workspace

_ROWS_AT_ONCE = 20_000
_PROBLEMS_MOST = 10_000
"""Problems of one refresh that are kept; more are counted."""


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
    """Begin a book whose orders stay in files, and bring it up to them; where that fails it is there without orders,
    for the next refresh. Raises `InvalidInput` where the first file leaves something open, and as `books.add_book`."""
    files = Files.at(address)
    listed = files.listed()
    if not listed:
        raise InvalidInput(
            f"There are no Parquet files in {address}.", remedy="Look at the address.", field="orders_in"
        )
    reading = _reading_of_first(workspace.settings, files, listed[0], given, progress)
    dataset = DatasetRow(files.told, books.checked_name(source, "source"), reading_kept(reading))
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
    dataset, engine = books.dataset_of(workspace, book), workspace.record.engine
    files, known = Files.at(dataset.address), refreshes(engine, book.id)
    listed = files.listed()
    before = known[0].files if known else ()
    wanted = _as_before(known, listed) if as_before else listed
    folder = workspace.settings.files_of(book.id)
    # what a refresh read that then came to nothing is read once more: nobody knows its customers
    read = {each for refresh_ in known for each in refresh_.files}
    to_read = [
        each for each in wanted if each not in read or not (folder / staged_name(each, dataset.reading)).exists()
    ]
    if known and wanted == before and not to_read:
        earlier = find_delivery(engine, book.id, known[0].delivery_id)
        return DeliveryReport(earlier_delivery_id=earlier.id, earlier_delivered_at=earlier.delivered_at)
    found = _Found()
    for checked in _checked(workspace, book, dataset, to_read, progress):
        found.take(checked)
    forget_erased(workspace, book, [folder / staged_name(each, dataset.reading) for each in to_read])
    report = found.report
    report.held_back = not accept_rejected and report.leaves_out_much
    if report.held_back:
        return report
    apart = differences(before, wanted)
    counted = changes(folder, dataset.reading, apart)
    told = {"all": len(wanted), **{name: len(some) for name, some in apart.by_name.items()}}
    order = DeliveryOrder(
        book_id=book.id,
        source_name=dataset.source,
        kind=FileKind.ORDERS,
        customer_key=KeyKind(dataset.reading["customer_key"]),
        file_name=f"{len(wanted)} files{_told(apart)} in {dataset.address}",
        fingerprint=_fingerprint(known, wanted),
        reading={**dataset.reading, "files": told},
        erasing_key=workspace.settings.erasing_key,
    )
    customers = found.customers(order.customer_key)
    done = refresh(engine, WantedRefresh(order, wanted, report, counted), customers, progress)
    kept = [*wanted, *before]
    remove_others(folder, (staged_name(each, dataset.reading) for each in kept))
    put_down(workspace, Deed.IMPORTED, book.id, order.file_name, source=dataset.source, delivery=done.delivery_id)
    return done


def forget_erased(workspace: Workspace, book: BookRow, files: Iterable[Path] | None = None) -> None:
    """Call those who were erased by what they are called since, in the checked orders of some files; all for None."""
    dataset, engine = find_dataset(workspace.record.engine, book.id), workspace.record.engine
    if dataset is None:
        return
    with engine.connect() as connection:
        erased = ErasedPeople(connection, book.id, workspace.settings.erasing_key)
    if erased:
        label_of = partial(erased.label, str(dataset.reading["customer_key"]))
        for file in workspace.settings.files_of(book.id).glob("*.arrow") if files is None else files:
            relabel(file, label_of)


def _told(apart: Differences) -> str:
    """What is otherwise, in words."""
    some = [f"{len(files)} {name}" for name, files in apart.by_name.items() if files]
    return f" ({', '.join(some)})" if some else ""


def _as_before(known: Sequence[Refresh], listed: Sequence[FileRow]) -> tuple[FileRow, ...]:
    """The files of the refresh before. Raises `Conflict` where there is none, or one of them is there no more."""
    if len(known) < 2:
        raise Conflict("There was no refresh before this one.", remedy="Put the files back, and refresh.")
    there = set(listed)
    for each in known[1].files:
        if each not in there:
            raise Conflict(
                f"{each.name} of before is there no more, or has changed.", remedy="Put it back, and refresh."
            )
    return known[1].files


def _fingerprint(known: Sequence[Refresh], files: Sequence[FileRow]) -> str:
    digest = hashlib.sha256(str(known[0].delivery_id if known else 0).encode())
    for each in files:
        digest.update(f"\x1e{each.name}\x1f{each.size}\x1f{each.tag}".encode())
    return digest.hexdigest()


def _checked(
    workspace: Workspace, book: BookRow, dataset: DatasetRow, files: Sequence[FileRow], progress: Progress
) -> Iterator[_Checked]:
    """What became of each of some files: checked by the workers of a cluster that reach where their orders go, else
    one after another here."""
    settings, folder = workspace.settings, workspace.settings.files_of(book.id)
    cluster = workspace.cluster if settings.workers_reach_files and len(files) > 1 else None
    scratch = private_folder(settings.scratch) if cluster is None else None
    about = dataset, book.currency, book.time_zone, scratch, settings.unpacked_limit_mib << 20
    wanted = [ToCheck(dataset.address, each, *about, folder / staged_name(each, dataset.reading)) for each in files]
    if cluster is not None:
        for place, checked in enumerate(cluster.each(check_file, wanted, progress)):
            progress("reading", place + 1, len(wanted))
            yield checked
        return
    for place, one in enumerate(wanted):
        progress("reading", place, len(wanted))
        yield check_file(one, progress)


@dataclass
class _Found:
    """What became of the rows of the files that were read, and what they say of customers."""

    report: DeliveryReport = field(default_factory=DeliveryReport)
    about: list[pa.Table] = field(default_factory=list)

    def take(self, checked: _Checked) -> None:
        """Add what became of one file."""
        report = self.report
        report.rows_read += checked.rows_read
        report.rows_in += checked.rows_in
        report.rows_rejected += checked.rows_rejected
        report.amount_rejected += checked.amount_rejected
        report.amount_in += checked.amount_in
        for problem in checked.problems:
            report.note(problem)
        del report.unreported[_PROBLEMS_MOST:]
        self.about.append(checked.about)

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


@dataclass(frozen=True)
class _Checked:
    """What became of the rows of one file. ``problems`` are the first ones; ``about`` what rows say of customers."""

    rows_read: int
    rows_in: int
    rows_rejected: int
    amount_rejected: Decimal
    amount_in: Decimal
    problems: list[Problem]
    about: pa.Table


@dataclass(frozen=True)
class ToCheck:
    """A file whose rows are to be checked, and what that takes, so that it can be sent. ``scratch`` : a folder for
    what lies about meanwhile; that of the machine for None. ``target`` : where its orders go as columns."""

    address: str
    file: FileRow
    dataset: DatasetRow
    currency: str
    time_zone: str
    scratch: Path | None
    limit_bytes: int
    target: Path


def check_file(wanted: ToCheck, advance: Progress = unreported) -> _Checked:
    """Check the rows of a file, and keep its orders as columns. Done by any process that reaches both."""
    file, given = wanted.file, wanted.dataset.reading
    reading = reading_again(Remembered(wanted.dataset.source, FileKind.ORDERS, [], dict(given)), given["statuses"])
    pieces, about, problems, read_rows, rejected = [SCHEMA.empty_table()], [_NOBODY], list[Problem](), 0, 0
    amount = Decimal(0)
    with tempfile.TemporaryDirectory(dir=wanted.scratch) as name:
        folder = Path(name)
        packed = Packed(file.name, _fetched(Files.at(wanted.address), file, folder))
        sent = tables_of(packed, folder, wanted.limit_bytes, advance)[0]
        table = look(sent.path, sent.typed)
        try:
            reading = reading.validated(table)
        except InvalidInput as error:
            raise UnreadableFile(f"{file.name} is not like the first file. {error}", remedy=error.remedy) from None
        read = read_pieces_apart if table.row_estimate >= APART_FROM_ROWS else read_pieces

        def told(rows: int) -> None:
            advance(file.name, rows, max(rows, table.row_estimate))

        with closing(read(table, reading, wanted.currency, ZoneInfo(wanted.time_zone), told)) as found:
            for piece in found:
                read_rows, amount = read_rows + piece.read, amount + piece.rejected_amount
                rejected += len({each.row for each in piece.problems if each.rejected})
                said = (replace(each, reason=f"{each.reason} ({file.name})") for each in piece.problems)
                problems += islice(said, _PROBLEMS_MOST - len(problems))
                columns = columns_of(piece.rows)
                pieces.append(columns)
                about.append(_about(columns, piece.rows))
    orders = pa.concat_tables(pieces)
    write_staged(wanted.target, pieces)
    amount_in = Decimal(pc.sum(pc.abs(orders.column("amount"))).as_py() or 0) / MINOR_PER_UNIT
    return _Checked(read_rows, orders.num_rows, rejected, amount, amount_in, problems, pa.concat_tables(about))


def _about(columns: pa.Table, rows: Rows) -> pa.Table:
    """What rows say of their customers, without those who say nothing new."""
    said = {name: pa.array(rows.about_customer.get(name, [""] * columns.num_rows), pa.string()) for name in _ABOUT}
    table = pa.table({"customer": columns.column("customer").cast(pa.string()), **said, "day": columns.column("day")})
    keys = ["customer", *_ABOUT]
    return table.group_by(keys).aggregate([("day", "max")]).rename_columns([*keys, "day"])


_ABOUT = ("email", "name", "town")
_NOBODY = pa.schema(
    [("customer", pa.string()), *((name, pa.string()) for name in _ABOUT), ("day", pa.int32())]
).empty_table()
