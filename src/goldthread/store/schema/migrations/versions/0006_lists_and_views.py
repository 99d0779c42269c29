"""Customers in hand become customer lists with names, saved questions become saved views"""

from __future__ import annotations

from urllib.parse import parse_qsl, urlencode

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import LONGBLOB

revision = "0006"
down_revision = "0005"

_EXACT = "utf8mb4_bin"
_NAME_LENGTH = 120
_USED = {"others": "without"}


def upgrade() -> None:
    op.create_table(
        "customer_lists",
        sa.Column("id", sa.Integer(), autoincrement=True, nullable=False),
        sa.Column("book_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(_NAME_LENGTH, collation=_EXACT), nullable=False),
        sa.Column("rule", sa.String(500), nullable=False),
        sa.Column("reading", sa.String(1000), nullable=False),
        sa.Column("question", sa.String(40), nullable=False),
        sa.Column("query", sa.Text(), nullable=False),
        sa.Column("as_of", sa.Date(), nullable=False),
        sa.Column("customer_count", sa.Integer(), nullable=False),
        sa.Column("customer_ids", LONGBLOB(), nullable=False),
        sa.Column("made_at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["book_id"], ["books.id"]),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("book_id", "name"),
    )
    connection = op.get_bind()
    names = _name_holds(connection)
    for number, name in names.items():
        connection.execute(
            sa.text(
                "INSERT INTO customer_lists SELECT id, book_id, :name, words, '', '', '', DATE(held_at), "
                "customer_count, customer_ids, held_at FROM holds WHERE id = :id"
            ),
            {"id": number, "name": name},
        )
    op.drop_table("holds")
    op.rename_table("saved_questions", "saved_views")
    for number, stop, query in connection.execute(sa.text("SELECT id, stop, query FROM saved_views")).all():
        changed = _of_lists(stop, query, names)
        if changed != query:
            connection.execute(
                sa.text("UPDATE saved_views SET query = :query WHERE id = :id"), {"id": number, "query": changed}
            )


def _name_holds(connection: sa.Connection) -> dict[int, str]:
    """A name for every hold: what it said of its customers, with its number where that is no name of its own."""
    names: dict[int, str] = {}
    taken: set[tuple[int, str]] = set()
    for number, book, words in connection.execute(sa.text("SELECT id, book_id, words FROM holds ORDER BY id")).all():
        name = " ".join(words.split())[:_NAME_LENGTH].strip()
        if not name or (book, name.casefold()) in taken:
            ending = f" ({number})"
            name = f"{name[: _NAME_LENGTH - len(ending)]}{ending}".strip()
        taken.add((book, name.casefold()))
        names[number] = name
    return names


def _of_lists(stop: str, query: str, names: dict[int, str]) -> str:
    """A query that names a list where it held customers; one whose hold was let go does without."""
    pairs = parse_qsl(query, keep_blank_values=True)
    told = dict(pairs)
    held = told.get("held", "")
    known = names.get(int(held)) if held.isdigit() else None
    changed = []
    for name, value in pairs:
        match name:
            case "held":
                changed += [] if known is None else [("list", known)]
            case "held_as":
                changed += [] if known is None else [("list_as", _USED.get(value, value))]
            case "which" if stop == "threads":
                changed.append(("rank", value))
            case "view" if stop == "threads" and value == "orders":
                changed.append(("view", "nth"))
            case _:
                changed.append((name, value))
    return query if changed == pairs else urlencode(changed)


def downgrade() -> None:
    op.rename_table("saved_views", "saved_questions")
    op.create_table(
        "holds",
        sa.Column("id", sa.Integer(), autoincrement=True, nullable=False),
        sa.Column("book_id", sa.Integer(), nullable=False),
        sa.Column("words", sa.String(500), nullable=False),
        sa.Column("customer_count", sa.Integer(), nullable=False),
        sa.Column("customer_ids", LONGBLOB(), nullable=False),
        sa.Column("held_at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["book_id"], ["books.id"]),
        sa.PrimaryKeyConstraint("id"),
    )
    connection = op.get_bind()
    connection.execute(
        sa.text("INSERT INTO holds SELECT id, book_id, name, customer_count, customer_ids, made_at FROM customer_lists")
    )
    lists = connection.execute(sa.text("SELECT id, book_id, name FROM customer_lists")).all()
    numbers = {(book, name): number for number, book, name in lists}
    for number, book, stop, query in connection.execute(
        sa.text("SELECT id, book_id, stop, query FROM saved_questions")
    ).all():
        changed = _of_holds(stop, query, {name: held for (of, name), held in numbers.items() if of == book})
        if changed != query:
            connection.execute(
                sa.text("UPDATE saved_questions SET query = :query WHERE id = :id"), {"id": number, "query": changed}
            )
    op.drop_table("customer_lists")


def _of_holds(stop: str, query: str, numbers: dict[str, int]) -> str:
    pairs = parse_qsl(query, keep_blank_values=True)
    changed = []
    for name, value in pairs:
        match name:
            case "list":
                changed += [("held", str(numbers[value]))] if value in numbers else []
            case "list_as":
                changed.append(("held_as", {"without": "others"}.get(value, value)))
            case "rank" if stop == "threads":
                changed.append(("which", value))
            case "view" if stop == "threads" and value == "nth":
                changed.append(("view", "orders"))
            case _:
                changed.append((name, value))
    return query if changed == pairs else urlencode(changed)
