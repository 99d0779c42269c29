"""A book for whoever may not see who its customers are: numbers in place of names, no contacts."""

from __future__ import annotations

import re
from collections.abc import Collection
from copy import copy
from dataclasses import replace

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from goldthread.core.book.columns import FOUND_BY, Attribute, CustomerColumns
from goldthread.core.book.order_book import OrderBook
from goldthread.core.book.texts import TextColumn
from goldthread.store.read.customers_out import large_strings, texts
from goldthread.store.read.folding import fold

_OF_PEOPLE = re.compile(
    r"\b((first |last |sur)?name|contact|person|attention|phone|tel\b|tele?(ph|f)|mobile|fax|e?-?mail|address|street"
    r"|road|house|zip|postcode|postal|plz|iban|vat\b|tax\b|birth|born)"
)
"""What the name of an attribute holds that is about a person, and not about what they buy."""
_NEARLY_EVERY = 0.5
_FEW = 20


def numbered(book: OrderBook, keeping: Collection[str] | None = None) -> OrderBook:
    """The same orders of customers who are numbers. Attributes that name people, or tell nearly every customer from all
    others, are gone; of a part of a book, those of its customers that are not among ``keeping``."""
    known = copy(book)
    own = replace(book.own, columns={name: each for name, each in book.own.columns.items() if not _is_of_people(name)})
    known.__dict__.update(customers=_numbered(book, keeping), own=own)
    return known


def _numbered(book: OrderBook, keeping: Collection[str] | None) -> CustomerColumns:
    about = book.customers
    number = large_strings(about.texts["number"])
    by_id = pc.binary_join_element_wise(pa.scalar("customer"), pc.cast(pa.array(book.customer_id), pa.string()), " ")
    shown = pc.if_else(pc.equal(number, ""), by_id.cast(pa.large_string()), number)
    tab, end, nothing = (pa.scalar(each, pa.large_string()) for each in ("\t", "\n", ""))
    blank = TextColumn(np.zeros(0, np.uint8), np.zeros(book.customer_count + 1, np.int64))
    return CustomerColumns(
        attributes={
            name: each
            for name, each in about.attributes.items()
            if (not _tells_who(name, each) if keeping is None else name in keeping)
        },
        texts={
            "name": texts(shown),
            "number": about.texts["number"],
            "email": blank,
            FOUND_BY: texts(pc.binary_join_element_wise(nothing, fold(shown), end, tab)),
        },
        numbers=about.numbers,
    )


def _is_of_people(name: str) -> bool:
    return _OF_PEOPLE.search(name.casefold().replace("_", " ")) is not None


def _tells_who(name: str, attribute: Attribute) -> bool:
    most = max(_FEW, _NEARLY_EVERY * attribute.codes.size)
    return name != "town" and (_is_of_people(name) or len(attribute.labels) > most)
