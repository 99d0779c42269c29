"""What was sent to the members of a list, one message each"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"

_EXACT = "utf8mb4_bin"


def upgrade() -> None:
    op.create_table(
        "list_mails",
        sa.Column("list_id", sa.Integer(), nullable=False),
        sa.Column("customer_id", sa.BigInteger(), autoincrement=False, nullable=False),
        sa.Column("email", sa.String(191, collation=_EXACT), nullable=False),
        sa.Column("message_id", sa.String(191), nullable=False),
        sa.Column("state", sa.Enum("sending", "sent", "refused", name="mail_state"), nullable=False),
        sa.Column("problem", sa.String(500), nullable=False),
        sa.Column("sent_by", sa.String(120), nullable=False),
        sa.Column("attempted_at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["list_id"], ["customer_lists.id"]),
        sa.PrimaryKeyConstraint("list_id", "customer_id"),
        sa.UniqueConstraint("list_id", "email"),
    )


def downgrade() -> None:
    op.drop_table("list_mails")
