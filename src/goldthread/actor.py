"""Who acts, and what each role may do. A door sets who it is; everything beneath it in the same thread can ask.

Without accounts one person acts, who may do everything, as may whoever owns the installation on its machine.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

from goldthread.errors import NotAllowed


class Role(StrEnum):
    """What somebody is in a book."""

    READER = "reader"
    CALLER = "caller"
    ANALYST = "analyst"
    OWNER = "owner"


class Right(StrEnum):
    """What may be done; every route and every command asks for one. The first five are of the installation, the others
    of a book."""

    ANYBODY = "without signing in"
    PERSON = "signed in"
    SELF = "look after one's own account"
    BEGIN = "begin books"
    ADMINISTER = "administer"
    SEE = "see that the book is there"
    LISTED = "see customers on lists"
    WORK = "work lists"
    ASK = "ask and take files"
    KEEP = "keep lists and views"
    CHANGE = "import and correct"
    OWN = "decide about the book"


_READS = frozenset({Right.SEE, Right.LISTED, Right.ASK, Right.KEEP})
_CHANGES = _READS | {Right.WORK, Right.CHANGE}
RIGHTS: dict[Role, frozenset[Right]] = {
    Role.READER: _READS,
    Role.CALLER: frozenset({Right.SEE, Right.LISTED, Right.WORK}),
    Role.ANALYST: _CHANGES,
    Role.OWNER: _CHANGES | {Right.OWN},
}
"""What each role may do in a book (docs/definitions.md, section 15)."""
EVERY_RIGHT = frozenset(Right)
_OF_ANYBODY = frozenset({Right.ANYBODY})


def roles_with(right: Right) -> list[Role]:
    """The roles that may do something in a book."""
    return [role for role in Role if right in RIGHTS[role]]


@dataclass(frozen=True)
class Actor:
    """Whoever acts. ``name`` and ``user`` are those of an account, blank and None where there is none; ``came_from`` is
    an address. ``role``: in the book that this is about; None outside of one. ``only_book`` and ``only_role``: a
    program's token knows no other book, and does no more there. ``sees_people``: names and contacts of customers, and
    not numbers alone."""

    name: str = ""
    user: int | None = None
    came_from: str = ""
    role: Role | None = None
    rights: frozenset[Right] = EVERY_RIGHT
    only_book: int | None = None
    only_role: Role | None = None
    sees_people: bool = True

    def may(self, right: Right) -> bool:
        """Whether it may do something."""
        return right in self.rights

    def rights_in(self, role: Role) -> frozenset[Right]:
        """What it may do in a book in which its account has a role."""
        return RIGHTS[role] if self.only_role is None else RIGHTS[role] & RIGHTS[self.only_role]

    @property
    def sees_everything(self) -> bool:
        """Whether everybody's lists and views of a book are its own."""
        return self.user is None or self.role is Role.OWNER

    @property
    def changes_things(self) -> bool:
        """Whether it imports and corrects here, and is told of what needs somebody who does."""
        return self.may(Right.CHANGE) and self.role not in (Role.READER, Role.CALLER)

    def sees(self, has_own: bool) -> tuple[int | None, bool, bool]:
        """What tells answers of one book apart that people see who may not see the same; ``has_own``: some lists are
        their author's alone."""
        return self.user if has_own or self.role is Role.CALLER else None, self.sees_people, self.changes_things

    def must_have_made(self, made_by: str, what: str) -> None:
        """Only its author, and owners of the book, change or delete what somebody made. Raises `NotAllowed`."""
        if not self.sees_everything and made_by != self.name:
            whose = made_by or "an owner of the book"
            raise NotAllowed(f"This {what} is not yours.", remedy=f"Ask {whose}, or make one of your own.")

    def told(self) -> dict[str, Any]:
        """What a piece of work is put down with, so that whoever does it acts as whoever asked."""
        return {
            "name": self.name,
            "user": self.user,
            "came_from": self.came_from,
            "role": self.role,
            "people": self.sees_people,
        }

    @classmethod
    def of(cls, told: Mapping[str, Any]) -> Actor:
        """Whoever asked for a piece of work; what they may do was seen to when they did."""
        role = Role(told["role"]) if told["role"] else None
        return cls(told["name"], told["user"], told["came_from"], role, sees_people=told["people"])


NOBODY = Actor(rights=_OF_ANYBODY)
"""Somebody who has not signed in where that is wanted."""
AT_THE_DESK = Actor()
"""The one person of an installation without accounts, or whoever runs a command on its machine."""

_actor: ContextVar[Actor] = ContextVar("actor", default=AT_THE_DESK)


def actor() -> Actor:
    """Who acts in this thread."""
    return _actor.get()


def act_as(who: Actor) -> None:
    """Whatever follows in this thread is done by somebody."""
    _actor.set(who)


@contextmanager
def acting_as(who: Actor) -> Iterator[None]:
    """What is done meanwhile is done by somebody."""
    token = _actor.set(who)
    try:
        yield
    finally:
        _actor.reset(token)
