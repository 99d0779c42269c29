"""What is done about the members of a list is kept, change by change"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"

_FIELDS = ("state", "contacted_on", "channel", "contacted_by", "call_on", "note", "held_back")


def upgrade() -> None:
    op.add_column("customer_lists", sa.Column("changes", sa.Integer(), nullable=False, server_default="0"))
    op.create_table(
        "list_changes",
        sa.Column("list_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), autoincrement=False, nullable=False),
        sa.Column("action", sa.Integer(), nullable=False),
        sa.Column("undoes", sa.Integer(), nullable=True),
        sa.Column("customer_id", sa.BigInteger(), nullable=False),
        sa.Column("field", sa.Enum(*_FIELDS, name="work_field"), nullable=False),
        sa.Column("value", sa.String(2000), nullable=False),
        sa.Column("made_by", sa.String(120), nullable=False),
        sa.Column("made_at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["list_id"], ["customer_lists.id"]),
        sa.PrimaryKeyConstraint("list_id", "number"),
    )
    op.create_index("ix_list_changes_newest", "list_changes", ["list_id", "customer_id", "field", "number"])
    op.create_index("ix_list_changes_customer", "list_changes", ["customer_id"])


def downgrade() -> None:
    op.drop_table("list_changes")
    op.drop_column("customer_lists", "changes")
