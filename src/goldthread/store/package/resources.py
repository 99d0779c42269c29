"""The tables of a package: what each CSV is read from, its columns, its key, and what it points to."""

from __future__ import annotations

from dataclasses import dataclass

from goldthread.core.limits import ATTRIBUTES_MOST


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


def _fields(*lines: str) -> tuple[Field, ...]:
    """Fields from lines of ``name type expression``."""
    return tuple(Field(*line.split(" ", 2)) for line in lines)


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
        _fields("source integer s.n", "name string x.name"),
        ("source",),
        "s.n",
    ),
    Resource(
        "deliveries",
        "deliveries",
        "deliveries x JOIN numbered_deliveries d ON d.id = x.id JOIN numbered_sources s ON s.id = x.source_id "
        + _ENTRY,
        _fields(
            "delivery integer d.n",
            "source integer s.n",
            "kind string x.kind",
            "file_name string x.file_name",
            "fingerprint string x.fingerprint",
            "header array x.header",
            "reading object x.reading",
            "by_hand boolean x.by_hand",
            "delivered_at datetime x.delivered_at",
            "withdrawn_at datetime x.withdrawn_at",
            "book_revision integer x.book_revision",
            "first_order_id integer x.first_order_id",
            "last_order_id integer x.last_order_id",
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
        _fields("customer_key integer k.n", "kind string x.kind", "value string x.value"),
        ("customer_key",),
        "k.n",
    ),
    Resource(
        "customer_records",
        "customer_records",
        f"customer_records x {_OF_DELIVERY} {_OF_KEY.format('key_id')} "
        f"LEFT JOIN numbered_keys e ON e.id = x.email_key_id {_ENTRY}",
        _fields(
            "delivery integer d.n",
            "file_row integer x.file_row",
            "customer_key integer k.n",
            "claimed_email_key integer e.n",
            "name string x.name",
            "town string x.town",
            "closed boolean x.closed",
            "do_not_contact boolean x.do_not_contact",
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
            "delivery integer d.n",
            "file_row integer x.file_row",
            "customer_key integer k.n",
            "other_key integer o.n",
            "verdict string x.verdict",
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
            "order integer x.id",
            "delivery integer d.n",
            "source integer s.n",
            "order_number string x.order_number",
            "customer_key integer k.n",
            "ordered_on date x.ordered_on",
            "ordered_at time x.ordered_at",
            "amount number x.amount",
            "status string x.status",
            "rep string x.rep",
            "channel string x.channel",
            "from_lines boolean x.from_lines",
            "current boolean x.current",
        ),
        ("order",),
        "x.id",
        (_DELIVERY, ("source", "sources", "source"), _KEY),
    ),
    Resource(
        "order_lines",
        "order_lines",
        f"order_lines x {_ENTRY}",
        _fields(
            "order integer x.order_id",
            "sequence integer x.sequence",
            "line_number string x.line_number",
            "product string x.product",
            "category string x.category",
            "quantity number x.quantity",
            "amount number x.amount",
        ),
        ("order", "sequence"),
        "x.order_id, x.sequence",
        (("order", "orders", "order"),),
    ),
    Resource(
        "own_attributes",
        "own_attributes",
        f"own_attributes x {_ENTRY}",
        _fields("slot integer x.slot", "name string x.name", "title string x.title", "hidden boolean x.hidden"),
        ("slot",),
        "x.slot",
        since=3,
    ),
    Resource(
        "own_columns",
        "own_columns",
        f"own_columns x {_OF_DELIVERY} {_ENTRY}",
        _fields("delivery integer d.n", "slot integer x.slot", "type string x.type"),
        ("delivery", "slot"),
        "d.n, x.slot",
        (_DELIVERY, _SLOT),
        since=3,
    ),
    Resource(
        "own_values",
        "own_values",
        f"own_values x {_OF_DELIVERY} {_ENTRY}",
        _fields("delivery integer d.n", "slot integer x.slot", "code integer x.code", "value string x.value"),
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
            "order integer x.order_id",
            *(f"own_{slot} integer x.own_{slot}" for slot in range(1, ATTRIBUTES_MOST + 1)),
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
            "delivery integer d.n",
            "source integer s.n",
            "identity string x.identity",
            "current boolean x.current",
            "reference string x.reference",
            "customer_key integer k.n",
            "order_number string x.order_number",
            "paid_on date x.paid_on",
            "amount number x.amount",
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
                "delivery integer d.n",
                "source integer s.n",
                "identity string x.identity",
                "current boolean x.current",
                *own,
            ),
            ("delivery", "identity"),
            "x.id",
            (_DELIVERY, ("source", "sources", "source")),
        )
        for name, own in (
            ("spend", ("month date x.month", "channel string x.channel", "amount number x.amount")),
            ("events", ("begins_on date x.begins_on", "ends_on date x.ends_on", "label string x.label")),
        )
    ),
    Resource(
        "problems",
        "delivery_problems",
        f"delivery_problems x {_OF_DELIVERY}",
        _fields(
            "delivery integer d.n",
            "sequence integer x.sequence",
            "file_row integer x.file_row",
            "rejected boolean x.rejected",
            "column string x.column_name",
            "value string x.value",
            "reason string x.reason",
            "remedy string x.remedy",
        ),
        ("delivery", "sequence"),
        "d.n, x.sequence",
        (_DELIVERY,),
    ),
    Resource(
        "rejected_rows",
        "rejected_cells",
        f"rejected_cells x {_OF_DELIVERY}",
        _fields("delivery integer d.n", "file_row integer x.file_row", "cells array x.cells"),
        ("delivery", "file_row"),
        "d.n, x.file_row",
        (_DELIVERY,),
    ),
    Resource(
        "saved_views",
        "saved_views",
        f"saved_views x {_ENTRY}",
        _fields(
            "name string x.name",
            "version integer x.version",
            "stop string x.stop",
            "query string x.query",
            "words string x.words",
            "saved_at datetime x.saved_at",
        ),
        ("name", "version"),
        "x.name, x.version",
        since=2,
    ),
    Resource(
        "customer_lists",
        "customer_lists",
        f"customer_lists x JOIN numbered_lists l ON l.id = x.id {_ENTRY}",
        _fields(
            "list integer l.n",
            "name string x.name",
            "rule string x.rule",
            "reading string x.reading",
            "question string x.question",
            "query string x.query",
            "as_of date x.as_of",
            "customer_count integer x.customer_count",
            "made_at datetime x.made_at",
        ),
        ("list",),
        "l.n",
        since=2,
    ),
    Resource(
        "list_members",
        "list_members",
        f"listed_members x JOIN numbered_lists l ON l.id = x.list_id {_OF_KEY.format('key_id')}",
        _fields("list integer l.n", "customer_key integer k.n"),
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
            "list integer l.n",
            "number integer x.number",
            "action integer x.action",
            "undoes integer x.undoes",
            "customer_key integer k.n",
            "field string x.field",
            "value string x.value",
            "made_by string x.made_by",
            "made_at datetime x.made_at",
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
            "list integer l.n",
            "customer_key integer k.n",
            "email string x.email",
            "message_id string x.message_id",
            "state string x.state",
            "problem string x.problem",
            "sent_by string x.sent_by",
            "attempted_at datetime x.attempted_at",
        ),
        ("list", "customer_key"),
        "l.n, k.n",
        (("list", "customer_lists", "list"), _KEY),
        since=4,
    ),
)
"""In the sequence in which they can come back: what is pointed to comes first."""
