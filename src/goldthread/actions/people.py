"""Accounts, members of books, tokens of programs: make, change, end."""

from __future__ import annotations

import datetime as dt
import re
import secrets

from goldthread.actions.books import short_name
from goldthread.actions.log import Deed, put_down
from goldthread.actions.sending import is_set_up, mail_plain
from goldthread.actions.signing_in import checked_password, hash_of, slow_down
from goldthread.actor import RIGHTS, Actor, Right, Role, actor
from goldthread.errors import InvalidInput, NotAllowed, NotFound, Unavailable
from goldthread.settings import Settings
from goldthread.store import people, sign_ins
from goldthread.store.books import BookRow
from goldthread.store.people import MemberRow, TokenRow, UserRow
from goldthread.store.schema.people import EMAIL_LENGTH, NAME_LENGTH
from goldthread.store.sign_ins import Standing
from goldthread.workspace import Workspace

TOKEN_DAYS_MOST = 366
TOKEN_BEGINS = "gt_"  # noqa: S105 - no secret, but what tells one
"""What every token begins with, so that one that got out can be recognised."""
_EMAIL = re.compile(r"[^@\s<>\"',;]+@[^@\s<>\"',;]+")
_NAME = re.compile(r"\w[\w .@'’-]*")
_SECRET_BYTES = 32


def who_asks(workspace: Workspace, book_id: int | None, sign_in: str, token: str) -> Standing:
    """Who a session or a token belongs to, what they are in a book, and how that stands; that it is in use is noted."""
    engine = workspace.record.engine
    found = sign_ins.standing(engine, book_id, sign_in, token)
    sign_ins.note_use(engine, found)
    return found


def may_begin(workspace: Workspace, who: Actor) -> bool:
    """Whether somebody may begin books: administrators, and owners of any, but no program."""
    if who.may(Right.BEGIN) or who.user is None or who.only_book is not None:
        return who.may(Right.BEGIN)
    return Role.OWNER in people.roles_of(workspace.record.engine, who.user).values()


def has_accounts(workspace: Workspace) -> bool:
    """Whether anybody has an account here, or had one."""
    return sign_ins.standing(workspace.record.engine, None).has_accounts


def list_users(workspace: Workspace) -> list[UserRow]:
    """Every account, ended ones too, by name."""
    return people.list_users(workspace.record.engine)


def find_user(workspace: Workspace, name_or_id: str | int) -> UserRow:
    """An account that has not ended. Raises `NotFound`."""
    found = people.find_user(workspace.record.engine, name_or_id)
    if found is None:
        raise NotFound(
            f"There is no account {f'called {name_or_id}' if isinstance(name_or_id, str) else 'like that'}.",
            remedy="Choose one from the list of accounts (goldthread user list).",
            field="user",
        )
    return found


def add_user(
    workspace: Workspace, name: str, email: str = "", *, is_admin: bool = False, password: str | None = None
) -> UserRow:
    """Make an account, without a password unless one is given: whoever it is for sets it by a link. The first one
    administers, and owns the books that are there. Raises `InvalidInput` or `Conflict`."""
    called = short_name(name, "account", NAME_LENGTH)
    if not _NAME.fullmatch(called):
        raise InvalidInput(
            "A name is made of letters, digits, spaces, points and hyphens.",
            remedy="Choose another name.",
            field="name",
        )
    if not is_admin and not has_accounts(workspace):
        raise InvalidInput("The first account is an administrator's.", remedy="Make it with --admin.", field="is_admin")
    checked_email(email)
    hashed = "" if password is None else hash_of(checked_password(password, called, email))
    made = people.add_user(workspace.record.engine, called, email.strip(), hashed, is_admin=is_admin)
    put_down(workspace, Deed.ACCOUNT_MADE, subject=called, administrator=is_admin)
    return find_user(workspace, made)


def checked_email(email: str) -> str:
    """An address, or blank. Raises `InvalidInput`."""
    plain = email.strip()
    if plain and (len(plain) > EMAIL_LENGTH or not _EMAIL.fullmatch(plain)):
        raise InvalidInput(f"{plain} is no e-mail address.", remedy="Give one such as a@shop.example.", field="email")
    return plain


def change_user(workspace: Workspace, user: UserRow, email: str | None, is_admin: bool | None) -> UserRow:
    """Change an account; None leaves a thing as it is. Raises `InvalidInput` and `Conflict`."""
    values: dict[str, object] = {}
    if email is not None:
        values["email"] = checked_email(email)
    if is_admin is not None and is_admin != user.is_admin:
        if not is_admin:
            people.must_not_be_last_admin(workspace.record.engine, user.id)
        values["is_admin"] = is_admin
    if values:
        people.change_user(workspace.record.engine, user.id, **values)
        put_down(workspace, Deed.ACCOUNT_CHANGED, subject=user.name, changed=sorted(values))
    return find_user(workspace, user.id)


def end_user(workspace: Workspace, user: UserRow) -> None:
    """End an account: its sessions, tokens and memberships end, what it made stays. Raises `Conflict`."""
    people.end_user(workspace.record.engine, user.id)
    put_down(workspace, Deed.ACCOUNT_ENDED, subject=user.name)


def password_link(workspace: Workspace, user: UserRow, *, is_mailed: bool) -> str:
    """A link by which somebody sets their password: it works once, for an hour. It goes to the account's address where
    it is to be mailed, and is blank then; else whoever asked for it passes it on. Raises `InvalidInput`."""
    if is_mailed and not (user.email and is_set_up(workspace.settings)):
        raise InvalidInput(
            "No mail can be sent to this account.",
            remedy="Give it an e-mail address, and set smtp_host.",
            field="email",
        )
    secret = secrets.token_urlsafe(_SECRET_BYTES)
    sign_ins.add_link(workspace.record.engine, user.id, secret)
    put_down(workspace, Deed.LINK_MADE, subject=user.name)
    # behind the mark, so that it goes into no log of a server
    link = f"{address_of(workspace.settings)}/password#{secret}"
    if not is_mailed:
        return link
    text = f"Set your password of Gold Thread within an hour:\n\n{link}\n\nIf you did not ask for this, ask whoever "
    mail_plain(workspace.settings, user.email, "Your password of Gold Thread", f"{text}administers it.\n")
    return ""


def ask_for_link(workspace: Workspace, name: str, came_from: str) -> None:
    """Note that somebody asks for a link because a password was forgotten. Raises `TooManyTries`, and `Unavailable`
    where no mail can be sent."""
    if not is_set_up(workspace.settings):
        raise Unavailable("No mail can be sent from here.", remedy="Ask an administrator for a link.")
    slow_down(workspace, f"link for {name}", came_from)


def mail_forgotten(workspace: Workspace, name: str) -> None:
    """Send a link to whoever has forgotten their password, where there is such an account and it has an address."""
    user = people.find_user(workspace.record.engine, name)
    if user is not None and user.email:
        password_link(workspace, user, is_mailed=True)


def address_of(settings: Settings) -> str:
    """Where people reach the page."""
    started = settings.var / "address"
    if settings.public_url:
        return settings.public_url.rstrip("/")
    # it may have taken another port than the settings say
    return started.read_text(encoding="ascii") if started.exists() else f"http://{settings.host}:{settings.port}"


def user_of_link(workspace: Workspace, secret: str) -> UserRow:
    """Whose password a link sets. Raises `NotFound`."""
    found = sign_ins.user_of_link(workspace.record.engine, secret)
    if found is None:
        raise _link_is_over()
    return found


def set_password(workspace: Workspace, secret: str, password: str) -> str:
    """Set a password by a link, which ends the account's sessions; gives the account's name. Raises `NotFound` and
    `InvalidInput`."""
    user = user_of_link(workspace, secret)
    hashed = hash_of(checked_password(password, user.name, user.email))
    if sign_ins.use_link(workspace.record.engine, secret, hashed) is None:
        raise _link_is_over()
    put_down(workspace, Deed.PASSWORD_SET, subject=user.name)
    return user.name


def _link_is_over() -> NotFound:
    return NotFound("This link was used, or is older than an hour.", remedy="Ask an administrator for another one.")


def list_members(workspace: Workspace, book: BookRow) -> list[MemberRow]:
    """The members of a book, by name."""
    return people.list_members(workspace.record.engine, book.id)


def set_member(workspace: Workspace, book: BookRow, user: UserRow, role: Role) -> None:
    """What somebody is in a book from now on. Raises `Conflict`."""
    people.set_member(workspace.record.engine, book.id, user.id, role)
    put_down(workspace, Deed.MEMBER_SET, book.id, f"{user.name} {_article(role)} {role}", user=user.name, role=role)


def _article(role: Role) -> str:
    return "an" if role[0] in "aeiou" else "a"


def remove_member(workspace: Workspace, book: BookRow, user: UserRow) -> None:
    """Somebody is no member of a book any more; their tokens for it end. Raises `Conflict`."""
    people.set_member(workspace.record.engine, book.id, user.id, None)
    put_down(workspace, Deed.MEMBER_REMOVED, book.id, user.name)


def roles_of(workspace: Workspace, user_id: int) -> dict[int, Role]:
    """What somebody is in each of their books."""
    return people.roles_of(workspace.record.engine, user_id)


def databases_of(workspace: Workspace, user_id: int) -> list[str]:
    """The databases that somebody may ask, of those that the settings name."""
    return databases_by_user(workspace, user_id).get(user_id, [])


def databases_by_user(workspace: Workspace, user_id: int | None = None) -> dict[int, list[str]]:
    """The same of everybody who was allowed any, or of one."""
    granted = people.databases_by_user(workspace.record.engine, user_id)
    return {user: [name for name in workspace.settings.databases if name in own] for user, own in granted.items()}


def grant_database(workspace: Workspace, user: UserRow, database: str, *, granted: bool) -> None:
    """Allow somebody to take rows from a database, or no longer. Raises `NotFound`."""
    if database not in workspace.settings.databases:
        raise NotFound(f"The settings name no database {database}.", remedy="Choose one of them.", field="database")
    people.grant_database(workspace.record.engine, user.id, database, granted=granted)
    put_down(workspace, Deed.DATABASE_GRANTED, subject=f"{user.name}, {database}: {'yes' if granted else 'no'}")


def must_be_granted(workspace: Workspace, database: str) -> None:
    """Raises `NotAllowed` where whoever acts may not ask a database."""
    who = actor()
    if who.user is not None and database not in databases_of(workspace, who.user):
        raise NotAllowed(f"You may not ask the database {database}.", remedy="An administrator may allow it.")


def list_tokens(workspace: Workspace, user_id: int | None = None) -> list[TokenRow]:
    """The tokens of an account, or of all, newest first."""
    return people.list_tokens(workspace.record.engine, user_id)


def add_token(
    workspace: Workspace, user: UserRow, book: BookRow, role: Role, name: str, days: int
) -> tuple[str, TokenRow]:
    """Make a token, which is shown once, for one book and so many days. Raises `NotAllowed` for a role above one's own,
    and `InvalidInput`."""
    own = roles_of(workspace, user.id).get(book.id)
    if own is None or not RIGHTS[role] <= RIGHTS[own]:
        raise NotAllowed(
            f"{user.name} is {'no member' if own is None else f'{_article(own)} {own}'} of the book: a token may do no "
            "more.",
            remedy="Choose a role that may do less, or ask an owner of the book.",
        )
    if not 1 <= days <= TOKEN_DAYS_MOST:
        raise InvalidInput(f"A token lasts 1 to {TOKEN_DAYS_MOST} days.", remedy="Choose so many.", field="days")
    called = short_name(name, "token", NAME_LENGTH)
    secret = f"{TOKEN_BEGINS}{secrets.token_urlsafe(_SECRET_BYTES)}"
    row = people.add_token(workspace.record.engine, secret, user.id, book.id, role, called, days)
    put_down(workspace, Deed.TOKEN_MADE, book.id, called, user=user.name, role=role, until=_day(row.ends_at))
    return secret, row


def _day(moment: dt.datetime) -> str:
    return moment.date().isoformat()


def end_token(workspace: Workspace, token_id: int, user_id: int | None) -> None:
    """End a token, of an account where that is given. Raises `NotFound`."""
    people.end_token(workspace.record.engine, token_id, user_id)
    put_down(workspace, Deed.TOKEN_ENDED)
