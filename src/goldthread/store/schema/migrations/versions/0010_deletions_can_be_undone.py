"""What is deleted stays on record a while, outside its book"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME

revision = "0010"
down_revision = "0009"

_TABLES = ("customer_lists", "saved_views")


def upgrade() -> None:
    for table in _TABLES:
        op.alter_column(table, "book_id", existing_type=sa.Integer(), nullable=True)
        op.add_column(table, sa.Column("deleted_from", sa.Integer(), nullable=True))
        op.add_column(table, sa.Column("deleted_at", DATETIME(fsp=6), nullable=True))


def downgrade() -> None:
    for part in ("list_mails", "list_changes"):
        op.execute(f"DELETE FROM {part} WHERE list_id IN (SELECT id FROM customer_lists WHERE book_id IS NULL)")
    for table in _TABLES:
        op.execute(f"DELETE FROM {table} WHERE book_id IS NULL")
        op.drop_column(table, "deleted_at")
        op.drop_column(table, "deleted_from")
        op.alter_column(table, "book_id", existing_type=sa.Integer(), nullable=False)
