"""Engines, and the schema brought up to date."""

from __future__ import annotations

from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine

from goldthread.store.instance import Address

MIGRATIONS = Path(__file__).parent / "migrations"


def open_engine(address: Address) -> Engine:
    """An engine whose transactions read what is committed at each statement: deliveries hold the book's row instead."""
    return create_engine(
        address.engine_url, isolation_level="READ COMMITTED", pool_pre_ping=True, pool_size=8, max_overflow=8
    )


def migrate(engine: Engine) -> None:
    """Bring the schema to the newest revision."""
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    config.attributes["engine"] = engine
    command.upgrade(config, "head")
