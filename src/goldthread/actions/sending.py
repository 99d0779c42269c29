"""Send the messages of a list through SMTP (RFC 5321), at the pace of the settings.

Nobody gets two messages of one list, also not after a crash: a message is put down before it is handed over.
"""

from __future__ import annotations

import datetime as dt
import smtplib
import ssl
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from email import message_from_bytes
from email.message import EmailMessage
from email.policy import SMTP
from email.utils import format_datetime, formataddr, make_msgid, parseaddr
from functools import partial
from typing import Any

from goldthread.actions.books import today_of
from goldthread.actions.log import Deed, put_down
from goldthread.actions.mailing import Mailing, Message, Template, mailing
from goldthread.actions.working import who_says
from goldthread.core.choices import MailState, MemberState, WorkField
from goldthread.core.records import HIDDEN, Progress
from goldthread.errors import Unavailable
from goldthread.processes import alone, write_private
from goldthread.settings import Settings
from goldthread.store import mails, working
from goldthread.store.books import BookRow
from goldthread.store.lists import find_list
from goldthread.workspace import Workspace

TIMEOUT_SECONDS = 30.0
REFUSED_IN_A_ROW_MOST = 5
"""After so many refusals one after another something is wrong with more than one address."""
_LOOK_SECONDS = 0.2
_CLOSING = 421
"""The reply of a server that ends the connection: what it answers was not taken (RFC 5321, 3.8)."""
_SENDERS_MOST = 64


class _Smtp(smtplib.SMTP):
    """A connection that notes when a message itself is being handed over."""

    is_handing_over = False

    def data(self, msg: Any) -> tuple[int, bytes]:
        self.is_handing_over = True
        return super().data(msg)


class _SmtpOverTls(_Smtp, smtplib.SMTP_SSL):
    """The same over TLS from the beginning."""


@dataclass(frozen=True)
class Mailed:
    """What became of the messages of a list: taken by the server, refused by it; unknown, where everything ended while
    they were handed over."""

    sent: int
    refused: int
    unknown: int


def dry_run(workspace: Workspace, book: BookRow, list_id: int, template: Template) -> Mailing:
    """The messages, after the server was reached and took our name and password. Nothing is sent. Raises
    `Unavailable`."""
    found = mailing(workspace, book, list_id, template)
    with _server(workspace.settings) as server:
        server.noop()
    return found


def send(workspace: Workspace, book: BookRow, list_id: int, template: Template, by: str, progress: Progress) -> Mailed:
    """Send every message that can be sent, at the pace of the settings; who was written to is contacted.

    Raises `Unavailable` where the server cannot be reached, `InvalidInput`, and what ``progress`` raises: then what was
    sent so far stays so, and sending again goes on with the others.
    """
    settings, engine, by = workspace.settings, workspace.record.engine, who_says(by)
    ready = mailing(workspace, book, list_id, template).ready
    today = today_of(book)
    refused = 0
    with ExitStack() as connected:
        server = connected.enter_context(_server(settings))
        for place, message in enumerate(ready):
            _wait_for_turn(settings, partial(progress, "sending", place, len(ready)))
            handed = partial(_hand_over, workspace, book, list_id, message=message, by=by)
            try:
                taken = handed(server)
            except _NeverHandedOver:
                # many servers take so many messages at a time
                connected.close()
                server = connected.enter_context(_server(settings))
                taken = handed(server)
            if taken is None:
                continue
            refused = 0 if taken else refused + 1
            if taken:
                _contacted(workspace, book, list_id, message.customer_id, today, by)
            if refused >= REFUSED_IN_A_ROW_MOST:
                raise Unavailable(
                    f"The mail server refused {refused} messages one after another.",
                    remedy="Look at what it said of them, then send again: nobody gets two.",
                )
    counts = mails.counts_of(engine, list_id)
    put_down(workspace, Deed.MAILED, book.id, find_list(engine, book.id, list_id).name, rows=counts[MailState.SENT])
    return Mailed(counts[MailState.SENT], counts[MailState.REFUSED], counts[MailState.SENDING])


class _NeverHandedOver(Unavailable):
    """The connection ended before the server had the message."""


def _hand_over(
    workspace: Workspace, book: BookRow, list_id: int, server: _Smtp, message: Message, by: str
) -> bool | None:
    """Hand one message over; whether the server took it, None where the customer or the address has one already.

    Raises `_NeverHandedOver` when the connection ended before, and `Unavailable` when it broke afterwards: then nobody
    knows, and the message is never sent again.
    """
    settings, engine = workspace.settings, workspace.record.engine
    written = _written(settings, message)
    address = message.email.casefold()
    if not mails.claim(engine, book.id, list_id, message.customer_id, address, written["Message-ID"], by):
        return None
    server.is_handing_over = False
    try:
        server.send_message(written)
    except OSError as error:
        said, ended = _answer(error)
        if ended and (said or not server.is_handing_over):
            mails.forget(engine, list_id, message.customer_id)
            raise _NeverHandedOver(
                f"The mail server ended the connection: {said or error}.", remedy="Send again: it goes on."
            ) from error
        if ended:
            raise Unavailable(f"The mail server was lost: {error}.", remedy="Send again: it goes on.") from error
        mails.settle(engine, list_id, message.customer_id, MailState.REFUSED, said or _decoded(str(error)))
        return False
    mails.settle(engine, list_id, message.customer_id, MailState.SENT)
    return True


def _answer(error: OSError) -> tuple[str, bool]:
    """What the server answered, empty where it did not, and whether the connection is over."""
    code: int
    said: bytes | str
    match error:
        case smtplib.SMTPRecipientsRefused():
            code, said = next(iter(error.recipients.values()))
        case smtplib.SMTPResponseException():
            code, said = error.smtp_code, error.smtp_error
        case _:
            return "", isinstance(error, smtplib.SMTPServerDisconnected) or not isinstance(error, smtplib.SMTPException)
    return f"{code} {_decoded(said)}", code == _CLOSING


def _decoded(said: bytes | str) -> str:
    text = said.decode("utf-8", "replace") if isinstance(said, bytes) else said
    return " ".join(HIDDEN.sub(" ", text).split())


def mail_plain(settings: Settings, email: str, subject: str, text: str) -> None:
    """Send one message of our own. Raises `Unavailable`."""
    with _server(settings) as server:
        try:
            server.send_message(_letter(settings, ("", email), subject, text))
        except (OSError, smtplib.SMTPException) as error:
            raise Unavailable(
                f"The mail server did not take the message: {_decoded(str(error))}.", remedy="Look at the settings."
            ) from error


def post(
    settings: Settings,
    content: bytes,
    addresses: Sequence[str],
    note: Callable[[str, str], None],
    progress: Progress,
) -> None:
    """Send one message to some addresses, each a copy of its own, at the pace of the settings. ``note`` is told before
    and after what becomes of each: nobody gets two.

    Raises `Unavailable` where the server cannot be reached or goes away, and what ``progress`` raises.
    """
    with _server(settings) as server:
        for place, address in enumerate(addresses):
            _wait_for_turn(settings, partial(progress, "sending", place, len(addresses)))
            message = message_from_bytes(content, policy=SMTP)
            for name, value in _headers(settings, ("", address)).items():
                message[name] = value
            note(address, SENDING)
            server.is_handing_over = False
            try:
                server.send_message(message)
            except OSError as error:
                said, ended = _answer(error)
                is_open = ended and (said or not server.is_handing_over)
                note(address, "" if is_open else UNKNOWN if ended else f"refused: {said or _decoded(str(error))}")
                if ended:
                    raise Unavailable(
                        f"The mail server ended the connection: {said or error}.", remedy="It is tried again."
                    ) from error
            else:
                note(address, SENT)


SENDING, SENT, UNKNOWN = "sending", "sent", "unknown"
"""What can become of a letter to one address, beside a refusal."""


def _written(settings: Settings, message: Message) -> EmailMessage:
    return _letter(settings, (message.name, message.email), message.subject, message.text)


def _letter(settings: Settings, to: tuple[str, str], subject: str, text: str) -> EmailMessage:
    written = EmailMessage()
    written["Subject"] = subject
    for name, value in _headers(settings, to).items():
        written[name] = value
    written.set_content(text)
    return written


def _headers(settings: Settings, to: tuple[str, str]) -> dict[str, str]:
    """From whom a message is, to whom and when, and what it is known by."""
    return {
        "From": settings.smtp_from,
        "To": formataddr((HIDDEN.sub("", to[0]), parseaddr(to[1])[1])),
        "Message-ID": make_msgid(domain=parseaddr(settings.smtp_from)[1].rpartition("@")[2]),
        "Date": format_datetime(dt.datetime.now(dt.UTC)),
    }


def _contacted(workspace: Workspace, book: BookRow, list_id: int, customer_id: int, today: dt.date, by: str) -> None:
    values = {
        WorkField.STATE: MemberState.CONTACTED.value,
        WorkField.CONTACTED_ON: today.isoformat(),
        WorkField.CHANNEL: "e-mail",
        WorkField.CONTACTED_BY: by,
    }
    working.change_member(workspace.record.engine, book.id, list_id, customer_id, values, by)


def is_set_up(settings: Settings) -> bool:
    """Whether the settings say through which server to send, and from whom."""
    return bool(settings.smtp_host and "@" in parseaddr(settings.smtp_from)[1])


@contextmanager
def _server(settings: Settings) -> Iterator[_Smtp]:
    """A connection to the mail server of the settings. Raises `Unavailable`."""
    if not is_set_up(settings):
        raise Unavailable(
            "No mail server is set up.",
            remedy="Set smtp_host and smtp_from in settings.toml, and smtp_password in the environment.",
        )
    context = ssl.create_default_context()
    host, port = settings.smtp_host, settings.smtp_port
    try:
        if settings.smtp_security == "tls":
            server: _Smtp = _SmtpOverTls(host, port, timeout=TIMEOUT_SECONDS, context=context)
        else:
            server = _Smtp(host, port, timeout=TIMEOUT_SECONDS)
    except (OSError, smtplib.SMTPException) as error:
        raise Unavailable(
            f"The mail server {host} cannot be reached: {error}.", remedy="Look at the settings."
        ) from error
    with server:
        try:
            if settings.smtp_security == "starttls":
                server.starttls(context=context)
            if settings.smtp_user:
                server.login(settings.smtp_user, settings.smtp_password)
        except (OSError, smtplib.SMTPException) as error:
            raise Unavailable(
                f"The mail server {host} refused us: {_decoded(str(error))}.", remedy="Look at the settings."
            ) from error
        yield server


def _seconds_to_turn(settings: Settings) -> float:
    """How long until the next message may be sent. All that is being sent here shares one pace: the moment of the next
    turn stands in a file, which every process that sends moves on."""
    pace, file = 60 / settings.mails_per_minute, settings.var / "mail.turn"
    with alone(settings.var / "mail.lock"):
        now = time.time()
        try:
            turn = float(file.read_text(encoding="ascii"))
        except (FileNotFoundError, ValueError):
            turn = now
        # a clock that was set back must not keep anybody waiting
        turn = min(max(turn, now), now + pace * _SENDERS_MOST)
        write_private(file, repr(turn + pace))
    return turn - now


def _wait_for_turn(settings: Settings, look: Callable[[], None]) -> None:
    """Wait until the next message may be sent; ``look`` is called before and meanwhile, and may raise `Stopped`."""
    look()
    _wait(_seconds_to_turn(settings), look)


def _wait(seconds: float, look: Callable[[], None]) -> None:
    until = time.monotonic() + seconds
    while (left := until - time.monotonic()) > 0:
        threading.Event().wait(min(left, _LOOK_SECONDS))
        look()
