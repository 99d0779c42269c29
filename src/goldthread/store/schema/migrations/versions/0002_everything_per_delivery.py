"""Customers, payments, spend and events are kept per delivery, so that each can be withdrawn"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"

EXACT = "utf8mb4_bin"
KINDS = ("orders", "lines", "customers", "payments", "spend", "events", "matches")


def upgrade() -> None:
    _deliveries()
    _customers()
    _orders()
    _entries("payments", "source_id", *_PAYMENT)
    op.create_foreign_key(None, "payments", "customer_keys", ["customer_key_id"], ["id"])
    op.create_index("ix_payments_customer_key", "payments", ["customer_key_id"])
    _entries("spend", "book_id", *_SPEND)
    _entries("events", "book_id", *_EVENT)
    op.create_table(
        "rejected_cells",
        sa.Column("delivery_id", sa.Integer(), nullable=False),
        sa.Column("file_row", sa.Integer(), autoincrement=False, nullable=False),
        sa.Column("cells", sa.JSON(), nullable=False),
        sa.ForeignKeyConstraint(["delivery_id"], ["deliveries.id"]),
        sa.PrimaryKeyConstraint("delivery_id", "file_row"),
    )


_PAYMENT = (
    sa.Column("reference", sa.String(64, collation=EXACT), nullable=False),
    sa.Column("customer_key_id", sa.BigInteger(), nullable=False),
    sa.Column("order_number", sa.String(64, collation=EXACT), nullable=False),
    sa.Column("paid_on", sa.Date(), nullable=False),
    sa.Column("amount", sa.Numeric(19, 4), nullable=False),
)
_SPEND = (
    sa.Column("month", sa.Date(), nullable=False),
    sa.Column("channel", sa.String(120), nullable=False),
    sa.Column("amount", sa.Numeric(19, 4), nullable=False),
)
_EVENT = (
    sa.Column("begins_on", sa.Date(), nullable=False),
    sa.Column("ends_on", sa.Date(), nullable=False),
    sa.Column("label", sa.String(255), nullable=False),
)


def _entries(name: str, scope: str, *columns: sa.Column) -> None:  # type: ignore[type-arg]
    op.create_table(
        name,
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("book_id", sa.Integer(), nullable=False),
        sa.Column("source_id", sa.Integer(), nullable=False),
        sa.Column("delivery_id", sa.Integer(), nullable=False),
        sa.Column("identity", sa.String(400, collation=EXACT), nullable=False),
        sa.Column("current", sa.Boolean(), nullable=False),
        *columns,
        sa.ForeignKeyConstraint(["book_id"], ["books.id"]),
        sa.ForeignKeyConstraint(["source_id"], ["sources.id"]),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint(scope, "identity", "delivery_id"),
    )
    op.create_index(f"ix_{name}_delivery_id", name, ["delivery_id"])


def _deliveries() -> None:
    op.alter_column(
        "deliveries", "kind", existing_type=sa.Enum(), type_=sa.Enum(*KINDS, name="file_kind"), nullable=False
    )
    op.alter_column(
        "deliveries",
        "fingerprint",
        existing_type=sa.String(64, collation=EXACT),
        type_=sa.String(64, collation=EXACT),
        nullable=True,
    )
    op.add_column("deliveries", sa.Column("header", sa.JSON(), nullable=False, server_default="[]"))
    op.add_column("deliveries", sa.Column("reading", sa.JSON(), nullable=False, server_default="{}"))
    op.add_column("deliveries", sa.Column("by_hand", sa.Boolean(), nullable=False, server_default=sa.text("0")))
    op.add_column("deliveries", sa.Column("withdrawn_at", sa.DateTime(), nullable=True))
    for name, default in (("first_order_id", "0"), ("last_order_id", "-1")):
        op.add_column("deliveries", sa.Column(name, sa.BigInteger(), nullable=False, server_default=sa.text(default)))
    op.execute(
        "UPDATE deliveries d JOIN (SELECT book_id, delivery_id, MIN(id) AS low, MAX(id) AS high FROM orders "
        "GROUP BY book_id, delivery_id) o ON o.delivery_id = d.id "
        "SET d.first_order_id = o.low, d.last_order_id = o.high"
    )
    op.drop_column("deliveries", "columns")
    for name in ("header", "reading", "by_hand", "first_order_id", "last_order_id"):
        op.execute(f"ALTER TABLE deliveries ALTER COLUMN {name} DROP DEFAULT")


def _customers() -> None:
    """What customers were told to be is put under the newest delivery of customers of their book."""
    op.create_table(
        "customer_records",
        sa.Column("book_id", sa.Integer(), nullable=False),
        sa.Column("delivery_id", sa.Integer(), autoincrement=False, nullable=False),
        sa.Column("file_row", sa.Integer(), autoincrement=False, nullable=False),
        sa.Column("key_id", sa.BigInteger(), nullable=False),
        sa.Column("email_key_id", sa.BigInteger(), nullable=True),
        sa.Column("name", sa.String(255), nullable=False),
        sa.Column("town", sa.String(120), nullable=False),
        sa.Column("closed", sa.Boolean(), nullable=True),
        sa.Column("do_not_contact", sa.Boolean(), nullable=True),
        sa.Column("attributes", sa.JSON(), nullable=False),
        sa.ForeignKeyConstraint(["book_id"], ["books.id"]),
        sa.PrimaryKeyConstraint("book_id", "delivery_id", "file_row"),
    )
    op.create_index("ix_customer_records_key", "customer_records", ["key_id"])
    op.create_index("ix_customer_records_email", "customer_records", ["email_key_id"])
    op.create_table(
        "matches",
        sa.Column("book_id", sa.Integer(), nullable=False),
        sa.Column("delivery_id", sa.Integer(), autoincrement=False, nullable=False),
        sa.Column("file_row", sa.Integer(), autoincrement=False, nullable=False),
        sa.Column("key_id", sa.BigInteger(), nullable=False),
        sa.Column("other_key_id", sa.BigInteger(), nullable=False),
        sa.Column("verdict", sa.Enum("one", "apart", name="verdict"), nullable=False),
        sa.ForeignKeyConstraint(["book_id"], ["books.id"]),
        sa.PrimaryKeyConstraint("book_id", "delivery_id", "file_row"),
    )
    op.create_index("ix_matches_key", "matches", ["key_id"])
    op.create_index("ix_matches_other_key", "matches", ["other_key_id"])
    op.execute(
        "INSERT INTO customer_records (book_id, delivery_id, file_row, key_id, email_key_id, name, town, attributes) "
        "SELECT c.book_id, d.id, ROW_NUMBER() OVER (PARTITION BY c.book_id ORDER BY c.id), "
        "COALESCE(n.id, c.id), e.id, c.name, '', c.attributes FROM customers c "
        "JOIN (SELECT book_id, MAX(id) AS id FROM deliveries WHERE kind = 'customers' GROUP BY book_id) d "
        "ON d.book_id = c.book_id "
        "JOIN customer_keys own ON own.id = c.id "
        "LEFT JOIN (SELECT customer_id, MIN(id) AS id FROM customer_keys WHERE kind = 'number' GROUP BY customer_id) n "
        "ON n.customer_id = c.id "
        "LEFT JOIN customer_keys e ON e.customer_id = c.id AND e.kind = 'email' AND n.id IS NOT NULL "
        "WHERE c.name <> own.value OR c.attributes <> '{}' OR e.id IS NOT NULL"
    )
    op.execute(
        "CREATE TEMPORARY TABLE roots SELECT customer_id AS was, MIN(id) AS root FROM customer_keys "
        "WHERE kind = 'number' GROUP BY customer_id HAVING MIN(id) <> customer_id"
    )
    op.execute("UPDATE customers c JOIN roots r ON c.id = r.was SET c.id = r.root")
    op.execute("UPDATE customer_keys k JOIN roots r ON k.customer_id = r.was SET k.customer_id = r.root")
    op.execute("DROP TEMPORARY TABLE roots")
    for name, kind in (("town", sa.String(120)), ("closed", sa.Boolean()), ("do_not_contact", sa.Boolean())):
        default = "" if name == "town" else sa.text("0")
        op.add_column("customers", sa.Column(name, kind, nullable=False, server_default=default))
        op.execute(f"ALTER TABLE customers ALTER COLUMN {name} DROP DEFAULT")


def _orders() -> None:
    for name in ("rep", "channel"):
        op.add_column("orders", sa.Column(name, sa.String(120), nullable=False, server_default=""))
        op.execute(f"ALTER TABLE orders ALTER COLUMN {name} DROP DEFAULT")


def downgrade() -> None:
    for name in ("rejected_cells", "payments", "spend", "events", "matches", "customer_records"):
        op.drop_table(name)
    for table, names in (
        ("orders", ("rep", "channel")),
        ("customers", ("town", "closed", "do_not_contact")),
        ("deliveries", ("header", "reading", "by_hand", "withdrawn_at", "first_order_id", "last_order_id")),
    ):
        for name in names:
            op.drop_column(table, name)
    op.execute(
        "DELETE FROM delivery_problems WHERE delivery_id IN (SELECT id FROM deliveries WHERE kind NOT IN "
        "('orders', 'lines', 'customers') OR fingerprint IS NULL)"
    )
    op.execute("DELETE FROM deliveries WHERE kind NOT IN ('orders', 'lines', 'customers') OR fingerprint IS NULL")
    op.alter_column(
        "deliveries", "kind", existing_type=sa.Enum(), type_=sa.Enum(*KINDS[:3], name="file_kind"), nullable=False
    )
    op.alter_column(
        "deliveries",
        "fingerprint",
        existing_type=sa.String(64, collation=EXACT),
        type_=sa.String(64, collation=EXACT),
        nullable=False,
    )
    op.add_column("deliveries", sa.Column("columns", sa.JSON(), nullable=False, server_default="{}"))
    op.execute("ALTER TABLE deliveries ALTER COLUMN columns DROP DEFAULT")
