"""Links for somebody outside: one view of a book, until a date, without an account."""

from __future__ import annotations

import datetime as dt
import secrets
import threading

from cachetools import TTLCache

from goldthread.actions.books import short_name, today_of, zone
from goldthread.actions.log import Deed, put_down
from goldthread.actions.people import address_of
from goldthread.actions.saved_views import must_be_short
from goldthread.actions.signing_in import PASSWORD_MOST, hash_of, put_down_of, tried
from goldthread.actor import NOBODY, Actor, Role, act_as, actor
from goldthread.errors import InvalidInput, NotFound, PassphraseNeeded
from goldthread.store import shared_links
from goldthread.store.books import BookRow
from goldthread.store.people import hashed
from goldthread.store.schema.people import NAME_LENGTH
from goldthread.store.shared_links import SharedRow
from goldthread.workspace import Workspace

DAYS_MOST = 366
PASSPHRASE_LEAST = 8
_SECRET_BYTES = 32
_KNOWN: TTLCache[tuple[int, str], bool] = TTLCache(10_000, 600)
"""Passphrases that were right a moment ago, as hashes: an answer takes several requests."""
_knowing = threading.Lock()


def list_links(workspace: Workspace, book: BookRow) -> list[SharedRow]:
    """The links of a book that hold, the newest first."""
    return shared_links.list_links(workspace.record.engine, book.id)


def add_link(
    workspace: Workspace,
    book: BookRow,
    name: str,
    stop: str,
    query: str,
    until: dt.date,
    *,
    frozen: str | None = None,
    opens_figures: bool = False,
    shows_people: bool = False,
    passphrase: str = "",
) -> str:
    """Make a link that holds to the end of a day of the book; gives its address, which is shown once. ``frozen``: the
    answer as it is now, for a link that does not ask again. Raises `InvalidInput` and `TooLarge`."""
    called = short_name(name, "name", NAME_LENGTH)
    days = (until - today_of(book)).days
    if not 0 <= days <= DAYS_MOST:
        raise InvalidInput(
            f"A link holds until a day from today on, and for {DAYS_MOST} days at most.",
            remedy="Choose such a day.",
            field="until",
        )
    if frozen is not None and opens_figures:
        raise InvalidInput(
            "Figures of an answer that is kept as it is now cannot be opened: what stands behind them may change.",
            remedy="Choose one of the two.",
            field="opens_figures",
        )
    if passphrase and not PASSPHRASE_LEAST <= len(passphrase) <= PASSWORD_MOST:
        raise InvalidInput(
            f"A passphrase has {PASSPHRASE_LEAST} to {PASSWORD_MOST} characters.",
            remedy="Choose another one, or none.",
            field="passphrase",
        )
    must_be_short(query)
    ends = dt.datetime.combine(until + dt.timedelta(days=1), dt.time(), zone(book.time_zone))
    secret = secrets.token_urlsafe(_SECRET_BYTES)
    link = shared_links.add_link(
        workspace.record.engine,
        book.id,
        secret,
        user_id=actor().user,
        name=called,
        stop=stop,
        query=query,
        frozen=frozen,
        opens_figures=opens_figures,
        shows_people=shows_people,
        passphrase=hash_of(passphrase) if passphrase else "",
        ends_at=ends.astimezone(dt.UTC).replace(tzinfo=None),
    )
    how = {"frozen": frozen is not None, "figures": opens_figures, "people": shows_people}
    put_down(workspace, Deed.SHARED_OUTSIDE, book.id, called, until=until.isoformat(), link=link, **how)
    # behind the mark, so that it goes into no log of a server
    return f"{address_of(workspace.settings)}/shared/{link}#{secret}"


def last_day(book: BookRow, row: SharedRow) -> dt.date:
    """The last day of the book on which a link holds."""
    return row.ends_at.replace(tzinfo=dt.UTC).astimezone(zone(book.time_zone)).date() - dt.timedelta(days=1)


def end_link(workspace: Workspace, book: BookRow, link: int) -> None:
    """End a link, at once. Raises `NotFound`."""
    name = shared_links.end_link(workspace.record.engine, book.id, link)
    put_down(workspace, Deed.LINK_ENDED, book.id, name, link=link)


def open_link(workspace: Workspace, link: int, secret: str, passphrase: str) -> SharedRow:
    """A link by its number, its secret, and its passphrase where it has one. Whatever follows in this thread is done as
    a reader of the book who sees what whoever made the link may see, and people where that was allowed. Raises
    `NotFound` for a link that does not hold, `PassphraseNeeded` and `TooManyTries`."""
    row = shared_links.find_link(workspace.record.engine, link, secret) if secret else None
    if row is None:
        raise NotFound(
            "This link has ended, or its address is not whole.",
            remedy="Ask whoever gave it to you for another one.",
            field="link",
        )
    came_from = actor().came_from
    if row.passphrase:
        _must_fit(workspace, row, passphrase, came_from)
    act_as(Actor(row.made_by, row.user, came_from, Role.READER, NOBODY.rights, sees_people=row.shows_people))
    return row


def _must_fit(workspace: Workspace, row: SharedRow, passphrase: str, came_from: str) -> None:
    given = (row.id, hashed(f"{row.passphrase} {passphrase}"))
    with _knowing:
        if given in _KNOWN:
            return
    if not passphrase or not tried(workspace, f"link {row.id}", came_from, row.passphrase, passphrase):
        said = "This is not the passphrase." if passphrase else "This link has a passphrase."
        raise PassphraseNeeded(said, remedy="Whoever gave you the link knows it.", field="passphrase")
    with _knowing:
        _KNOWN[given] = True


def note_opened(workspace: Workspace, row: SharedRow) -> None:
    """Count that somebody opened a link."""
    if shared_links.note_opened(workspace.record.engine, row.id):
        put_down_of(workspace, Actor(came_from=actor().came_from), Deed.LINK_OPENED, row.name, row.book)


def frozen_answer(workspace: Workspace, row: SharedRow) -> str:
    """The answer of a link as it was, as JSON."""
    return shared_links.frozen_answer(workspace.record.engine, row.id)
