"""Engines, transactions, and the schema brought up to date."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, Engine, create_engine, event, text
from sqlalchemy.exc import DBAPIError, SQLAlchemyError

from goldthread.errors import Unavailable
from goldthread.store.server.address import Address
from goldthread.store.server.faults import in_our_words

_LOCK = "CONCAT(DATABASE(), '.schema')"
_LOCK_SECONDS = 600
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
        connect_args=address.connect_arguments,
    )

    @event.listens_for(engine, "do_connect")
    def _to_its_port(_dialect: Any, _record: Any, _arguments: Any, parameters: dict[str, Any]) -> None:
        parameters["port"] = address.port

    return engine


@contextmanager
def engine_at(address: Address) -> Iterator[Engine]:
    """An engine for a few statements; its connections are closed at the end."""
    engine = open_engine(address)
    try:
        yield engine
    finally:
        engine.dispose()


@contextmanager
def transaction(engine: Engine) -> Iterator[Connection]:
    """A connection of one piece of work, ended whatever state it is in: what was not committed never was.

    Ending it drops its temporary tables and what was set for its session. Raises `Unavailable` when the database goes
    away, `Busy` where somebody else is in the way, `DiskFull`.
    """
    try:
        with engine.connect() as connection:
            try:
                yield connection
            finally:
                connection.invalidate()
    except (DBAPIError, OSError) as error:
        known = in_our_words(error)
        if known is not None:
            raise known from error
        raise


def now() -> dt.datetime:
    """This moment in UTC, as the record keeps most: in whole seconds."""
    return moment().replace(microsecond=0)


def moment() -> dt.datetime:
    """This moment in UTC, to the microsecond."""
    return dt.datetime.now(dt.UTC).replace(tzinfo=None)


def migrate(engine: Engine, before: Callable[[], object] | None = None) -> None:
    """Bring the schema to the newest revision; one that is there already costs one statement. ``before`` is done before
    the tables of a record are changed.

    Of several processes that start at once one does it, and the others wait. Raises `Unavailable` when that takes too
    long.
    """
    found = schema_revision(engine)
    if found == newest_revision():
        return
    if found is not None and found > newest_revision():
        raise _another_version(found)
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    config.attributes["engine"] = engine
    with transaction(engine) as connection:
        if not connection.execute(text(f"SELECT GET_LOCK({_LOCK}, {_LOCK_SECONDS})")).scalar():
            raise Unavailable(
                "Another process has been bringing the tables of the record up to date for long.",
                remedy="Try again when it is done.",
            )
        try:
            if before is not None and found is not None and schema_revision(engine) != newest_revision():
                before()
            command.upgrade(config, "head")
        finally:
            connection.execute(text(f"SELECT RELEASE_LOCK({_LOCK})"))


def must_be_current(engine: Engine) -> None:
    """Raises `Unavailable` where the database does not answer, or its tables are not those of this version."""
    found = schema_revision(engine)
    if found is None:
        raise Unavailable("The database does not answer.", remedy="See whether it runs: goldthread database up.")
    if found != newest_revision():
        raise _another_version(found)


def _another_version(found: str) -> Unavailable:
    return Unavailable(
        f"The tables of the record are of version {found}, and this program's of {newest_revision()}.",
        remedy="Start the newer version of the program.",
    )


def newest_revision() -> str:
    """The revision that the files of the migrations lead to; each is named after its own."""
    return max(file.name.partition("_")[0] for file in (MIGRATIONS / "versions").glob("[0-9]*.py"))


def schema_revision(engine: Engine) -> str | None:
    """The revision that the tables are of; None where the database does not answer, or holds no record."""
    try:
        with engine.connect() as connection:
            found: str | None = connection.execute(text("SELECT version_num FROM alembic_version")).scalar()
            return found
    except SQLAlchemyError:
        return None
