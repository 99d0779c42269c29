"""People have accounts, roles in books and tokens; what they do is put down; what they make has its author"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME

revision = "0014"
down_revision = "0013"

_EXACT, _READ = "utf8mb4_bin", "utf8mb4_unicode_ci"
_AUTHORED = ("deliveries", "customer_lists", "saved_views")


def _hash(name: str = "hash", *, nullable: bool = False) -> sa.Column[str]:
    return sa.Column(name, sa.String(64, collation=_EXACT), nullable=nullable)


def _moment(name: str, *, nullable: bool = False) -> sa.Column[object]:
    return sa.Column(name, DATETIME(fsp=6), nullable=nullable)


def _role() -> sa.Column[str]:
    return sa.Column("role", sa.Enum("reader", "caller", "analyst", "owner", name="role"), nullable=False)


def _of(table: str, column: str) -> sa.Column[int]:
    return sa.Column(column, sa.Integer(), sa.ForeignKey(f"{table}.id"), nullable=False, autoincrement=False)


def _id() -> sa.Column[int]:
    return sa.Column("id", sa.Integer(), primary_key=True, autoincrement=True)


def upgrade() -> None:
    op.create_table(
        "users",
        _id(),
        sa.Column("name", sa.String(120, collation=_READ), nullable=False, unique=True),
        sa.Column("email", sa.String(191), nullable=False),
        sa.Column("password", sa.String(191, collation=_EXACT), nullable=False),
        sa.Column("is_admin", sa.Boolean(), nullable=False),
        sa.Column("code_secret", sa.String(255, collation=_EXACT), nullable=False),
        sa.Column("code_step", sa.BigInteger(), nullable=False),
        sa.Column("recovery", sa.JSON(), nullable=False),
        _hash("subject", nullable=True),
        _moment("made_at"),
        _moment("ended_at", nullable=True),
        sa.UniqueConstraint("subject"),
    )
    op.create_table(
        "sign_ins",
        _id(),
        _hash(),
        _of("users", "user_id"),
        sa.Column("is_whole", sa.Boolean(), nullable=False),
        sa.Column("by_company", sa.Boolean(), nullable=False),
        _moment("begun_at"),
        _moment("used_at"),
        sa.Column("came_from", sa.String(64), nullable=False),
        sa.Column("program", sa.String(191), nullable=False),
        sa.UniqueConstraint("hash"),
    )
    op.create_index("ix_sign_ins_user", "sign_ins", ["user_id"])
    op.create_table(
        "leavings",
        _hash(),
        _hash("nonce"),
        _hash("verifier"),
        _moment("ends_at"),
        sa.PrimaryKeyConstraint("hash"),
    )
    op.create_table(
        "password_links",
        _of("users", "user_id"),
        _hash(),
        _moment("ends_at"),
        sa.PrimaryKeyConstraint("user_id"),
        sa.UniqueConstraint("hash"),
    )
    op.create_table(
        "members",
        _of("books", "book_id"),
        _of("users", "user_id"),
        _role(),
        _moment("made_at"),
        sa.PrimaryKeyConstraint("book_id", "user_id"),
    )
    op.create_table(
        "database_grants",
        _of("users", "user_id"),
        sa.Column("database", sa.String(120, collation=_EXACT), nullable=False),
        sa.PrimaryKeyConstraint("user_id", "database"),
    )
    op.create_table(
        "list_parts",
        _of("customer_lists", "list_id"),
        _of("users", "user_id"),
        sa.Column("kind", sa.Enum("whole", "letters", "attribute", "every", name="part_kind"), nullable=False),
        sa.Column("value", sa.String(255), nullable=False),
        sa.PrimaryKeyConstraint("list_id", "user_id"),
    )
    op.create_index("ix_list_parts_user", "list_parts", ["user_id"])
    op.create_table(
        "tokens",
        _id(),
        _hash(),
        _of("users", "user_id"),
        _of("books", "book_id"),
        _role(),
        sa.Column("name", sa.String(120), nullable=False),
        _moment("made_at"),
        _moment("ends_at"),
        _moment("used_at", nullable=True),
        sa.UniqueConstraint("hash"),
    )
    op.create_index("ix_tokens_user", "tokens", ["user_id"])
    op.create_table(
        "sign_in_tries",
        _hash(),
        sa.Column("refused", sa.Integer(), nullable=False),
        _moment("tried_at"),
        _moment("good_at", nullable=True),
        sa.PrimaryKeyConstraint("hash"),
    )
    op.create_table(
        "log",
        sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True),
        _moment("at"),
        sa.Column("who", sa.String(120, collation=_READ), nullable=False),
        sa.Column("came_from", sa.String(64), nullable=False),
        sa.Column("deed", sa.String(40, collation=_EXACT), nullable=False),
        sa.Column("book_id", sa.Integer(), nullable=True),
        sa.Column("subject", sa.String(500), nullable=False),
        sa.Column("details", sa.JSON(), nullable=False),
    )
    op.create_index("ix_log_book", "log", ["book_id", "id"])
    op.create_index("ix_log_at", "log", ["at"])
    op.create_table(
        "erased",
        _of("books", "book_id"),
        _hash("digest"),
        sa.Column("key_id", sa.BigInteger(), nullable=False),
        sa.PrimaryKeyConstraint("book_id", "digest"),
    )
    for table in _AUTHORED:
        op.add_column(table, sa.Column("made_by", sa.String(120, collation=_READ), nullable=False, server_default=""))
    for table in ("customer_lists", "saved_views"):
        # what was there before anybody had an account is everybody's
        op.add_column(table, sa.Column("shared", sa.Boolean(), nullable=False, server_default=sa.text("1")))
    op.add_column("books", sa.Column("hides_people", sa.Boolean(), nullable=False, server_default=sa.text("0")))


def downgrade() -> None:
    op.drop_column("books", "hides_people")
    for table in ("saved_views", "customer_lists"):
        op.drop_column(table, "shared")
    for table in reversed(_AUTHORED):
        op.drop_column(table, "made_by")
    for table in (
        "erased",
        "log",
        "sign_in_tries",
        "tokens",
        "list_parts",
        "database_grants",
        "members",
        "password_links",
        "leavings",
        "sign_ins",
        "users",
    ):
        op.drop_table(table)
