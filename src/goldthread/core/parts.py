"""How the results of parts of a book add up: a part holds a range of its customers, with all their orders.

Customers of different parts are different people, so whatever counts customers, orders or amounts of a part adds up to
that of the whole. A result that does is a dataclass with ``+``; the arrays of both are laid on one axis first, since a
part may begin later, or lack a label. What a part cannot know by itself is found in a first round, of results that add
up as well, and given to the second one: `StepGaps` (`core.book.steps`), `WaitLabels` (`core.rhythm.waits`) and
`GroupSizes` (`core.worth.bands`).

A question whose answers add up is marked by `adds_up`: of a history whose parts are elsewhere (`Elsewhere`) it is asked
there, and what came of it is the sum. Whose the counted orders are is not sent: a result that also knows them reads
them here, once somebody asks (`MadeLater`).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, fields, replace
from functools import cache, wraps
from inspect import signature
from typing import Any, Concatenate, ParamSpec, Protocol, Self, TypeVar, cast, get_type_hints

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.later import Later

Int64s = NDArray[np.int64]
Integers = NDArray[Any]
Run = tuple[int, int]
"""The first of some whole numbers, and how many follow each other from there."""


@dataclass(frozen=True, eq=False)
class Together:
    """One axis for the arrays of two results. ``one``, ``other``, ``keys`` : what the entries of these arrays, and of
    both together, stand for, such as periods or codes of labels; int64, ascending."""

    one: Int64s
    other: Int64s
    keys: Int64s

    @classmethod
    def by_code(cls, one: Int64s, other: Int64s) -> Together:
        """Entries that stand for codes, of which either may lack some."""
        return cls(one, other, np.union1d(one, other))

    @classmethod
    def by_period(cls, one: Run, other: Run) -> Together:
        """Entries that stand for periods which follow each other without a gap, from the first on."""
        runs = [each for each in (one, other) if each[1]] or [one]
        first, end = min(each[0] for each in runs), max(map(sum, runs))
        return cls(*(np.arange(start, start + count) for start, count in (one, other, (first, end - first))))

    @property
    def first(self) -> int:
        """The first entry of both; 0 where there is none."""
        return int(self.keys[0]) if self.keys.size else 0

    def labels(self, one: Sequence[str], other: Sequence[str]) -> tuple[str, ...]:
        """The labels of the codes of both."""
        named = dict(zip(self.one.tolist(), one, strict=True)) | dict(zip(self.other.tolist(), other, strict=True))
        return tuple(named[code] for code in self.keys.tolist())

    def both(self, one: Integers, other: Integers, absent: int = 0, axis: int = 0) -> tuple[Integers, Integers]:
        """Two arrays on the axis of both. ``absent`` : what stands where there is no entry."""
        laid = []
        for values, keys in ((one, self.one), (other, self.other)):
            shape = list(values.shape)
            shape[axis] = self.keys.size
            whole = np.full(shape, absent, values.dtype)
            here: list[Any] = [slice(None)] * values.ndim
            here[axis] = np.searchsorted(self.keys, keys)
            whole[tuple(here)] = values
            laid.append(whole)
        return laid[0], laid[1]

    def of(
        self, one: Integers, other: Integers, how: Callable[..., Integers] = np.add, absent: int = 0, axis: int = 0
    ) -> Integers:
        """Two arrays as one. Further axes begin alike, and the shorter one is filled up."""
        laid = self.both(one, other, absent, axis)
        longest = [max(lengths) for lengths in zip(*(each.shape for each in laid), strict=True)]
        missing = ([(0, end - length) for end, length in zip(longest, each.shape, strict=True)] for each in laid)
        return how(*(np.pad(each, ends, constant_values=absent) for each, ends in zip(laid, missing, strict=True)))


class Sums:
    """A result whose fields add up one by one: arrays that begin alike, whole numbers, and results of this kind. What
    else it holds, such as labels, both have in common. One that also knows a history gives the counts alone."""

    def __add__(self, other: Self) -> Self:
        """The same question of two parts of a book."""
        counts = next(kind for kind in type(self).__mro__ if Sums in kind.__bases__)
        found: Self = counts(**{name: _sum(getattr(self, name), getattr(other, name)) for name in _fields(counts)})
        return found


def _fields(kind: Any) -> list[str]:
    return [each.name for each in fields(kind)]


def _sum(one: Any, other: Any) -> Any:
    if isinstance(one, np.ndarray):
        return added(one, other)
    return one + other if isinstance(one, int | Sums) else one


def added(one: Integers, other: Integers) -> Integers:
    """The sum of two arrays that begin alike; the shorter one is filled up with zeros."""
    return Together.by_period((0, one.shape[0]), (0, other.shape[0])).of(one, other)


class MadeLater:
    """A dataclass of which some fields, those without a default, are made when one of them is first read."""

    @classmethod
    def made_of(cls, known: Mapping[str, Any], make: Callable[[], Any], again: MadeAgain | None = None) -> Self:
        """Of what is known of it, and of what gives something that has the other fields. ``again`` : makes the same of
        any part."""
        made = cls.__new__(cls)
        made.__dict__.update(known, _rest=Later(make), _again=again)
        return made

    @property
    def again(self) -> Callable[[Any], Self]:
        """Makes the same of a history, or of any part of it. It can be sent where parts are elsewhere."""
        again: MadeAgain | None = self.__dict__.get("_again")
        return again or (lambda _history: self)

    def __reduce__(self) -> tuple[Any, ...]:
        """What is sent of it are the counts, which need nothing else."""
        counts = type(self).__bases__[0]
        return counts, tuple(getattr(self, name) for name in _fields(counts))

    @property
    def counts_alone(self) -> Any:
        """What is sent of it."""
        kind, values = self.__reduce__()
        return kind(*values)

    def __getattr__(self, name: str) -> Any:
        rest = self.__dict__.get("_rest")
        if rest is None or name not in _fields(type(self)):
            raise AttributeError(name)
        return getattr(rest.get(), name)


@dataclass(frozen=True, eq=False)
class MadeAgain:
    """Asks a history the same as all parts were asked. What it gives has the counts, and so the axes, of all parts."""

    work: Callable[..., Any]
    given: tuple[Any, ...]
    named: Mapping[str, Any]
    counts: Any

    def __call__(self, history: Any) -> Any:
        made = self.work(history, *self.given, **self.named)
        return replace(made, **{name: getattr(self.counts, name) for name in _fields(self.counts)})


Question = tuple[Callable[..., Any], tuple[Any, ...]]
"""What is asked of a history, and what is given with it."""


@dataclass(frozen=True, eq=False)
class Several:
    """What several questions say, or one says of several groups."""

    found: tuple[Any, ...]

    def __add__(self, other: Several) -> Several:
        """Of two parts of a book."""
        return Several(tuple(one + another for one, another in zip(self.found, other.found, strict=True)))


class Elsewhere(Protocol):
    """The parts of a book as a rule reads them, wherever they are."""

    def total(self, work: Callable[..., Any], given: tuple[Any, ...], named: Mapping[str, Any]) -> Any:
        """What a work says of the histories of all parts, added up; what is ``given`` and ``named`` goes with it. None
        where it cannot be asked there now, and is to be worked out here."""

    def know(self, *questions: Question) -> None:
        """Ask several questions at once: what they say is known when each of them is asked next."""

    def narrowed(self, how: Callable[[Any], Any]) -> Elsewhere:
        """The same of what each part's history is made into."""

    def of_a_few(self, whole: Any, places: Integers) -> Any:
        """The history of a few customers of the whole book, as the parts are read."""


class InParts(Protocol):
    """A history that may have its parts elsewhere. ``here`` : the same, read whole in this process."""

    @property
    def elsewhere(self) -> Elsewhere | None: ...

    @property
    def here(self) -> Any: ...


H = TypeVar("H", bound=InParts)
Asked = ParamSpec("Asked")
R = TypeVar("R")


def adds_up(work: Callable[Concatenate[H, Asked], R]) -> Callable[Concatenate[H, Asked], R]:
    """A question of a history whose answers of parts add up to that of the whole: asked of the parts where these are
    elsewhere. What else is given must mean the same for every part."""

    @wraps(work)
    def asked(history: H, /, *given: Asked.args, **named: Asked.kwargs) -> R:
        parts = history.elsewhere
        if parts is None:
            return work(history, *given, **named)
        total = parts.total(asked, given, named)
        if total is None:
            return work(history.here, *given, **named)
        kind = _kind(work)
        if not issubclass(kind, MadeLater):
            return cast(R, total)
        known = signature(work).bind(history, *given, **named).arguments
        known = {name: value for name, value in known.items() if name in _fields(kind)}
        again = MadeAgain(asked, given, named, total)
        made: Any = kind.made_of({**known, **vars(total)}, lambda: work(history.here, *given, **named), again)
        return cast(R, made)

    return asked


@adds_up
def several(history: InParts, questions: tuple[Question, ...]) -> Several:
    """Ask several questions that add up."""
    return Several(tuple(work(history, *given) for work, given in questions))


def ask_together(history: InParts, *questions: Question) -> None:
    """Ask parts that are elsewhere several questions at once, which are then asked one by one."""
    if history.elsewhere is not None:
        history.elsewhere.know(*questions)


@cache
def _kind(work: Callable[..., Any]) -> type:
    """What a work gives; `object` where that is no class."""
    kind = get_type_hints(work)["return"]
    return kind if isinstance(kind, type) else object
