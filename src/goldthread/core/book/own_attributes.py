"""Own attributes of orders: further columns of the files, each read when it is first asked for.

A book can have dozens of them, of which a question needs one or two. What they are called and what their values are is
known at once; the codes come from a reader that is given with the book.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from threading import Lock

from goldthread.core.book.columns import Attribute, Int64s
from goldthread.core.records import AttributeType


@dataclass(frozen=True)
class OwnColumn:
    """An own attribute: ``title`` is what people call it; ``hidden``: it is not offered, but can be asked for.

    ``slot`` is its place in the record.
    """

    title: str
    type: AttributeType
    hidden: bool = False
    slot: int = 0


ReadOwn = Callable[[str, Int64s], Attribute]
"""Gives an attribute of some orders, named by their ids. Labels are canonical texts (`AttributeType`), ascending as
their values do, and the empty label stands for a blank."""
ReadLabels = Callable[[str, int], tuple[str, ...]]
"""Gives the first so many labels of an attribute without its codes, ascending; some may stand in no order any more."""


def _none(name: str, _order_id: Int64s) -> Attribute:
    raise KeyError(name)


def _no_labels(_name: str, _most: int) -> tuple[str, ...]:
    return ()


@dataclass(frozen=True, eq=False)
class OwnAttributes:
    """The own attributes of a book's orders, by name; safe to use from several threads."""

    columns: Mapping[str, OwnColumn] = field(default_factory=dict)
    read: ReadOwn = _none
    labels: ReadLabels = _no_labels
    _found: dict[str, Attribute] = field(default_factory=dict, repr=False)
    _lock: Lock = field(default_factory=Lock, repr=False)

    @property
    def found(self) -> Mapping[str, Attribute]:
        """The attributes that were read already."""
        return dict(self._found)

    def of(self, name: str, order_id: Int64s) -> Attribute:
        """An attribute of the book's orders, in their sequence; kept once it was read."""
        known = self._found.get(name)
        if known is not None:
            return known
        with self._lock:
            if name not in self._found:
                self._found[name] = self.read(name, order_id)
            return self._found[name]
