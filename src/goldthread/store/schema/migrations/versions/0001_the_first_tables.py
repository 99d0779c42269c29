"""The first tables"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None


def upgrade() -> None:

    op.create_table(
        "books",
        sa.Column("id", sa.Integer(), autoincrement=True, nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("currency", sa.String(length=3), nullable=False),
        sa.Column("time_zone", sa.String(length=64), nullable=False),
        sa.Column("revision", sa.BigInteger(), nullable=False),
        sa.Column("next_order_id", sa.BigInteger(), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("name"),
    )
    op.create_table(
        "customer_keys",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("book_id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.Enum("number", "email", name="key_kind"), nullable=False),
        sa.Column("value", sa.String(length=191, collation="utf8mb4_bin"), nullable=False),
        sa.Column("customer_id", sa.BigInteger(), nullable=False),
        sa.ForeignKeyConstraint(
            ["book_id"],
            ["books.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("book_id", "kind", "value"),
    )
    op.create_index("ix_customer_keys_customer", "customer_keys", ["customer_id"], unique=False)
    op.create_table(
        "customers",
        sa.Column("id", sa.BigInteger(), autoincrement=False, nullable=False),
        sa.Column("book_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=255), nullable=False),
        sa.Column("attributes", sa.JSON(), nullable=False),
        sa.ForeignKeyConstraint(
            ["book_id"],
            ["books.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_customers_book_id_name", "customers", ["book_id", "name"], unique=False)
    op.create_table(
        "order_lines",
        sa.Column("book_id", sa.Integer(), nullable=False),
        sa.Column("order_id", sa.BigInteger(), autoincrement=False, nullable=False),
        sa.Column("sequence", sa.Integer(), autoincrement=False, nullable=False),
        sa.Column("line_number", sa.String(length=32), nullable=False),
        sa.Column("product", sa.String(length=255), nullable=False),
        sa.Column("category", sa.String(length=120), nullable=False),
        sa.Column("quantity", sa.Numeric(precision=19, scale=4), nullable=True),
        sa.Column("amount", sa.Numeric(precision=19, scale=4), nullable=False),
        sa.ForeignKeyConstraint(
            ["book_id"],
            ["books.id"],
        ),
        sa.PrimaryKeyConstraint("book_id", "order_id", "sequence"),
    )
    op.create_table(
        "sources",
        sa.Column("id", sa.Integer(), autoincrement=True, nullable=False),
        sa.Column("book_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.ForeignKeyConstraint(
            ["book_id"],
            ["books.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("book_id", "name"),
    )
    op.create_table(
        "deliveries",
        sa.Column("id", sa.Integer(), autoincrement=True, nullable=False),
        sa.Column("book_id", sa.Integer(), nullable=False),
        sa.Column("source_id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.Enum("orders", "lines", "customers", name="file_kind"), nullable=False),
        sa.Column("file_name", sa.String(length=255), nullable=False),
        sa.Column("fingerprint", sa.String(length=64, collation="utf8mb4_bin"), nullable=False),
        sa.Column("columns", sa.JSON(), nullable=False),
        sa.Column("delivered_at", sa.DateTime(), nullable=False),
        sa.Column("book_revision", sa.BigInteger(), nullable=False),
        sa.Column("counts", sa.JSON(), nullable=False),
        sa.ForeignKeyConstraint(
            ["book_id"],
            ["books.id"],
        ),
        sa.ForeignKeyConstraint(
            ["source_id"],
            ["sources.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("source_id", "fingerprint"),
    )
    op.create_table(
        "orders",
        sa.Column("book_id", sa.Integer(), nullable=False),
        sa.Column("id", sa.BigInteger(), autoincrement=False, nullable=False),
        sa.Column("source_id", sa.Integer(), nullable=False),
        sa.Column("delivery_id", sa.Integer(), nullable=False),
        sa.Column("order_number", sa.String(length=64, collation="utf8mb4_bin"), nullable=False),
        sa.Column("customer_key_id", sa.BigInteger(), nullable=False),
        sa.Column("ordered_on", sa.Date(), nullable=False),
        sa.Column("ordered_at", sa.Time(), nullable=True),
        sa.Column("amount", sa.Numeric(precision=19, scale=4), nullable=False),
        sa.Column("status", sa.Enum("open", "paid", "cancelled", "refunded", name="order_status"), nullable=False),
        sa.Column("from_lines", sa.Boolean(), nullable=False),
        sa.Column("current", sa.Boolean(), nullable=False),
        sa.ForeignKeyConstraint(
            ["book_id"],
            ["books.id"],
        ),
        sa.ForeignKeyConstraint(
            ["customer_key_id"],
            ["customer_keys.id"],
        ),
        sa.ForeignKeyConstraint(
            ["source_id"],
            ["sources.id"],
        ),
        sa.PrimaryKeyConstraint("book_id", "id"),
        sa.UniqueConstraint("source_id", "order_number", "delivery_id"),
    )
    op.create_index("ix_orders_customer_key", "orders", ["customer_key_id"], unique=False)
    op.create_table(
        "delivery_problems",
        sa.Column("delivery_id", sa.Integer(), nullable=False),
        sa.Column("sequence", sa.Integer(), autoincrement=False, nullable=False),
        sa.Column("file_row", sa.Integer(), nullable=False),
        sa.Column("rejected", sa.Boolean(), nullable=False),
        sa.Column("column_name", sa.String(length=255), nullable=False),
        sa.Column("value", sa.Text(), nullable=False),
        sa.Column("reason", sa.String(length=255), nullable=False),
        sa.Column("remedy", sa.String(length=255), nullable=False),
        sa.ForeignKeyConstraint(
            ["delivery_id"],
            ["deliveries.id"],
        ),
        sa.PrimaryKeyConstraint("delivery_id", "sequence"),
    )


def downgrade() -> None:

    op.drop_table("delivery_problems")
    op.drop_index("ix_orders_customer_key", table_name="orders")
    op.drop_table("orders")
    op.drop_table("deliveries")
    op.drop_table("sources")
    op.drop_table("order_lines")
    op.drop_index("ix_customers_book_id_name", table_name="customers")
    op.drop_table("customers")
    op.drop_index("ix_customer_keys_customer", table_name="customer_keys")
    op.drop_table("customer_keys")
    op.drop_table("books")
