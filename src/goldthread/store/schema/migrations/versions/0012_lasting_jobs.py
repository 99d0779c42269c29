"""Pieces of work are on record, so that any process can do them and tell how far they are"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME

revision = "0012"
down_revision = "0011"

_EXACT = "utf8mb4_bin"


def upgrade() -> None:
    op.create_table(
        "jobs",
        sa.Column("id", sa.String(32, collation=_EXACT), nullable=False),
        sa.Column("kind", sa.String(40, collation=_EXACT), nullable=False),
        sa.Column("lane", sa.Enum("work", "mail", name="lane"), nullable=False),
        sa.Column("arguments", sa.JSON(), nullable=False),
        sa.Column("attended", sa.Boolean(), nullable=False),
        sa.Column(
            "state", sa.Enum("waiting", "running", "done", "failed", "stopped", name="job_state"), nullable=False
        ),
        sa.Column("stop_wanted", sa.Boolean(), nullable=False),
        sa.Column("tries", sa.SmallInteger(), nullable=False),
        sa.Column("worker", sa.String(191, collation=_EXACT), nullable=False),
        sa.Column("phase", sa.String(191), nullable=False),
        sa.Column("done", sa.BigInteger(), nullable=False),
        sa.Column("total", sa.BigInteger(), nullable=False),
        sa.Column("told", sa.JSON(), nullable=True),
        sa.Column("file", sa.String(191, collation=_EXACT), nullable=False),
        sa.Column("content_type", sa.String(191), nullable=False),
        sa.Column("created_at", DATETIME(fsp=6), nullable=False),
        sa.Column("phase_at", DATETIME(fsp=6), nullable=False),
        sa.Column("beat_at", DATETIME(fsp=6), nullable=False),
        sa.Column("asked_at", DATETIME(fsp=6), nullable=False),
        sa.Column("ended_at", DATETIME(fsp=6), nullable=True),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_jobs_waiting", "jobs", ["state", "lane", "created_at"])


def downgrade() -> None:
    op.drop_table("jobs")
