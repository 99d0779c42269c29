"""The orders of a book can stay in files of their own"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"
_EXACT = "utf8mb4_bin"


def upgrade() -> None:
    op.create_table(
        "datasets",
        sa.Column("book_id", sa.Integer(), sa.ForeignKey("books.id"), primary_key=True),
        sa.Column("address", sa.String(1000, collation=_EXACT), nullable=False),
        sa.Column("source", sa.String(120), nullable=False),
        sa.Column("reading", sa.JSON(), nullable=False),
    )
    op.create_table(
        "dataset_files",
        sa.Column("delivery_id", sa.Integer(), sa.ForeignKey("deliveries.id"), primary_key=True),
        sa.Column("sequence", sa.Integer(), primary_key=True, autoincrement=False),
        sa.Column("name", sa.String(1000, collation=_EXACT), nullable=False),
        sa.Column("size", sa.BigInteger(), nullable=False),
        sa.Column("tag", sa.String(64, collation=_EXACT), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("dataset_files")
    op.drop_table("datasets")
