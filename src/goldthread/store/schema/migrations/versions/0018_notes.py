"""People write notes about customers, deliveries, lists, cohorts, their cells, and periods"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME

revision = "0018"
down_revision = "0017"
_MOMENT = DATETIME(fsp=6)
_ABOUT = ("customer", "delivery", "list", "cohort", "cell", "period")


def upgrade() -> None:
    op.create_table(
        "notes",
        sa.Column("id", sa.Integer(), primary_key=True, autoincrement=True),
        sa.Column("book_id", sa.Integer(), sa.ForeignKey("books.id"), nullable=False),
        sa.Column("made_by", sa.String(120, collation="utf8mb4_unicode_ci"), nullable=False, server_default=""),
        sa.Column("about", sa.Enum(*_ABOUT, name="note_on"), nullable=False),
        sa.Column("customer_key_id", sa.BigInteger(), sa.ForeignKey("customer_keys.id"), nullable=True),
        sa.Column("delivery_id", sa.Integer(), sa.ForeignKey("deliveries.id"), nullable=True),
        sa.Column("list_id", sa.Integer(), sa.ForeignKey("customer_lists.id", ondelete="CASCADE"), nullable=True),
        sa.Column("label", sa.String(20, collation="utf8mb4_bin"), nullable=False, server_default=""),
        sa.Column("age", sa.SmallInteger(), nullable=True),
        sa.Column("text", sa.String(4000), nullable=False),
        sa.Column("shared", sa.Boolean(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False, server_default=sa.text("1")),
        sa.Column("made_at", _MOMENT, nullable=False),
        sa.Column("edited_at", _MOMENT, nullable=True),
    )
    op.create_index("ix_notes_book", "notes", ["book_id", "about", "label"])


def downgrade() -> None:
    op.drop_table("notes")
