"""A book does things by itself: schedules, their runs, files that wait, letters that were sent"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME, LONGBLOB

revision = "0017"
down_revision = "0016"
_EXACT = "utf8mb4_bin"
_MOMENT = DATETIME(fsp=6)
_KINDS = ("folder", "query", "letter", "watch")
_STATES = ("running", "done", "nothing", "waits", "turned", "failed")


def upgrade() -> None:
    op.add_column("books", sa.Column("rounds", sa.Integer(), nullable=False, server_default=sa.text("0")))
    op.create_table(
        "schedules",
        sa.Column("id", sa.Integer(), primary_key=True, autoincrement=True),
        sa.Column("book_id", sa.Integer(), sa.ForeignKey("books.id"), nullable=False),
        sa.Column("user_id", sa.Integer(), sa.ForeignKey("users.id"), nullable=True),
        sa.Column("made_by", sa.String(120, collation="utf8mb4_unicode_ci"), nullable=False, server_default=""),
        sa.Column("kind", sa.Enum(*_KINDS, name="schedule_kind"), nullable=False),
        sa.Column("about", sa.JSON(), nullable=False),
        sa.Column("cron", sa.String(120, collation=_EXACT), nullable=False),
        sa.Column("planned_at", _MOMENT, nullable=False),
        sa.Column("due_at", _MOMENT, nullable=False),
        sa.Column("tries", sa.SmallInteger(), nullable=False, server_default=sa.text("0")),
        sa.Column("paused", sa.Boolean(), nullable=False, server_default=sa.text("0")),
        sa.Column("why", sa.String(2000), nullable=False, server_default=""),
        sa.Column("kept", sa.JSON(), nullable=False),
        sa.Column("made_at", _MOMENT, nullable=False),
    )
    op.create_index("ix_schedules_due", "schedules", ["paused", "due_at"])
    op.create_table(
        "schedule_runs",
        sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True),
        sa.Column("schedule_id", sa.Integer(), sa.ForeignKey("schedules.id"), nullable=False),
        sa.Column("job_id", sa.String(32, collation=_EXACT), nullable=False),
        sa.Column("due_at", _MOMENT, nullable=False),
        sa.Column("begun_at", _MOMENT, nullable=False),
        sa.Column("ended_at", _MOMENT, nullable=True),
        sa.Column("state", sa.Enum(*_STATES, name="run_state"), nullable=False),
        sa.Column("asked_by", sa.String(120), nullable=True),
        sa.Column("skipped", sa.Integer(), nullable=False),
        sa.Column("said", sa.String(1000), nullable=False),
    )
    op.create_index("ix_schedule_runs_newest", "schedule_runs", ["schedule_id", "id"])
    op.create_table(
        "waiting_files",
        sa.Column("id", sa.Integer(), primary_key=True, autoincrement=True),
        sa.Column("book_id", sa.Integer(), sa.ForeignKey("books.id"), nullable=False),
        sa.Column("schedule_id", sa.Integer(), sa.ForeignKey("schedules.id", ondelete="SET NULL"), nullable=True),
        sa.Column("source", sa.String(120), nullable=False),
        sa.Column("name", sa.String(255), nullable=False),
        sa.Column("path", sa.String(1000, collation=_EXACT), nullable=False),
        sa.Column("why", sa.String(2000), nullable=False),
        sa.Column("since", sa.JSON(), nullable=True),
        sa.Column("arrived_at", _MOMENT, nullable=False),
    )
    op.create_index("ix_waiting_files_book", "waiting_files", ["book_id"])
    op.create_table(
        "letters",
        sa.Column("id", sa.Integer(), primary_key=True, autoincrement=True),
        sa.Column("book_id", sa.Integer(), sa.ForeignKey("books.id"), nullable=False),
        sa.Column("schedule_id", sa.Integer(), sa.ForeignKey("schedules.id", ondelete="SET NULL"), nullable=True),
        sa.Column("run_id", sa.BigInteger(), nullable=True),
        sa.Column("subject", sa.String(200), nullable=False),
        sa.Column("addresses", sa.JSON(), nullable=False),
        sa.Column("content", LONGBLOB(), nullable=False),
        sa.Column("made_at", _MOMENT, nullable=False),
    )
    op.create_index("ix_letters_book", "letters", ["book_id", "id"])


def downgrade() -> None:
    for table in ("letters", "waiting_files", "schedule_runs", "schedules"):
        op.drop_table(table)
    op.drop_column("books", "rounds")
