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
    Date,
    DateTime,
    Enum,
    ForeignKey,
    Index,
    Integer,
    Numeric,
    String,
    Text,
    Time,
    UniqueConstraint,
)
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

from goldthread.core.records import FileKind, KeyKind, OrderStatus

EXACT = "utf8mb4_bin"
"""Keys are compared letter by letter; names for people follow the schema's own collation."""


def _enum(values: type[StrEnum], name: str) -> Enum:
    return Enum(values, name=name, values_callable=lambda members: [member.value for member in members])


class Base(DeclarativeBase):
    pass


class Book(Base):
    """A body of orders with one currency and one time zone."""

    __tablename__ = "books"

    id: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=True)
    name: Mapped[str] = mapped_column(String(120), unique=True)
    currency: Mapped[str] = mapped_column(String(3))
    time_zone: Mapped[str] = mapped_column(String(64))
    revision: Mapped[int] = mapped_column(BigInteger, default=0)
    next_order_id: Mapped[int] = mapped_column(BigInteger, default=1)
    created_at: Mapped[dt.datetime] = mapped_column(DateTime)


class Source(Base):
    """Where orders of a book come from: a shop, a counter, a telephone desk."""

    __tablename__ = "sources"
    __table_args__ = (UniqueConstraint("book_id", "name"),)

    id: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=True)
    book_id: Mapped[int] = mapped_column(ForeignKey("books.id"))
    name: Mapped[str] = mapped_column(String(120))


class Delivery(Base):
    """One file brought in, whole. ``fingerprint`` covers its content and how it was read."""

    __tablename__ = "deliveries"
    __table_args__ = (UniqueConstraint("source_id", "fingerprint"),)

    id: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=True)
    book_id: Mapped[int] = mapped_column(ForeignKey("books.id"))
    source_id: Mapped[int] = mapped_column(ForeignKey("sources.id"))
    kind: Mapped[FileKind] = mapped_column(_enum(FileKind, "file_kind"))
    file_name: Mapped[str] = mapped_column(String(255))
    fingerprint: Mapped[str] = mapped_column(String(64, collation=EXACT))
    columns: Mapped[dict[str, Any]] = mapped_column(JSON)
    delivered_at: Mapped[dt.datetime] = mapped_column(DateTime)
    book_revision: Mapped[int] = mapped_column(BigInteger)
    counts: Mapped[dict[str, int]] = mapped_column(JSON)


class DeliveryProblem(Base):
    """A row that did not come in, or came in with something to tell (``rejected`` false)."""

    __tablename__ = "delivery_problems"

    delivery_id: Mapped[int] = mapped_column(ForeignKey("deliveries.id"), primary_key=True)
    sequence: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    file_row: Mapped[int] = mapped_column(Integer)
    rejected: Mapped[bool] = mapped_column(Boolean)
    column_name: Mapped[str] = mapped_column(String(255))
    value: Mapped[str] = mapped_column(Text)
    reason: Mapped[str] = mapped_column(String(255))
    remedy: Mapped[str] = mapped_column(String(255))


class Customer(Base):
    """One person or firm. The id is that of the customer's first key."""

    __tablename__ = "customers"
    __table_args__ = (Index("ix_customers_book_id_name", "book_id", "name"),)

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=False)
    book_id: Mapped[int] = mapped_column(ForeignKey("books.id"))
    name: Mapped[str] = mapped_column(String(255))
    attributes: Mapped[dict[str, str]] = mapped_column(JSON)


class CustomerKey(Base):
    """A number or a normalised e-mail under which a customer is known. Orders name a key, so that two keys found
    to be one customer are joined without touching an order."""

    __tablename__ = "customer_keys"
    __table_args__ = (UniqueConstraint("book_id", "kind", "value"), Index("ix_customer_keys_customer", "customer_id"))

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=True)
    book_id: Mapped[int] = mapped_column(ForeignKey("books.id"))
    kind: Mapped[KeyKind] = mapped_column(_enum(KeyKind, "key_kind"))
    value: Mapped[str] = mapped_column(String(191, collation=EXACT))
    customer_id: Mapped[int] = mapped_column(BigInteger)


class Order(Base):
    """One order as one delivery tells it. The version with ``current`` is the one that is read.

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
    status: Mapped[OrderStatus] = mapped_column(_enum(OrderStatus, "order_status"))
    from_lines: Mapped[bool] = mapped_column(Boolean)
    current: Mapped[bool] = mapped_column(Boolean)


class OrderLine(Base):
    """One line of an order, as the delivery that brought it told it."""

    __tablename__ = "order_lines"

    book_id: Mapped[int] = mapped_column(ForeignKey("books.id"), primary_key=True)
    order_id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=False)
    sequence: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    line_number: Mapped[str] = mapped_column(String(32))
    product: Mapped[str] = mapped_column(String(255))
    category: Mapped[str] = mapped_column(String(120))
    quantity: Mapped[Decimal | None] = mapped_column(Numeric(19, 4))
    amount: Mapped[Decimal] = mapped_column(Numeric(19, 4))
