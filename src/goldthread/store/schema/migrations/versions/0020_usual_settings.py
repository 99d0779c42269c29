"""A book has usual settings, and keeps who said them when"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME

revision = "0020"
down_revision = "0019"
_AS_PEOPLE_READ = "utf8mb4_unicode_ci"


def upgrade() -> None:
    op.add_column("books", sa.Column("usual", sa.String(6000), nullable=False, server_default=""))
    op.create_table(
        "usual_changes",
        sa.Column("id", sa.Integer(), primary_key=True, autoincrement=True),
        sa.Column("book_id", sa.Integer(), sa.ForeignKey("books.id"), nullable=False),
        sa.Column("made_by", sa.String(120, collation=_AS_PEOPLE_READ), nullable=False, server_default=""),
        sa.Column("said", sa.JSON(), nullable=False),
        sa.Column("made_at", DATETIME(fsp=6), nullable=False),
    )
    op.create_index("ix_usual_changes_book", "usual_changes", ["book_id", "id"])


def downgrade() -> None:
    op.drop_table("usual_changes")
    op.drop_column("books", "usual")
