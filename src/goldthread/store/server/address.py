"""Where a database is reached, and how: through the engine for statements, as Arrow for whole columns."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import pyarrow as pa
import pymysql
from pymysql.constants import FIELD_TYPE
from pymysql.cursors import SSCursor
from sqlalchemy import URL, make_url
from sqlalchemy.exc import ArgumentError

from goldthread.errors import InvalidInput

SESSION = (
    "SET SESSION sql_mode = 'STRICT_ALL_TABLES,NO_ZERO_IN_DATE,NO_ZERO_DATE,ERROR_FOR_DIVISION_BY_ZERO,"
    "NO_ENGINE_SUBSTITUTION', time_zone = '+00:00', default_storage_engine = InnoDB"
)
"""What every connection is told first: a server's own defaults may be others."""
COLLATION = "utf8mb4_unicode_ci"
_ROWS_AT_ONCE = 50_000
_CONNECT_SECONDS = 10
_USUAL_PORT = 3306
_TEXTS = {
    FIELD_TYPE.VARCHAR,
    FIELD_TYPE.VAR_STRING,
    FIELD_TYPE.STRING,
    FIELD_TYPE.BLOB,
    FIELD_TYPE.MEDIUM_BLOB,
    FIELD_TYPE.LONG_BLOB,
}


@dataclass(frozen=True)
class Address:
    """A database on a MariaDB, and as whom it is asked.

    ``port_file`` names the port of one that may have another tomorrow. ``ca_file``: the database is spoken to through
    TLS, and its certificate must be of this authority and of its name.
    """

    user: str
    password: str = field(repr=False)
    schema: str
    host: str = "127.0.0.1"
    fixed_port: int = 0
    port_file: Path | None = None
    ca_file: str = ""

    @property
    def port(self) -> int:
        """The port that the database listens on, as named now; 0 where there is none."""
        try:
            return self.fixed_port if self.port_file is None else int(self.port_file.read_text(encoding="ascii"))
        except (FileNotFoundError, ValueError):
            return 0

    @property
    def is_private(self) -> bool:
        """Whether it is the one that we start ourselves."""
        return self.port_file is not None

    @property
    def engine_url(self) -> URL:
        query = {"charset": "utf8mb4", "local_infile": "1"}
        return URL.create("mysql+pymysql", self.user, self.password, self.host, self.port, self.schema, query)

    @property
    def connect_arguments(self) -> dict[str, Any]:
        """What the driver is told beside the URL."""
        told: dict[str, Any] = {
            "collation": COLLATION,
            "init_command": SESSION,
            "connect_timeout": _CONNECT_SECONDS,
        }
        if not self.ca_file:
            # to make ready for it takes longer than a connection
            return {**told, "ssl_disabled": True}
        return {**told, "ssl_ca": self.ca_file, "ssl_verify_cert": True, "ssl_verify_identity": True}

    def connect(self, **further: Any) -> pymysql.Connection:
        """A connection of the driver's own."""
        return pymysql.connect(
            host=self.host,
            port=self.port,
            user=self.user,
            password=self.password,
            database=self.schema,
            charset="utf8mb4",
            **self.connect_arguments,
            **further,
        )

    def table(self, query: str, before: Sequence[str] = ()) -> pa.Table:
        """The rows of a query whose columns are whole numbers and texts, on a connection of its own on which some
        statements went before.

        The reader in bulk speaks no TLS: where it is wanted rows are read one by one, which takes ten times as long.
        """
        first = [SESSION, *before]
        if self.ca_file:
            return self._streamed(query, first)
        # it takes 16 MB, and a server may answer for days from what lies in files
        import connectorx

        url = self.engine_url.set(drivername="mysql", query={}).render_as_string(hide_password=False)
        return connectorx.read_sql(url, query, return_type="arrow", protocol="binary", pre_execution_query=first)

    def _streamed(self, query: str, before: Sequence[str]) -> pa.Table:
        with contextlib.closing(self.connect(cursorclass=SSCursor)) as connection, connection.cursor() as cursor:
            for each in before:
                cursor.execute(each)
                cursor.fetchall()
            cursor.execute(query)
            schema = pa.schema([(name, _type(code)) for name, code, *_ in cursor.description])
            return pa.Table.from_batches(_batches(cursor, schema), schema)


def _batches(cursor: SSCursor, schema: pa.Schema) -> Iterator[pa.RecordBatch]:
    while rows := cursor.fetchmany(_ROWS_AT_ONCE):
        columns = zip(*rows, strict=True)
        yield pa.record_batch([pa.array(each, kind) for each, kind in zip(columns, schema.types, strict=True)], schema)


def _type(code: int) -> pa.DataType:
    return pa.large_string() if code in _TEXTS else pa.int64()


def address_of(url: str, password: str = "", ca_file: str = "") -> Address:
    """The address that ``mysql+pymysql://user@host:port/name`` says. Raises `InvalidInput`."""
    try:
        found = make_url(url)
        if found.drivername not in ("mysql+pymysql", "mariadb+pymysql") or found.query:
            raise ValueError
        if not (found.host and found.username and found.database):
            raise ValueError
    except (ArgumentError, ValueError):
        raise InvalidInput(
            "The setting database_url is not the address of a database.",
            remedy="Write mysql+pymysql://user@host:3306/name; its password may stand in database_password.",
            field="database_url",
        ) from None
    return Address(
        found.username,
        password or str(found.password or ""),
        found.database,
        host=found.host,
        fixed_port=found.port or _USUAL_PORT,
        ca_file=ca_file,
    )
