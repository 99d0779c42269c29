"""The tables of a package: what each CSV is read from, its columns, its key, and what it points to."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from decimal import Decimal

from goldthread.core.limits import ATTRIBUTES_MOST
from goldthread.store.schema import written  # noqa: F401 - its tables
from goldthread.store.schema.models import Base


@dataclass(frozen=True)
class Field:
    """A column of a resource: its name, its type in Table Schema, and where it stands in the record."""

    name: str
    type: str
    sql: str


@dataclass(frozen=True)
class Resource:
    """A CSV of the package: what it is read from, its key, what its columns point to, and its first version."""

    name: str
    table: str
    query: str
    fields: tuple[Field, ...]
    key: tuple[str, ...]
    order: str
    points_to: tuple[tuple[str, str, str], ...] = ()
    since: int = 1

    @property
    def path(self) -> str:
        return f"{self.name}.csv"


_TYPES = {
    bool: "boolean",
    int: "integer",
    Decimal: "number",
    dt.datetime: "datetime",
    dt.date: "date",
    dt.time: "time",
}


def _fields(table: str, *lines: str) -> tuple[Field, ...]:
    """Fields from lines of ``name type expression``, or of names of columns of a table of the record."""
    fields: list[Field] = []
    for line in lines:
        words = line.split()
        if "." in words[-1]:
            fields.append(Field(*words))
        else:
            columns = (Base.metadata.tables[table].c[name] for name in words)
            fields += (
                Field(each.name, _TYPES.get(each.type.python_type, "string"), f"x.{each.name}") for each in columns
            )
    return tuple(fields)


_DELIVERY = ("delivery", "deliveries", "delivery")

_SLOT = ("slot", "own_attributes", "slot")

_KEY = ("customer_key", "customer_keys", "customer_key")

_OF_DELIVERY = "JOIN numbered_deliveries d ON d.id = x.delivery_id"

_OF_KEY = "JOIN numbered_keys k ON k.id = x.{}"

_ENTRY = "WHERE x.book_id = :book"

RESOURCES = (
    Resource(
        "sources",
        "sources",
        f"sources x JOIN numbered_sources s ON s.id = x.id {_ENTRY}",
        _fields("sources", "source integer s.n", "name"),
        ("source",),
        "s.n",
    ),
    Resource(
        "deliveries",
        "deliveries",
        "deliveries x JOIN numbered_deliveries d ON d.id = x.id JOIN numbered_sources s ON s.id = x.source_id "
        + _ENTRY,
        _fields(
            "deliveries",
            "delivery integer d.n",
            "source integer s.n",
            "kind file_name fingerprint",
            "header array x.header",
            "reading object x.reading",
            "by_hand delivered_at withdrawn_at book_revision first_order_id last_order_id",
            "counts object x.counts",
        ),
        ("delivery",),
        "d.n",
        (("source", "sources", "source"),),
    ),
    Resource(
        "customer_keys",
        "customer_keys",
        f"customer_keys x JOIN numbered_keys k ON k.id = x.id {_ENTRY}",
        _fields("customer_keys", "customer_key integer k.n", "kind value"),
        ("customer_key",),
        "k.n",
    ),
    Resource(
        "customer_records",
        "customer_records",
        f"customer_records x {_OF_DELIVERY} {_OF_KEY.format('key_id')} "
        f"LEFT JOIN numbered_keys e ON e.id = x.email_key_id {_ENTRY}",
        _fields(
            "customer_records",
            "delivery integer d.n",
            "file_row",
            "customer_key integer k.n",
            "claimed_email_key integer e.n",
            "name town closed do_not_contact",
            "attributes object x.attributes",
        ),
        ("delivery", "file_row"),
        "d.n, x.file_row",
        (_DELIVERY, _KEY),
    ),
    Resource(
        "matches",
        "matches",
        f"matches x {_OF_DELIVERY} {_OF_KEY.format('key_id')} JOIN numbered_keys o ON o.id = x.other_key_id {_ENTRY}",
        _fields(
            "matches",
            "delivery integer d.n",
            "file_row",
            "customer_key integer k.n",
            "other_key integer o.n",
            "verdict",
        ),
        ("delivery", "file_row"),
        "d.n, x.file_row",
        (_DELIVERY, _KEY),
    ),
    Resource(
        "orders",
        "orders",
        f"orders x {_OF_DELIVERY} JOIN numbered_sources s ON s.id = x.source_id "
        f"{_OF_KEY.format('customer_key_id')} {_ENTRY}",
        _fields(
            "orders",
            "order integer x.id",
            "delivery integer d.n",
            "source integer s.n",
            "order_number",
            "customer_key integer k.n",
            "ordered_on ordered_at amount status rep channel from_lines current",
        ),
        ("order",),
        "x.id",
        (_DELIVERY, ("source", "sources", "source"), _KEY),
    ),
    Resource(
        "order_lines",
        "order_lines",
        f"order_lines x {_ENTRY}",
        _fields("order_lines", "order integer x.order_id", "sequence line_number product category quantity amount"),
        ("order", "sequence"),
        "x.order_id, x.sequence",
        (("order", "orders", "order"),),
    ),
    Resource(
        "own_attributes",
        "own_attributes",
        f"own_attributes x {_ENTRY}",
        _fields("own_attributes", "slot name title hidden"),
        ("slot",),
        "x.slot",
        since=3,
    ),
    Resource(
        "own_columns",
        "own_columns",
        f"own_columns x {_OF_DELIVERY} {_ENTRY}",
        _fields("own_columns", "delivery integer d.n", "slot type"),
        ("delivery", "slot"),
        "d.n, x.slot",
        (_DELIVERY, _SLOT),
        since=3,
    ),
    Resource(
        "own_values",
        "own_values",
        f"own_values x {_OF_DELIVERY} {_ENTRY}",
        _fields("own_values", "delivery integer d.n", "slot code value"),
        ("delivery", "slot", "code"),
        "d.n, x.slot, x.code",
        (_DELIVERY, _SLOT),
        since=3,
    ),
    Resource(
        "own_codes",
        "own_codes",
        f"own_codes x {_ENTRY}",
        _fields(
            "own_codes",
            "order integer x.order_id",
            *(f"own_{slot}" for slot in range(1, ATTRIBUTES_MOST + 1)),
        ),
        ("order",),
        "x.order_id",
        (("order", "orders", "order"),),
        since=3,
    ),
    Resource(
        "payments",
        "payments",
        f"payments x {_OF_DELIVERY} JOIN numbered_sources s ON s.id = x.source_id "
        f"{_OF_KEY.format('customer_key_id')} {_ENTRY}",
        _fields(
            "payments",
            "delivery integer d.n",
            "source integer s.n",
            "identity current reference",
            "customer_key integer k.n",
            "order_number paid_on amount",
        ),
        ("delivery", "identity"),
        "x.id",
        (_DELIVERY, ("source", "sources", "source"), _KEY),
    ),
    *(
        Resource(
            name,
            name,
            f"{name} x {_OF_DELIVERY} JOIN numbered_sources s ON s.id = x.source_id {_ENTRY}",
            _fields(
                name,
                "delivery integer d.n",
                "source integer s.n",
                "identity current",
                *own,
            ),
            ("delivery", "identity"),
            "x.id",
            (_DELIVERY, ("source", "sources", "source")),
        )
        for name, own in (
            ("spend", ("month channel amount",)),
            ("events", ("begins_on ends_on label",)),
        )
    ),
    Resource(
        "problems",
        "delivery_problems",
        f"delivery_problems x {_OF_DELIVERY}",
        _fields(
            "delivery_problems",
            "delivery integer d.n",
            "sequence file_row rejected",
            "column string x.column_name",
            "value reason remedy",
        ),
        ("delivery", "sequence"),
        "d.n, x.sequence",
        (_DELIVERY,),
    ),
    Resource(
        "rejected_rows",
        "rejected_cells",
        f"rejected_cells x {_OF_DELIVERY}",
        _fields("rejected_cells", "delivery integer d.n", "file_row", "cells array x.cells"),
        ("delivery", "file_row"),
        "d.n, x.file_row",
        (_DELIVERY,),
    ),
    Resource(
        "saved_views",
        "saved_views",
        f"saved_views x {_ENTRY}",
        _fields("saved_views", "name version stop query words saved_at"),
        ("name", "version"),
        "x.name, x.version",
        since=2,
    ),
    Resource(
        "customer_lists",
        "customer_lists",
        f"customer_lists x JOIN numbered_lists l ON l.id = x.id {_ENTRY}",
        _fields("customer_lists", "list integer l.n", "name rule reading question query as_of customer_count made_at"),
        ("list",),
        "l.n",
        since=2,
    ),
    Resource(
        "list_members",
        "list_members",
        f"listed_members x JOIN numbered_lists l ON l.id = x.list_id {_OF_KEY.format('key_id')}",
        _fields("list_members", "list integer l.n", "customer_key integer k.n"),
        ("list", "customer_key"),
        "l.n, k.n",
        (("list", "customer_lists", "list"), _KEY),
        since=2,
    ),
    Resource(
        "list_changes",
        "list_changes",
        f"list_changes x JOIN numbered_lists l ON l.id = x.list_id {_OF_KEY.format('customer_id')}",
        _fields(
            "list_changes",
            "list integer l.n",
            "number action undoes",
            "customer_key integer k.n",
            "field value made_by made_at",
        ),
        ("list", "number"),
        "l.n, x.number",
        (("list", "customer_lists", "list"), _KEY),
        since=4,
    ),
    Resource(
        "list_mails",
        "list_mails",
        f"list_mails x JOIN numbered_lists l ON l.id = x.list_id {_OF_KEY.format('customer_id')}",
        _fields(
            "list_mails",
            "list integer l.n",
            "customer_key integer k.n",
            "email message_id state problem sent_by attempted_at",
        ),
        ("list", "customer_key"),
        "l.n, k.n",
        (("list", "customer_lists", "list"), _KEY),
        since=4,
    ),
    Resource(
        "notes",
        "notes",
        "notes x JOIN numbered_notes n ON n.id = x.id LEFT JOIN numbered_keys k ON k.id = x.customer_key_id "
        "LEFT JOIN numbered_deliveries d ON d.id = x.delivery_id LEFT JOIN numbered_lists l ON l.id = x.list_id "
        f"{_ENTRY} AND (x.list_id IS NULL OR l.n IS NOT NULL)",
        _fields(
            "notes",
            "note integer n.n",
            "about",
            "customer_key integer k.n",
            "delivery integer d.n",
            "list integer l.n",
            "label age text made_by shared version made_at edited_at",
        ),
        ("note",),
        "n.n",
        (_KEY, _DELIVERY, ("list", "customer_lists", "list")),
        since=5,
    ),
    Resource(
        "briefs",
        "briefs",
        f"briefs x JOIN numbered_briefs b ON b.id = x.id {_ENTRY}",
        _fields("briefs", "brief integer b.n", "name made_by shared version made_at"),
        ("brief",),
        "b.n",
        since=5,
    ),
    Resource(
        "findings",
        "findings",
        "findings x JOIN numbered_briefs b ON b.id = x.brief_id",
        _fields(
            "findings",
            "brief integer b.n",
            "place heading words",
            "pinned object x.pinned",
            "live",
            "kept object x.kept",
            "version made_by made_at edited_by edited_at",
        ),
        ("brief", "place"),
        "b.n, x.place, x.id",
        (("brief", "briefs", "brief"),),
        since=5,
    ),
    Resource(
        "usual_changes",
        "usual_changes",
        f"usual_changes x {_ENTRY}",
        _fields("usual_changes", "said object x.said", "made_by made_at"),
        ("made_at",),
        "x.id",
        since=6,
    ),
)
"""In the sequence in which they can come back: what is pointed to comes first."""
