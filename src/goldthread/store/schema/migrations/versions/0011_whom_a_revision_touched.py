"""Whom a revision touched, so that a book is brought forward without reading it whole"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import LONGBLOB

revision = "0011"
down_revision = "0010"


def upgrade() -> None:
    op.add_column("revisions", sa.Column("touched", LONGBLOB(), nullable=True))


def downgrade() -> None:
    op.drop_column("revisions", "touched")
