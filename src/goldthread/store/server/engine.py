"""Engines, and the schema brought up to date."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from sqlalchemy import Engine, create_engine, event, text
from sqlalchemy.exc import SQLAlchemyError

from goldthread.store.server.instance import Address

MIGRATIONS = Path(__file__).parents[1] / "schema" / "migrations"


def open_engine(address: Address) -> Engine:
    """An engine whose transactions read what is committed at each statement: deliveries hold the book's row instead.

    Each new connection asks where the database is now. What goes into statements is never written into logs.
    """
    engine = create_engine(
        address.engine_url,
        isolation_level="READ COMMITTED",
        pool_pre_ping=True,
        pool_size=8,
        max_overflow=24,
        hide_parameters=True,
    )

    @event.listens_for(engine, "do_connect")
    def _to_its_port(_dialect: Any, _record: Any, _arguments: Any, parameters: dict[str, Any]) -> None:
        parameters["port"] = address.port

    return engine


def migrate(engine: Engine) -> None:
    """Bring the schema to the newest revision; one that is there already costs one statement."""
    if _revision(engine) == newest_revision():
        return
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    config.attributes["engine"] = engine
    command.upgrade(config, "head")


def newest_revision() -> str:
    """The revision that the files of the migrations lead to; each is named after its own."""
    return max(file.name.partition("_")[0] for file in (MIGRATIONS / "versions").glob("[0-9]*.py"))


def _revision(engine: Engine) -> str | None:
    try:
        with engine.connect() as connection:
            found: str | None = connection.execute(text("SELECT version_num FROM alembic_version")).scalar()
            return found
    except SQLAlchemyError:
        return None
