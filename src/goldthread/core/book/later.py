"""Columns that are made when they are first asked for, each by one thread while others that want it wait."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from threading import Lock
from typing import Any, Generic, Self, TypeVar

from goldthread.core.book.derived import Derived
from goldthread.core.book.order_book import OrderBook

T = TypeVar("T")


class Later(Generic[T]):
    """A value and how it is made; what it is made of is let go once it is."""

    def __init__(self, make: Callable[[], T]) -> None:
        self._make: Callable[[], T] | None = make
        self._made: list[T] = []
        self._lock = Lock()

    def get(self) -> T:
        with self._lock:
            if self._make is not None:
                self._made.append(self._make())
                self._make = None
            return self._made[0]

    @property
    def is_made(self) -> bool:
        return bool(self._made)


class LaterByName(Mapping[str, T]):
    """Values by name, each made when it is first read."""

    def __init__(self, makers: Mapping[str, Callable[[], T]]) -> None:
        self._later = {name: Later(make) for name, make in makers.items()}

    def __getitem__(self, name: str) -> T:
        return self._later[name].get()

    def __contains__(self, name: object) -> bool:
        return name in self._later

    def __iter__(self) -> Iterator[str]:
        return iter(self._later)

    def __len__(self) -> int:
        return len(self._later)


class LaterBook(OrderBook):
    """A book with columns that are made when they are first read: those named in ``_later``."""

    _later: LaterByName[Any]

    @classmethod
    def made_of(cls, later: Mapping[str, Callable[[], Any]], **known: Any) -> Self:
        """A book of what is known of it, fields and attributes of a kind of its own, and of what is made later."""
        book = cls.__new__(cls)
        book.__dict__.update(known, _later=LaterByName(later), _derived=Derived())
        return book

    def __getattr__(self, name: str) -> Any:
        later = self.__dict__.get("_later", ())
        if name not in later:
            raise AttributeError(name)
        value = self.__dict__[name] = later[name]
        return value

    def complete(self) -> None:
        for name in self._later:
            getattr(self, name)
        for named in (self.attributes, self.customers.attributes, self.customers.texts):
            for name in named:
                named[name]
