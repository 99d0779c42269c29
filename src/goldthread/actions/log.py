"""Who did what: every change and every taking away is put down by the action that does it, whatever door it came by."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from enum import StrEnum
from typing import Any

from goldthread.actor import actor
from goldthread.core.records import HIDDEN
from goldthread.csv_writer import csv_line
from goldthread.store import log
from goldthread.store.log import LogChoice, LogRow
from goldthread.workspace import Workspace


class Deed(StrEnum):
    """What can be put down, with the words for it; ``{}`` is what it was done to."""

    words: str

    def __new__(cls, value: str, words: str) -> Deed:
        made = str.__new__(cls, value)
        made._value_ = value
        made.words = words
        return made

    SIGNED_IN = "signed in", "signed in"
    SIGN_IN_REFUSED = "sign-in refused", "tried to sign in as {} and was refused"
    SIGNED_OUT = "signed out", "signed out"
    SESSIONS_ENDED = "sessions ended", "ended sessions of {}"
    ACCOUNT_MADE = "account made", "made the account {}"
    ACCOUNT_CHANGED = "account changed", "changed the account {}"
    ACCOUNT_ENDED = "account ended", "ended the account {}"
    LINK_MADE = "password link made", "made a link by which {} sets a password"
    PASSWORD_SET = "password set", "set the password of {}"
    CODES_CHANGED = "one-time codes changed", "changed the one-time codes of {}"
    DATABASE_GRANTED = "database allowed", "changed what database may be asked: {}"
    REFUSED = "refused", "was refused: {}"
    SECRETS_ROTATED = "secrets rotated", "replaced the installation's secrets"
    BOOK_BEGUN = "book begun", "began the book {}"
    BOOK_EXPORTED = "book exported", "took the whole book"
    BOOK_IMPORTED = "book imported", "imported the book {}"
    SETTING_CHANGED = "setting changed", "changed a setting of the book: {}"
    MEMBER_SET = "role set", "made {}"
    MEMBER_REMOVED = "member removed", "removed {} from the book"
    TOKEN_MADE = "token made", "made the token {}"
    TOKEN_ENDED = "token ended", "ended a token"
    IMPORTED = "file imported", "imported {}"
    WITHDRAWN = "delivery withdrawn", "withdrew {}"
    LEFT_OUT = "file left out", "left out {}, which had come by itself"
    SCHEDULE_MADE = "schedule made", "made a schedule: {}"
    SCHEDULE_CHANGED = "schedule changed", "changed a schedule: {}"
    SCHEDULE_REMOVED = "schedule removed", "removed a schedule: {}"
    SCHEDULE_RUN = "schedule run", "had a schedule run: {}"
    LETTER_SENT = "letter sent", "sent a letter: {}"
    QUERY_RUN = "query run", "took rows from the database {}"
    ORDER_PUT = "order saved", "saved the order {}"
    ORDER_CANCELLED = "order cancelled", "cancelled the order {}"
    CUSTOMER_PUT = "customer saved", "saved a customer"
    EVENT_PUT = "event saved", "put the event {} on the time axis"
    MATCHED = "match decided", "decided whether customers are one"
    ATTRIBUTE_CHANGED = "attribute changed", "changed the attribute {}"
    LIST_KEPT = "list kept", "kept the list {}"
    LIST_RENAMED = "list renamed", "renamed a list to {}"
    LIST_DELETED = "list deleted", "deleted the list {}"
    LIST_BROUGHT_BACK = "list brought back", "brought back a list"
    LIST_SHARED = "list shared", "changed who sees the list {}"
    WORKED = "list worked", "worked the list {}"
    WORK_UNDONE = "work undone", "took back work on the list {}"
    MAILED = "mail sent", "wrote to the customers of the list {}"
    VIEW_SAVED = "view saved", "saved the view {}"
    VIEW_DELETED = "view deleted", "deleted the view {}"
    VIEW_BROUGHT_BACK = "view brought back", "brought back a view"
    VIEW_SHARED = "view shared", "changed who sees the view {}"
    NOTE_WRITTEN = "note written", "wrote a note on {}"
    NOTE_REMOVED = "note removed", "took back a note on {}"
    BRIEF_WRITTEN = "brief written", "wrote in the brief {}"
    BRIEF_REMOVED = "brief removed", "removed the brief {}"
    SHARED_OUTSIDE = "link made", "made the link {} for somebody outside"
    LINK_ENDED = "link ended", "ended the link {} for somebody outside"
    LINK_OPENED = "link opened", "opened the link {} for somebody outside"
    PERSON_EXPORTED = "person exported", "took all that is on record of a customer"
    PERSON_ERASED = "person erased", "erased a customer"
    FILE_TAKEN = "file taken", "took a file: {}"
    LOG_TAKEN = "log taken", "took the log"


def put_down(workspace: Workspace, deed: Deed, book_id: int | None = None, subject: str = "", **details: Any) -> None:
    """Put down what whoever acts has done, with what there is to know of it. ``subject`` is shown, so that it names
    things and accounts, never a customer."""
    plain = HIDDEN.sub("", " ".join(subject.split()))
    log.add_entry(workspace.record.engine, actor(), deed, book_id, plain, details)


def taken(workspace: Workspace, book_id: int, what: str, **details: Any) -> None:
    """Put down that somebody took a file: of which question, what was asked, and how many rows it has."""
    put_down(
        workspace, Deed.FILE_TAKEN, book_id, what, **{name: each for name, each in details.items() if each is not None}
    )


def sentence(row: LogRow) -> str:
    """What an entry says, after the name of whoever did it."""
    words = next((deed.words for deed in Deed if deed == row.deed), row.deed)
    return words.replace("{}", row.subject)


def read_log(workspace: Workspace, choice: LogChoice, offset: int, limit: int) -> tuple[int, list[LogRow]]:
    """How many entries there are, and some of them, the newest first."""
    engine = workspace.record.engine
    return log.entry_count(engine, choice), log.list_entries(engine, choice, offset, limit)


def people_named(workspace: Workspace, book_id: int | None) -> list[str]:
    """Who did anything, by name."""
    return log.people_named(workspace.record.engine, book_id)


def log_csv(workspace: Workspace, choice: LogChoice) -> Iterator[str]:
    """The log as a table. Columns: who, when (UTC), from, what, to_which, rows (of a file that was taken)."""
    yield csv_line(("who", "when", "from", "what", "to_which", "rows"))
    for each in log.every_entry(workspace.record.engine, choice):
        rows = str(each.details.get("rows", ""))
        yield csv_line((each.who, _moment(each.at), each.came_from, each.deed, each.subject, rows))


def _moment(at: dt.datetime) -> str:
    return f"{at.isoformat(timespec='seconds')}Z"


def forget_old(workspace: Workspace) -> None:
    """Remove entries that are older than the settings keep them."""
    log.forget_older(workspace.record.engine, workspace.settings.log_kept_days)
