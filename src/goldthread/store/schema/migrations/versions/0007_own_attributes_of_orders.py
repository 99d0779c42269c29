"""Further columns of order files become own attributes of orders, in codes"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"

_EXACT = "utf8mb4_bin"
_ATTRIBUTES = 64
_TYPE = sa.Enum("text", "number", "date", "mark", name="attribute_type")


def upgrade() -> None:
    op.create_table(
        "own_attributes",
        sa.Column("book_id", sa.Integer(), nullable=False),
        sa.Column("slot", sa.SmallInteger(), autoincrement=False, nullable=False),
        sa.Column("name", sa.String(120, collation=_EXACT), nullable=False),
        sa.Column("title", sa.String(120), nullable=False),
        sa.Column("hidden", sa.Boolean(), nullable=False),
        sa.ForeignKeyConstraint(["book_id"], ["books.id"]),
        sa.PrimaryKeyConstraint("book_id", "slot"),
        sa.UniqueConstraint("book_id", "name"),
    )
    op.create_table("own_columns", *_of_delivery(), sa.Column("type", _TYPE, nullable=False), *_keys())
    op.create_table(
        "own_values",
        *_of_delivery(),
        sa.Column("code", sa.Integer(), autoincrement=False, nullable=False),
        sa.Column("value", sa.String(255, collation=_EXACT), nullable=False),
        *_keys("code"),
    )
    op.create_table(
        "own_codes",
        sa.Column("book_id", sa.Integer(), nullable=False),
        sa.Column("order_id", sa.BigInteger(), autoincrement=False, nullable=False),
        *(sa.Column(f"own_{slot}", sa.Integer(), nullable=True) for slot in range(1, _ATTRIBUTES + 1)),
        sa.ForeignKeyConstraint(["book_id"], ["books.id"]),
        sa.PrimaryKeyConstraint("book_id", "order_id"),
    )


def _of_delivery() -> list[sa.Column[int]]:
    return [
        sa.Column("book_id", sa.Integer(), nullable=False),
        sa.Column("delivery_id", sa.Integer(), autoincrement=False, nullable=False),
        sa.Column("slot", sa.SmallInteger(), autoincrement=False, nullable=False),
    ]


def _keys(*further: str) -> list[sa.Constraint]:
    return [
        sa.ForeignKeyConstraint(["book_id"], ["books.id"]),
        sa.PrimaryKeyConstraint("book_id", "delivery_id", "slot", *further),
    ]


def downgrade() -> None:
    for table in ("own_codes", "own_values", "own_columns", "own_attributes"):
        op.drop_table(table)
