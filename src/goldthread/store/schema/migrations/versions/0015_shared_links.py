"""One view can be shown to somebody outside, by a link"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME, MEDIUMTEXT

revision = "0015"
down_revision = "0014"


def upgrade() -> None:
    op.create_table(
        "shared_links",
        sa.Column("id", sa.Integer(), primary_key=True, autoincrement=True),
        sa.Column("book_id", sa.Integer(), sa.ForeignKey("books.id"), nullable=False),
        sa.Column("user_id", sa.Integer(), sa.ForeignKey("users.id"), nullable=True),
        sa.Column("hash", sa.String(64, collation="utf8mb4_bin"), nullable=False),
        sa.Column("passphrase", sa.String(191, collation="utf8mb4_bin"), nullable=False),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("stop", sa.String(20), nullable=False),
        sa.Column("query", sa.Text(), nullable=False),
        sa.Column("opens_figures", sa.Boolean(), nullable=False),
        sa.Column("shows_people", sa.Boolean(), nullable=False),
        sa.Column("frozen", MEDIUMTEXT(), nullable=True),
        sa.Column("made_at", DATETIME(fsp=6), nullable=False),
        sa.Column("ends_at", DATETIME(fsp=6), nullable=False),
        sa.Column("opened", sa.Integer(), nullable=False),
        sa.Column("opened_at", DATETIME(fsp=6), nullable=True),
    )
    op.create_index("ix_shared_links_book", "shared_links", ["book_id"])


def downgrade() -> None:
    op.drop_table("shared_links")
