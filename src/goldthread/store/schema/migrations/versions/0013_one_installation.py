"""A database that others look after says whose record it holds"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"


def upgrade() -> None:
    op.create_table(
        "installation",
        sa.Column("place", sa.SmallInteger(), nullable=False, autoincrement=False),
        sa.Column("id", sa.String(32, collation="utf8mb4_bin"), nullable=False),
        sa.PrimaryKeyConstraint("place"),
    )


def downgrade() -> None:
    op.drop_table("installation")
