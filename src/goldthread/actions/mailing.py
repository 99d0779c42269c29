"""The messages to the members of a list: a plain text template, filled in for everybody who can be written to.

Every field of a template is checked before the first message.
"""

from __future__ import annotations

import re
import string
from collections import Counter
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.actions.books import today_of
from goldthread.core.book.columns import Attribute
from goldthread.core.book.days import to_day
from goldthread.core.book.texts import TextColumn
from goldthread.core.calendar_words import date_words
from goldthread.core.choices import Kind, MailState, MemberState
from goldthread.core.history.conditions import Level, Values
from goldthread.core.history.fields import FieldValues
from goldthread.core.history.history import HistoryRule
from goldthread.core.limits import WORKED_MOST
from goldthread.core.money import money_text, number_text
from goldthread.core.records import HIDDEN
from goldthread.errors import InvalidInput, TooLarge
from goldthread.store import lists, mails, working
from goldthread.store.books import BookRow
from goldthread.store.working import UNTOUCHED
from goldthread.workspace import Workspace

SUBJECT_LENGTH, TEXT_LENGTH = 200, 20_000
ADDRESS = re.compile(r"[^\s<>,;:\"@]+@[^\s<>,;:\"@]+")
_UNSUBSCRIBED = ("unsubscribed", "opted_out", "opt_out", "no_newsletter")
_NO = ("", "no", "false", "0", "n")


@dataclass(frozen=True)
class Template:
    """A subject and a text, in which names of fields in braces stand for what each customer has: {name}."""

    subject: str
    text: str


@dataclass(frozen=True)
class Message:
    """One message as it will be sent; ``blank`` are fields that this customer has nothing for: it is not sent then."""

    customer_id: int
    name: str
    email: str
    subject: str
    text: str
    blank: tuple[str, ...]


@dataclass(frozen=True)
class Mailing:
    """The messages to the members of a list who are to do, and how many others get none, by reason."""

    messages: list[Message]
    left_out: dict[str, int]

    @property
    def ready(self) -> list[Message]:
        """Those that can be sent."""
        return [each for each in self.messages if not each.blank]


NOT_TO_DO, NO_EMAIL, NOT_TO_BE_CONTACTED, UNSUBSCRIBED, HAS_ONE, SAME_ADDRESS = (
    "not to do any more",
    "no e-mail that can be written to",
    "closed or not to be contacted",
    "unsubscribed",
    "a message already",
    "the same address as another member",
)


def mailing(workspace: Workspace, book: BookRow, list_id: int, template: Template) -> Mailing:
    """Every message as it will be sent. Raises `InvalidInput` for a template with a field that is not there."""
    shelved, engine = workspace.orders(book.id), workspace.record.engine
    history = workspace.history(shelved, HistoryRule(to_day(today_of(book))))
    fields = history.fields
    wanted = _fields_of(template, fields)
    places = np.flatnonzero(workspace.list_members(shelved, list_id))
    if places.size > WORKED_MOST:
        raise TooLarge(f"{places.size} messages are too many; {WORKED_MOST} are the most.", remedy="Narrow the list.")
    known = {name: _texts(fields, name, places) for name in {*wanted, "name", "email"}}
    marks = [_yes(fields, name, places) for name in ("closed", "do_not_contact")]
    unsubscribed = [_yes(fields, name, places) for name in _UNSUBSCRIBED]
    entries, sent = working.entries(engine, list_id), mails.mails_of(engine, list_id)
    done = {each.customer_id for each in sent if each.state is not MailState.REFUSED}
    addresses = {each.email for each in sent if each.state is not MailState.REFUSED}
    messages, left_out = [], Counter[str]()
    for place, customer in enumerate(shelved.orders.customer_id.take(places).tolist()):
        email = known["email"][place].strip()
        reason = _reason(
            entries.get(customer, UNTOUCHED).state is MemberState.TO_DO,
            email,
            any(mark[place] for mark in marks),
            any(mark[place] for mark in unsubscribed),
            customer in done,
            email.casefold() in addresses,
        )
        if reason:
            left_out[reason] += 1
            continue
        addresses.add(email.casefold())
        values = {name: known[name][place] for name in wanted}
        blank = tuple(name for name, value in values.items() if not value)
        subject, text = (part.format_map(values) for part in (template.subject, template.text))
        messages.append(Message(customer, known["name"][place], email, " ".join(subject.split()), text, blank))
    return Mailing(messages, dict(left_out))


def _reason(to_do: bool, email: str, marked: bool, unsubscribed: bool, has_one: bool, same: bool) -> str:
    """Why somebody gets no message; empty for who gets one."""
    if has_one:
        return HAS_ONE
    if not to_do:
        return NOT_TO_DO
    if marked:
        return NOT_TO_BE_CONTACTED
    if unsubscribed:
        return UNSUBSCRIBED
    if not ADDRESS.fullmatch(email):
        return NO_EMAIL
    return SAME_ADDRESS if same else ""


def _fields_of(template: Template, fields: FieldValues) -> list[str]:
    """The names of the fields of a template. Raises `InvalidInput`."""
    for part, most, name in ((template.subject, SUBJECT_LENGTH, "subject"), (template.text, TEXT_LENGTH, "text")):
        if not part.strip():
            raise InvalidInput(f"The {name} is empty.", remedy="Write one.", field=name)
        if len(part) > most:
            raise InvalidInput(f"The {name} is longer than {most} characters.", remedy="Shorten it.", field=name)
    if HIDDEN.search(template.subject):
        raise InvalidInput("The subject has a line break.", remedy="Write it in one line.", field="subject")
    known = {each.name for each in fields.fields if each.level is Level.CUSTOMER}
    found: dict[str, None] = {}
    for part, name in ((template.subject, "subject"), (template.text, "text")):
        try:
            pieces = list(string.Formatter().parse(part))
        except ValueError:
            raise InvalidInput(
                f"A brace of the {name} has no other.", remedy="Write {{ and }} for braces themselves.", field=name
            ) from None
        for _, field, form, conversion in pieces:
            if field is None:
                continue
            if field not in known or form or conversion:
                raise InvalidInput(
                    f"{{{field}}} is no field of customers.",
                    remedy=f"Fields are: {', '.join(sorted(known))}.",
                    field=name,
                )
            found[field] = None
    return list(found)


def _texts(fields: FieldValues, name: str, places: NDArray[np.int64]) -> list[str]:
    """What some customers have, as people read it; empty where they have nothing."""
    field = fields.field(name)
    values: Values = fields.values(name)
    match values:
        case TextColumn():
            return values.some(places)
        case Attribute():
            return [values.labels[code] for code in values.codes.take(places).tolist()]
    missing = np.zeros(places.size, np.bool_) if values.missing is None else values.missing.take(places)
    return [
        "" if gone else _said(value, field.kind)
        for value, gone in zip(values.values.take(places).tolist(), missing.tolist(), strict=True)
    ]


def _said(value: float, kind: Kind) -> str:
    match kind:
        case Kind.DATE:
            return date_words(int(value))
        case Kind.MONEY:
            return money_text(int(value))
        case Kind.NUMBER:
            return number_text(int(value))
        case _:
            return f"{value:g}"


def _yes(fields: FieldValues, name: str, places: NDArray[np.int64]) -> list[bool]:
    """Which of some customers are marked so; nobody in a book without such a mark."""
    if name not in fields.by_name:
        return [False] * places.size
    return [text.strip().casefold() not in _NO for text in _texts(fields, name, places)]


def mail_counts(workspace: Workspace, book: BookRow, list_id: int) -> dict[MailState, int]:
    """How many messages of a list stand how. Raises `NotFound`."""
    lists.find_list(workspace.record.engine, book.id, list_id)
    return mails.counts_of(workspace.record.engine, list_id)
