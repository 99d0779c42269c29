"""Books: begin one, list them, see what one holds."""

from __future__ import annotations

import datetime as dt
import functools
import re
from dataclasses import dataclass
from zoneinfo import ZoneInfo, available_timezones

from goldthread.actions.log import Deed, put_down
from goldthread.actor import EVERY_RIGHT, Right, Role, actor
from goldthread.core.book.days import to_date
from goldthread.core.records import HIDDEN
from goldthread.errors import Conflict, InvalidInput, NotFound, TooLarge
from goldthread.intake.meanings import KeptAt
from goldthread.store import books as records
from goldthread.store import people
from goldthread.store.books import BookRow, BookState, DeliveryRow, Holdings, ProblemGroupRow, ProblemRow
from goldthread.store.datasets import DatasetRow, find_dataset, sizes_of_refreshes
from goldthread.workspace import Workspace

_CURRENCY = re.compile(r"[A-Z]{3}")
_NAME_LENGTH = 120
BOOKS_MOST = 500


@dataclass(frozen=True)
class BookSummary:
    """What a book holds. ``first_date`` and ``last_date`` are ISO, None without orders.

    ``sources`` have orders in the book; ``known_sources`` have delivered anything at all.
    """

    book: BookRow
    sources: list[str]
    known_sources: list[str]
    further: Holdings
    orders: int
    customers: int
    customers_with_orders: int
    first_date: str | None
    last_date: str | None
    in_files: InFiles | None


@dataclass(frozen=True)
class InFiles:
    """Where the orders of a book stay, how many files there are since the last refresh, and when that was;
    ``files_before`` : how many there were before it, None where it is the first."""

    address: str
    files: int
    refreshed_at: dt.datetime | None
    files_before: int | None


@dataclass(frozen=True)
class OpenedDelivery:
    """A delivery: its line in the log, the columns its file had, what they were read as and where further ones were
    kept, what was wrong."""

    row: DeliveryRow
    header: list[str]
    columns: dict[str, str]
    kept: dict[str, KeptAt]
    groups: list[ProblemGroupRow]


def add_book(
    workspace: Workspace, name: str, currency: str, time_zone: str, dataset: DatasetRow | None = None
) -> BookRow:
    """Begin a book with its currency (ISO 4217) and time zone (IANA). ``dataset`` : where its orders stay, if they do.
    Raises `InvalidInput` or `Conflict`."""
    plain = checked_name(name, "book")
    if not _CURRENCY.fullmatch(currency):
        raise InvalidInput(
            f"{currency or 'Nothing'} is not a currency code.",
            remedy="Give three capitals, such as EUR.",
            field="currency",
        )
    zone(time_zone)
    if len(list_books(workspace)) >= BOOKS_MOST:
        raise TooLarge(f"There are {BOOKS_MOST} books already.", remedy="Use one of them.", field="name")
    book = records.add_book(workspace.record.engine, plain, currency, time_zone, dataset)
    put_down(workspace, Deed.BOOK_BEGUN, book.id, book.name)
    return book


def checked_name(name: str, what: str) -> str:
    """A trimmed name of a book or source. Raises `InvalidInput`."""
    plain = plain_text(name.strip(), what)
    if not plain or len(plain) > _NAME_LENGTH:
        raise InvalidInput(
            f"The {what}'s name must have 1 to {_NAME_LENGTH} characters.", remedy="Give it a name.", field=what
        )
    return plain


def plain_text(text: str, what: str) -> str:
    """A text that is what it looks like. Raises `InvalidInput` for one with line breaks, marks that turn the direction
    of writing, or other characters that nobody sees."""
    if HIDDEN.search(text):
        raise InvalidInput(
            f"The {what}'s name holds characters that cannot be seen.", remedy="Write it again by hand.", field=what
        )
    return text


def short_name(name: str, what: str, most: int, field: str = "name") -> str:
    """A trimmed name of a thing of ours in one line. Raises `InvalidInput` naming the ``field`` it was given in."""
    called = plain_text(" ".join(name.split()), what)
    if not 1 <= len(called) <= most:
        raise InvalidInput(
            f"A name has 1 to {most} characters, not {len(called)}.", remedy="Choose another name.", field=field
        )
    return called


def zone(name: str) -> ZoneInfo:
    """A time zone by its IANA name. Raises `InvalidInput`."""
    if name not in _zone_names():
        raise InvalidInput(
            f"{name or 'Nothing'} is not a time zone.",
            remedy="Give an IANA name, such as Europe/Lisbon.",
            field="time_zone",
        )
    return ZoneInfo(name)


@functools.cache
def _zone_names() -> frozenset[str]:
    """Every IANA name; finding them means reading the whole folder of zones."""
    return frozenset(available_timezones())


def today_of(book: BookRow) -> dt.date:
    """Today in the book's time zone."""
    return dt.datetime.now(zone(book.time_zone)).date()


def find_state(workspace: Workspace, book_id: int) -> BookState:
    """A book with all that its answers depend on, in one statement. Raises `NotFound`."""
    return records.book_state(workspace.record.engine, book_id)


def list_books(workspace: Workspace) -> list[BookRow]:
    """All books, by name."""
    return records.list_books(workspace.record.engine)


def hide_people(workspace: Workspace, book: BookRow, *, hidden: bool) -> None:
    """Have readers of a book see numbers of customers in place of names and contacts, or names again."""
    records.hide_people(workspace.record.engine, book.id, hidden=hidden)
    put_down(workspace, Deed.SETTING_CHANGED, book.id, f"readers see {'numbers' if hidden else 'names'} of customers")


def list_own_books(workspace: Workspace) -> list[tuple[BookRow, Role | None, frozenset[Right]]]:
    """The books that whoever acts is a member of, by name, with the role and what they may do there; without accounts
    all of them."""
    who, found = actor(), list_books(workspace)
    if who.user is None:
        return [(book, None, EVERY_RIGHT) for book in found]
    roles = people.roles_of(workspace.record.engine, who.user)
    theirs = [book for book in found if book.id in roles and who.only_book in (None, book.id)]
    return [(book, who.only_role or roles[book.id], who.rights_in(roles[book.id])) for book in theirs]


def find_own_book(workspace: Workspace, book_id: int) -> BookRow:
    """A book that whoever acts is a member of. Raises `NotFound`."""
    for book, _, _ in list_own_books(workspace):
        if book.id == book_id:
            return book
    raise no_book()


def no_book() -> NotFound:
    """What is said of a book that is not there, or not for whoever asks."""
    return records.no_book()


def find_book(workspace: Workspace, name_or_id: str | int) -> BookRow:
    """A book by name or id. Raises `NotFound`."""
    return records.find_book(workspace.record.engine, name_or_id)


def summarise(workspace: Workspace, book: BookRow) -> BookSummary:
    """Count what a book holds, orders of every status and date included."""
    shelved = workspace.orders(book.id)
    low, high = shelved.orders.day_span
    has_orders = shelved.orders.order_count > 0
    return BookSummary(
        book=book,
        sources=list(shelved.orders.attributes["source"].labels),
        known_sources=records.source_names(workspace.record.engine, book.id),
        further=records.holdings(workspace.record.engine, book.id),
        orders=shelved.orders.order_count,
        customers=shelved.orders.customer_count,
        customers_with_orders=int(shelved.orders.ordering.size),
        first_date=to_date(low).isoformat() if has_orders else None,
        last_date=to_date(high).isoformat() if has_orders else None,
        in_files=_in_files(workspace, book) if shelved.in_files else None,
    )


def dataset_of(workspace: Workspace, book: BookRow) -> DatasetRow:
    """Where the orders of a book stay. Raises `Conflict` where they are on record."""
    found = find_dataset(workspace.record.engine, book.id)
    if found is None:
        raise Conflict(f"The orders of {book.name} are on record.", remedy="Bring in files with deliver.")
    return found


def _in_files(workspace: Workspace, book: BookRow) -> InFiles | None:
    engine = workspace.record.engine
    dataset = find_dataset(engine, book.id)
    if dataset is None:
        return None
    known = sizes_of_refreshes(engine, book.id)
    files, at = known[0] if known else (0, None)
    return InFiles(dataset.address, files, at, known[1][0] if len(known) > 1 else None)


def list_deliveries(
    workspace: Workspace, book: BookRow, offset: int = 0, limit: int | None = None
) -> list[DeliveryRow]:
    """The delivery log, newest first, or a part of it."""
    return records.list_deliveries(workspace.record.engine, book.id, offset, limit)


def delivery_count(workspace: Workspace, book: BookRow) -> int:
    """How many lines the delivery log has."""
    return records.delivery_count(workspace.record.engine, book.id)


def find_delivery(workspace: Workspace, book: BookRow, delivery_id: int) -> DeliveryRow:
    """One line of the delivery log. Raises `NotFound`."""
    return records.find_delivery(workspace.record.engine, book.id, delivery_id)


def open_delivery(workspace: Workspace, book: BookRow, delivery_id: int) -> OpenedDelivery:
    """One delivery with everything that is kept of it. Raises `NotFound`."""
    engine = workspace.record.engine
    row = records.find_delivery(engine, book.id, delivery_id)
    header, reading = records.delivery_reading(engine, delivery_id)
    kept = {name: KeptAt(each["at"]) for name, each in reading.get("further", {}).items()}
    return OpenedDelivery(row, header, reading.get("columns", {}), kept, records.problem_groups(engine, delivery_id))


def list_problems(
    workspace: Workspace, book: BookRow, delivery_id: int, offset: int, limit: int
) -> tuple[int, list[ProblemRow]]:
    """Problems of one delivery: how many, and some of them. Raises `NotFound`."""
    records.find_delivery(workspace.record.engine, book.id, delivery_id)
    return records.list_problems(workspace.record.engine, delivery_id, offset, limit)
