"""Customers in hand"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import LONGBLOB

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    op.create_table(
        "holds",
        sa.Column("id", sa.Integer(), autoincrement=True, nullable=False),
        sa.Column("book_id", sa.Integer(), nullable=False),
        sa.Column("words", sa.String(500), nullable=False),
        sa.Column("customer_count", sa.Integer(), nullable=False),
        sa.Column("customer_ids", LONGBLOB(), nullable=False),
        sa.Column("held_at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["book_id"], ["books.id"]),
        sa.PrimaryKeyConstraint("id"),
    )


def downgrade() -> None:
    op.drop_table("holds")
