"""Stamped revisions, a bound of a book's amounts, names of saved questions letter by letter"""

from __future__ import annotations

import secrets

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"

_EXACT = sa.String(120, collation="utf8mb4_bin")


def upgrade() -> None:
    op.create_table(
        "revisions",
        sa.Column("book_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.BigInteger(), autoincrement=False, nullable=False),
        sa.Column("stamp", sa.String(32, collation="utf8mb4_bin"), nullable=False),
        sa.ForeignKeyConstraint(["book_id"], ["books.id"]),
        sa.PrimaryKeyConstraint("book_id", "number"),
    )
    op.add_column("books", sa.Column("amount_bound", sa.Numeric(19, 4), nullable=False, server_default="0"))
    connection = op.get_bind()
    for book, number in connection.execute(sa.text("SELECT id, revision FROM books")).all():
        values = {"book": book, "number": number, "stamp": secrets.token_hex(16)}
        connection.execute(sa.text("INSERT INTO revisions VALUES (:book, :number, :stamp)"), values)
    connection.execute(
        sa.text(
            "UPDATE books b JOIN (SELECT book_id, SUM(ABS(amount)) AS total FROM (SELECT book_id, amount FROM orders "
            "UNION ALL SELECT book_id, amount FROM payments) told GROUP BY book_id) s ON s.book_id = b.id "
            "SET b.amount_bound = LEAST(s.total, 999999999999999)"
        )
    )
    # one spelling for a name that was saved in several, which the table took for one
    connection.execute(
        sa.text(
            "UPDATE saved_questions q JOIN (SELECT MIN(id) AS id, book_id, name FROM saved_questions "
            "GROUP BY book_id, name) f ON f.book_id = q.book_id AND f.name = q.name "
            "JOIN saved_questions s ON s.id = f.id SET q.name = s.name"
        )
    )
    op.alter_column("saved_questions", "name", existing_type=sa.String(120), type_=_EXACT, existing_nullable=False)
    connection.execute(
        sa.text(
            "UPDATE saved_questions SET query = REGEXP_REPLACE(query, '(^|&)span=', '\\\\1period=') "
            "WHERE stop = 'newness'"
        )
    )


def downgrade() -> None:
    op.get_bind().execute(
        sa.text(
            "UPDATE saved_questions SET query = REGEXP_REPLACE(query, '(^|&)period=', '\\\\1span=') "
            "WHERE stop = 'newness'"
        )
    )
    op.alter_column("saved_questions", "name", existing_type=_EXACT, type_=sa.String(120), existing_nullable=False)
    op.drop_column("books", "amount_bound")
    op.drop_table("revisions")
