"""The tables. Alembic's migrations are the authority; a test holds the two against each other."""

from __future__ import annotations

import datetime as dt
from decimal import Decimal
from enum import StrEnum
from typing import Any

from sqlalchemy import (
    JSON,
    BigInteger,
    Boolean,
    Column,
    Date,
    DateTime,
    Enum,
    ForeignKey,
    Index,
    Integer,
    Numeric,
    SmallInteger,
    String,
    Table,
    Text,
    Time,
    UniqueConstraint,
    text,
)
from sqlalchemy.dialects.mysql import DATETIME, LONGBLOB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

from goldthread.actor import actor
from goldthread.core.choices import JobState, Lane, MailState, WorkField
from goldthread.core.limits import ATTRIBUTE_LENGTH, ATTRIBUTE_NAME_LENGTH, ATTRIBUTES_MOST
from goldthread.core.records import AttributeType, FileKind, KeyKind, OrderStatus, Verdict

EXACT = "utf8mb4_bin"
USUAL_LENGTH = 6_000
"""Characters of the usual settings of a book: room for a gross margin by month, and the others."""
"""Keys are compared letter by letter; names for people follow the schema's own collation."""
AS_PEOPLE_READ = "utf8mb4_unicode_ci"
"""Names that differ in case or accents are one."""

TOUCHED_MOST = 1_000_000
"""So many customers that a revision touched are kept with it."""


def enum_of(values: type[StrEnum], name: str) -> Enum:
    return Enum(values, name=name, values_callable=lambda members: [member.value for member in members])


class Base(DeclarativeBase):
    pass


class Authored:
    """Whose account made it; blank where nobody has one, and for what a command made."""

    made_by: Mapped[str] = mapped_column(
        String(120, collation=AS_PEOPLE_READ), default=lambda: actor().name, server_default=""
    )


class Book(Base):
    """A body of orders with one currency and one time zone.

    ``amount_bound``: the absolute amounts of its orders and payments, all versions, add up to no more. It grows with
    every delivery, and is worked out anew when it comes near the limit. ``hides_people``: whoever only reads it sees
    numbers of customers in place of names and contacts. ``usual``: its usual settings, a JSON object. ``rounds``
    grows with every change of these, and of what it does by itself.
    """

    __tablename__ = "books"

    id: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=True)
    name: Mapped[str] = mapped_column(String(120), unique=True)
    currency: Mapped[str] = mapped_column(String(3))
    time_zone: Mapped[str] = mapped_column(String(64))
    revision: Mapped[int] = mapped_column(BigInteger, default=0)
    next_order_id: Mapped[int] = mapped_column(BigInteger, default=1)
    created_at: Mapped[dt.datetime] = mapped_column(DateTime)
    amount_bound: Mapped[Decimal] = mapped_column(Numeric(19, 4), default=0, server_default="0")
    hides_people: Mapped[bool] = mapped_column(Boolean, default=False, server_default=text("0"))
    rounds: Mapped[int] = mapped_column(Integer, default=0, server_default=text("0"))
    usual: Mapped[str] = mapped_column(String(USUAL_LENGTH), default="", server_default="")


class Revision(Base):
    """A revision that a book was at, with a stamp drawn at random: a number comes back when a copy is restored.

    ``touched``: the ids of the customers whom the change to it touched, as they were before it or after it; 64-bit
    whole numbers, least significant byte first. NULL where that is not known, or there are too many.
    """

    __tablename__ = "revisions"

    book_id: Mapped[int] = mapped_column(ForeignKey("books.id"), primary_key=True)
    number: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=False)
    stamp: Mapped[str] = mapped_column(String(32, collation=EXACT))
    touched: Mapped[bytes | None] = mapped_column(LONGBLOB)


class Source(Base):
    """Where orders of a book come from: a shop, a counter, a telephone desk."""

    __tablename__ = "sources"
    __table_args__ = (UniqueConstraint("book_id", "name"),)

    id: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=True)
    book_id: Mapped[int] = mapped_column(ForeignKey("books.id"))
    name: Mapped[str] = mapped_column(String(120))


class Delivery(Authored, Base):
    """One file imported, whole, or one change made by hand.

    ``fingerprint`` covers the content and how it was read. ``reading`` and ``header`` say how, for the next file of the
    source. The orders of a delivery have the ids from ``first_order_id`` to ``last_order_id``. A delivery that was
    withdrawn keeps its line in the log, and none of its records.
    """

    __tablename__ = "deliveries"
    __table_args__ = (UniqueConstraint("source_id", "fingerprint"),)

    id: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=True)
    book_id: Mapped[int] = mapped_column(ForeignKey("books.id"))
    source_id: Mapped[int] = mapped_column(ForeignKey("sources.id"))
    kind: Mapped[FileKind] = mapped_column(enum_of(FileKind, "file_kind"))
    file_name: Mapped[str] = mapped_column(String(255))
    fingerprint: Mapped[str | None] = mapped_column(String(64, collation=EXACT))
    header: Mapped[list[str]] = mapped_column(JSON)
    reading: Mapped[dict[str, Any]] = mapped_column(JSON)
    by_hand: Mapped[bool] = mapped_column(Boolean)
    delivered_at: Mapped[dt.datetime] = mapped_column(DateTime)
    withdrawn_at: Mapped[dt.datetime | None] = mapped_column(DateTime)
    book_revision: Mapped[int] = mapped_column(BigInteger)
    first_order_id: Mapped[int] = mapped_column(BigInteger)
    last_order_id: Mapped[int] = mapped_column(BigInteger)
    counts: Mapped[dict[str, int]] = mapped_column(JSON)


class DeliveryProblem(Base):
    """What is wrong with a row that was rejected, or was imported with a warning (``rejected`` false)."""

    __tablename__ = "delivery_problems"

    delivery_id: Mapped[int] = mapped_column(ForeignKey("deliveries.id"), primary_key=True)
    sequence: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    file_row: Mapped[int] = mapped_column(Integer)
    rejected: Mapped[bool] = mapped_column(Boolean)
    column_name: Mapped[str] = mapped_column(String(255))
    value: Mapped[str] = mapped_column(Text)
    reason: Mapped[str] = mapped_column(String(255))
    remedy: Mapped[str] = mapped_column(String(255))


class RejectedCells(Base):
    """A rejected row as it stands in the file, so that it can be taken out, corrected and imported again."""

    __tablename__ = "rejected_cells"

    delivery_id: Mapped[int] = mapped_column(ForeignKey("deliveries.id"), primary_key=True)
    file_row: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    cells: Mapped[list[str]] = mapped_column(JSON)


class Customer(Base):
    """One person or firm, worked out from keys, records and matches (`goldthread.store.write.identity`).

    The id is that of the key that stands for the customer.
    """

    __tablename__ = "customers"
    __table_args__ = (Index("ix_customers_book_id_name", "book_id", "name"),)

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=False)
    book_id: Mapped[int] = mapped_column(ForeignKey("books.id"))
    name: Mapped[str] = mapped_column(String(255))
    town: Mapped[str] = mapped_column(String(120))
    closed: Mapped[bool] = mapped_column(Boolean)
    do_not_contact: Mapped[bool] = mapped_column(Boolean)
    attributes: Mapped[dict[str, str]] = mapped_column(JSON)


class CustomerRecord(Base):
    """What one delivery says of a customer. ``email_key_id`` is set where a record with a number claims an e-mail."""

    __tablename__ = "customer_records"
    __table_args__ = (
        Index("ix_customer_records_key", "key_id"),
        Index("ix_customer_records_email", "email_key_id"),
    )

    book_id: Mapped[int] = mapped_column(ForeignKey("books.id"), primary_key=True)
    delivery_id: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    file_row: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    key_id: Mapped[int] = mapped_column(BigInteger)
    email_key_id: Mapped[int | None] = mapped_column(BigInteger)
    name: Mapped[str] = mapped_column(String(255))
    town: Mapped[str] = mapped_column(String(120))
    closed: Mapped[bool | None] = mapped_column(Boolean)
    do_not_contact: Mapped[bool | None] = mapped_column(Boolean)
    attributes: Mapped[dict[str, str]] = mapped_column(JSON)


class Match(Base):
    """Somebody's word that two keys are one customer, or two. The newest word on a pair stands."""

    __tablename__ = "matches"
    __table_args__ = (Index("ix_matches_key", "key_id"), Index("ix_matches_other_key", "other_key_id"))

    book_id: Mapped[int] = mapped_column(ForeignKey("books.id"), primary_key=True)
    delivery_id: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    file_row: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    key_id: Mapped[int] = mapped_column(BigInteger)
    other_key_id: Mapped[int] = mapped_column(BigInteger)
    verdict: Mapped[Verdict] = mapped_column(enum_of(Verdict, "verdict"))


class CustomerKey(Base):
    """A number or a normalised e-mail under which a customer is known. Orders name a key, so that two keys found
    to be one customer are joined without touching an order."""

    __tablename__ = "customer_keys"
    __table_args__ = (UniqueConstraint("book_id", "kind", "value"), Index("ix_customer_keys_customer", "customer_id"))

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=True)
    book_id: Mapped[int] = mapped_column(ForeignKey("books.id"))
    kind: Mapped[KeyKind] = mapped_column(enum_of(KeyKind, "key_kind"))
    value: Mapped[str] = mapped_column(String(191, collation=EXACT))
    customer_id: Mapped[int] = mapped_column(BigInteger)


class Erased(Base):
    """A key of a person who was erased, as a keyed hash: what a later delivery says of it is left out."""

    __tablename__ = "erased"

    book_id: Mapped[int] = mapped_column(ForeignKey("books.id"), primary_key=True)
    digest: Mapped[str] = mapped_column(String(64, collation=EXACT), primary_key=True)
    key_id: Mapped[int] = mapped_column(BigInteger)


class Order(Base):
    """One order as one delivery gives it. The version with ``current`` is the one that is read.

    Ids are given out per book in the sequence of delivery, so the orders of a book lie together on disk.
    """

    __tablename__ = "orders"
    __table_args__ = (
        UniqueConstraint("source_id", "order_number", "delivery_id"),
        Index("ix_orders_customer_key", "customer_key_id"),
    )

    book_id: Mapped[int] = mapped_column(ForeignKey("books.id"), primary_key=True)
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=False)
    source_id: Mapped[int] = mapped_column(ForeignKey("sources.id"))
    delivery_id: Mapped[int] = mapped_column(Integer)
    order_number: Mapped[str] = mapped_column(String(64, collation=EXACT))
    customer_key_id: Mapped[int] = mapped_column(ForeignKey("customer_keys.id"))
    ordered_on: Mapped[dt.date] = mapped_column(Date)
    ordered_at: Mapped[dt.time | None] = mapped_column(Time)
    amount: Mapped[Decimal] = mapped_column(Numeric(19, 4))
    status: Mapped[OrderStatus] = mapped_column(enum_of(OrderStatus, "order_status"))
    rep: Mapped[str] = mapped_column(String(120))
    channel: Mapped[str] = mapped_column(String(120))
    from_lines: Mapped[bool] = mapped_column(Boolean)
    current: Mapped[bool] = mapped_column(Boolean)


class OrderLine(Base):
    """One line of an order, as the delivery that it came with gives it."""

    __tablename__ = "order_lines"

    book_id: Mapped[int] = mapped_column(ForeignKey("books.id"), primary_key=True)
    order_id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=False)
    sequence: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    line_number: Mapped[str] = mapped_column(String(32))
    product: Mapped[str] = mapped_column(String(255))
    category: Mapped[str] = mapped_column(String(120))
    quantity: Mapped[Decimal | None] = mapped_column(Numeric(19, 4))
    amount: Mapped[Decimal] = mapped_column(Numeric(19, 4))


class OwnAttribute(Base):
    """A further column that orders of a book have. ``name`` is the column's, ``title`` what people call it.

    Its codes stand in the column ``own_<slot>`` of `OwnCodes`. It is there while a delivery gives it (`OwnColumn`).
    """

    __tablename__ = "own_attributes"
    __table_args__ = (UniqueConstraint("book_id", "name"),)

    book_id: Mapped[int] = mapped_column(ForeignKey("books.id"), primary_key=True)
    slot: Mapped[int] = mapped_column(SmallInteger, primary_key=True, autoincrement=False)
    name: Mapped[str] = mapped_column(String(ATTRIBUTE_NAME_LENGTH, collation=EXACT))
    title: Mapped[str] = mapped_column(String(ATTRIBUTE_NAME_LENGTH))
    hidden: Mapped[bool] = mapped_column(Boolean)


class OwnColumn(Base):
    """An own attribute in one delivery, and what its values are there."""

    __tablename__ = "own_columns"

    book_id: Mapped[int] = mapped_column(ForeignKey("books.id"), primary_key=True)
    delivery_id: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    slot: Mapped[int] = mapped_column(SmallInteger, primary_key=True, autoincrement=False)
    type: Mapped[AttributeType] = mapped_column(enum_of(AttributeType, "attribute_type"))


class OwnValue(Base):
    """A value of an own attribute, by the code that stands for it in the orders of one delivery."""

    __tablename__ = "own_values"

    book_id: Mapped[int] = mapped_column(ForeignKey("books.id"), primary_key=True)
    delivery_id: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    slot: Mapped[int] = mapped_column(SmallInteger, primary_key=True, autoincrement=False)
    code: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    value: Mapped[str] = mapped_column(String(ATTRIBUTE_LENGTH, collation=EXACT))


class OwnCodes(Base):
    """The own attributes of an order as codes, one column each: ``own_1`` ...; NULL where the order has none."""

    __table__ = Table(
        "own_codes",
        Base.metadata,
        Column("book_id", ForeignKey("books.id"), primary_key=True),
        Column("order_id", BigInteger, primary_key=True, autoincrement=False),
        *(Column(f"own_{slot}", Integer, nullable=True) for slot in range(1, ATTRIBUTES_MOST + 1)),
    )


class _Entry:
    """Columns of every record that is kept by an identity of its own: the version with ``current`` is read."""

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=True)
    book_id: Mapped[int] = mapped_column(ForeignKey("books.id"))
    source_id: Mapped[int] = mapped_column(ForeignKey("sources.id"))
    delivery_id: Mapped[int] = mapped_column(Integer, index=True)
    identity: Mapped[str] = mapped_column(String(400, collation=EXACT))
    current: Mapped[bool] = mapped_column(Boolean)


class Payment(_Entry, Base):
    """A payment, by its own reference, else by customer, date, amount and its place among those alike."""

    __tablename__ = "payments"
    __table_args__ = (
        UniqueConstraint("source_id", "identity", "delivery_id"),
        Index("ix_payments_customer_key", "customer_key_id"),
    )

    reference: Mapped[str] = mapped_column(String(64, collation=EXACT))
    customer_key_id: Mapped[int] = mapped_column(ForeignKey("customer_keys.id"))
    order_number: Mapped[str] = mapped_column(String(64, collation=EXACT))
    paid_on: Mapped[dt.date] = mapped_column(Date)
    amount: Mapped[Decimal] = mapped_column(Numeric(19, 4))


class SpendEntry(_Entry, Base):
    """What was spent in a month to win customers through a channel. ``month`` is its first day."""

    __tablename__ = "spend"
    __table_args__ = (UniqueConstraint("book_id", "identity", "delivery_id"),)

    month: Mapped[dt.date] = mapped_column(Date)
    channel: Mapped[str] = mapped_column(String(120))
    amount: Mapped[Decimal] = mapped_column(Numeric(19, 4))


class Event(_Entry, Base):
    """A campaign, a price change, a stock-out: something that explains a spike. Both dates are inside."""

    __tablename__ = "events"
    __table_args__ = (UniqueConstraint("book_id", "identity", "delivery_id"),)

    begins_on: Mapped[dt.date] = mapped_column(Date)
    ends_on: Mapped[dt.date] = mapped_column(Date)
    label: Mapped[str] = mapped_column(String(255))


class _Deletable(Authored):
    """Columns of what people make in a book: theirs alone until it is ``shared``. It can be deleted and brought back:
    out of its book, and when (UTC)."""

    shared: Mapped[bool] = mapped_column(Boolean, default=lambda: actor().user is None, server_default=text("1"))
    book_id: Mapped[int | None] = mapped_column(ForeignKey("books.id"))
    deleted_from: Mapped[int | None] = mapped_column(Integer)
    deleted_at: Mapped[dt.datetime | None] = mapped_column(DATETIME(fsp=6))


class CustomerList(_Deletable, Base):
    """A named, frozen set of customers, and what made it: who they were, how the book was read, the question.

    ``customer_ids`` are 64-bit whole numbers, least significant byte first. ``changes``: the number of the last change
    that was put down of a member.
    """

    __tablename__ = "customer_lists"
    __table_args__ = (UniqueConstraint("book_id", "name"),)

    id: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=True)
    name: Mapped[str] = mapped_column(String(120, collation=EXACT))
    rule: Mapped[str] = mapped_column(String(500))
    reading: Mapped[str] = mapped_column(String(1000))
    question: Mapped[str] = mapped_column(String(40))
    query: Mapped[str] = mapped_column(Text)
    as_of: Mapped[dt.date] = mapped_column(Date)
    customer_count: Mapped[int] = mapped_column(Integer)
    customer_ids: Mapped[bytes] = mapped_column(LONGBLOB)
    made_at: Mapped[dt.datetime] = mapped_column(DateTime)
    changes: Mapped[int] = mapped_column(Integer, default=0, server_default="0")


class ListChange(Base):
    """One field of one member of a list, as somebody put it down: the last one of each field stands.

    ``action`` is the number of the first change of what was done at once, ``undoes`` that of the action that it took
    back. The number of the last change of a list stands with the list.
    """

    __tablename__ = "list_changes"
    __table_args__ = (
        Index("ix_list_changes_newest", "list_id", "customer_id", "field", "number"),
        Index("ix_list_changes_customer", "customer_id"),
    )

    list_id: Mapped[int] = mapped_column(ForeignKey("customer_lists.id"), primary_key=True)
    number: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    action: Mapped[int] = mapped_column(Integer)
    undoes: Mapped[int | None] = mapped_column(Integer)
    customer_id: Mapped[int] = mapped_column(BigInteger)
    field: Mapped[WorkField] = mapped_column(enum_of(WorkField, "work_field"))
    value: Mapped[str] = mapped_column(String(2000))
    made_by: Mapped[str] = mapped_column(String(120))
    made_at: Mapped[dt.datetime] = mapped_column(DateTime)


class ListMail(Base):
    """The message to one member of a list: one for each customer and each address, ever."""

    __tablename__ = "list_mails"
    __table_args__ = (UniqueConstraint("list_id", "email"),)

    list_id: Mapped[int] = mapped_column(ForeignKey("customer_lists.id"), primary_key=True)
    customer_id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=False)
    email: Mapped[str] = mapped_column(String(191, collation=EXACT))
    message_id: Mapped[str] = mapped_column(String(191))
    state: Mapped[MailState] = mapped_column(enum_of(MailState, "mail_state"))
    problem: Mapped[str] = mapped_column(String(500))
    sent_by: Mapped[str] = mapped_column(String(120))
    attempted_at: Mapped[dt.datetime] = mapped_column(DateTime)


class SavedView(_Deletable, Base):
    """One version of a saved view: the stop, its address query, and the question in words."""

    __tablename__ = "saved_views"
    __table_args__ = (UniqueConstraint("book_id", "name", "version"),)

    id: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=True)
    name: Mapped[str] = mapped_column(String(120, collation=EXACT))
    version: Mapped[int] = mapped_column(Integer)
    stop: Mapped[str] = mapped_column(String(20))
    query: Mapped[str] = mapped_column(Text)
    words: Mapped[str] = mapped_column(String(1000))
    saved_at: Mapped[dt.datetime] = mapped_column(DateTime)


class Job(Base):
    """A piece of work that takes longer than a request; a worker takes it up, and anybody may ask how far it is.

    ``worker`` is the process that does it, ``beat_at`` when that last said so. Times are the database's own. ``told``
    is what came of it, ``file`` the name of the file that it made. One that is ``attended`` ends when nobody asks about
    it any more.
    """

    __tablename__ = "jobs"
    __table_args__ = (Index("ix_jobs_waiting", "state", "lane", "created_at"),)

    id: Mapped[str] = mapped_column(String(32, collation=EXACT), primary_key=True)
    kind: Mapped[str] = mapped_column(String(40, collation=EXACT))
    lane: Mapped[Lane] = mapped_column(enum_of(Lane, "lane"))
    arguments: Mapped[dict[str, Any]] = mapped_column(JSON)
    attended: Mapped[bool] = mapped_column(Boolean)
    state: Mapped[JobState] = mapped_column(enum_of(JobState, "job_state"))
    stop_wanted: Mapped[bool] = mapped_column(Boolean)
    tries: Mapped[int] = mapped_column(SmallInteger)
    worker: Mapped[str] = mapped_column(String(191, collation=EXACT))
    phase: Mapped[str] = mapped_column(String(191))
    done: Mapped[int] = mapped_column(BigInteger)
    total: Mapped[int] = mapped_column(BigInteger)
    told: Mapped[dict[str, Any] | None] = mapped_column(JSON)
    file: Mapped[str] = mapped_column(String(191, collation=EXACT))
    content_type: Mapped[str] = mapped_column(String(191))
    created_at: Mapped[dt.datetime] = mapped_column(DATETIME(fsp=6))
    phase_at: Mapped[dt.datetime] = mapped_column(DATETIME(fsp=6))
    beat_at: Mapped[dt.datetime] = mapped_column(DATETIME(fsp=6))
    asked_at: Mapped[dt.datetime] = mapped_column(DATETIME(fsp=6))
    ended_at: Mapped[dt.datetime | None] = mapped_column(DATETIME(fsp=6))


class Dataset(Base):
    """A book whose orders stay in files of their own: where these are, from which source, and how they are read."""

    __tablename__ = "datasets"

    book_id: Mapped[int] = mapped_column(ForeignKey("books.id"), primary_key=True)
    address: Mapped[str] = mapped_column(String(1000, collation=EXACT))
    source: Mapped[str] = mapped_column(String(120))
    reading: Mapped[dict[str, Any]] = mapped_column(JSON)


class DatasetFile(Base):
    """A file that such a book has since one of its refreshes, known by name, size and tag (when it was written)."""

    __tablename__ = "dataset_files"

    delivery_id: Mapped[int] = mapped_column(ForeignKey("deliveries.id"), primary_key=True)
    sequence: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    name: Mapped[str] = mapped_column(String(1000, collation=EXACT))
    size: Mapped[int] = mapped_column(BigInteger)
    tag: Mapped[str] = mapped_column(String(64, collation=EXACT))


class Installation(Base):
    """Whose record a database holds that we have not started ourselves; one row at most."""

    __tablename__ = "installation"

    place: Mapped[int] = mapped_column(SmallInteger, primary_key=True, autoincrement=False)
    id: Mapped[str] = mapped_column(String(32, collation=EXACT))
