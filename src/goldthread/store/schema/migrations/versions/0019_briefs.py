"""People write briefs: findings with their own words, pinned from any view"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME

revision = "0019"
down_revision = "0018"
_MOMENT = DATETIME(fsp=6)
_AS_PEOPLE_READ = "utf8mb4_unicode_ci"


def upgrade() -> None:
    op.create_table(
        "briefs",
        sa.Column("id", sa.Integer(), primary_key=True, autoincrement=True),
        sa.Column("book_id", sa.Integer(), sa.ForeignKey("books.id"), nullable=False),
        sa.Column("made_by", sa.String(120, collation=_AS_PEOPLE_READ), nullable=False, server_default=""),
        sa.Column("name", sa.String(120, collation=_AS_PEOPLE_READ), nullable=False),
        sa.Column("shared", sa.Boolean(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False, server_default=sa.text("1")),
        sa.Column("made_at", _MOMENT, nullable=False),
        sa.UniqueConstraint("book_id", "name"),
    )
    op.create_table(
        "findings",
        sa.Column("id", sa.Integer(), primary_key=True, autoincrement=True),
        sa.Column("brief_id", sa.Integer(), sa.ForeignKey("briefs.id", ondelete="CASCADE"), nullable=False),
        sa.Column("made_by", sa.String(120, collation=_AS_PEOPLE_READ), nullable=False, server_default=""),
        sa.Column("place", sa.SmallInteger(), nullable=False),
        sa.Column("heading", sa.String(200), nullable=False),
        sa.Column("words", sa.Text(), nullable=False),
        sa.Column("pinned", sa.JSON(), nullable=True),
        sa.Column("live", sa.Boolean(), nullable=False),
        sa.Column("kept", sa.JSON(), nullable=True),
        sa.Column("version", sa.Integer(), nullable=False, server_default=sa.text("1")),
        sa.Column("made_at", _MOMENT, nullable=False),
        sa.Column("edited_by", sa.String(120, collation=_AS_PEOPLE_READ), nullable=False, server_default=""),
        sa.Column("edited_at", _MOMENT, nullable=True),
    )
    op.create_index("ix_findings_brief", "findings", ["brief_id", "place"])


def downgrade() -> None:
    for table in ("findings", "briefs"):
        op.drop_table(table)
