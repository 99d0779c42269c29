"""A mail server on loopback that keeps what it is given, and refuses or goes away when it is asked to."""

from __future__ import annotations

import logging
import warnings
from email import message_from_bytes, policy
from email.message import EmailMessage
from typing import Any
from unittest import TestCase, mock

from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP, AuthResult, Envelope, LoginPassword, Session

from goldthread.store.server.instance import free_port
from goldthread.workspace import Workspace

logging.getLogger("mail.log").setLevel(logging.ERROR)
USER, PASSWORD = "kiln", "open sesame"
# it listens on loopback alone, and a password of a test is no secret
warnings.filterwarnings("ignore", message="Requiring AUTH while not requiring TLS")


class _Handler:
    def __init__(self) -> None:
        self.messages: list[EmailMessage] = []
        self.to: list[str] = []
        self.refused: set[str] = set()
        self.refuses_all = False
        self.goes_away_at: str | None = None
        self.takes_at_a_time = 1_000_000
        """So many messages are taken in one connection; the next is answered by 421, and the connection ended."""
        self.hangs_up_before: str | None = None

    async def handle_RCPT(  # noqa: N802 - the server's own name
        self, server: SMTP, session: Session, envelope: Envelope, address: str, _options: list[str]
    ) -> str:
        assert server.transport is not None
        if address == self.hangs_up_before:
            self.hangs_up_before = None
            server.transport.close()
        taken = getattr(session, "taken", 0)
        if taken >= self.takes_at_a_time:
            return "421 enough for one connection"
        session.taken = taken + 1  # type: ignore[attr-defined]
        if not session.authenticated:
            return "530 who are you"
        if self.refuses_all or address in self.refused:
            return "550 no such mailbox"
        envelope.rcpt_tos.append(address)
        return "250 OK"

    async def handle_DATA(self, server: SMTP, _session: Session, envelope: Envelope) -> str:  # noqa: N802
        content = envelope.content
        assert isinstance(content, bytes)
        (address,) = envelope.rcpt_tos
        self.to.append(address)
        message = message_from_bytes(content, policy=policy.default)
        assert isinstance(message, EmailMessage)
        self.messages.append(message)
        if address == self.goes_away_at:
            # it has the message, and nobody hears of it
            self.goes_away_at = None
            assert server.transport is not None
            server.transport.close()
        return "250 taken"


def _authenticated(_server: Any, _session: Any, _envelope: Any, mechanism: str, given: Any) -> AuthResult:
    known = isinstance(given, LoginPassword) and (given.login, given.password) == (USER.encode(), PASSWORD.encode())
    return AuthResult(success=mechanism in ("LOGIN", "PLAIN") and known, handled=False)


class MailServer:
    """A running server: ``messages`` are those it took, ``to`` their addresses."""

    def __init__(self) -> None:
        self.handler = _Handler()
        self.port = free_port()
        self._controller = Controller(
            self.handler,
            "127.0.0.1",
            self.port,
            authenticator=_authenticated,
            auth_require_tls=False,
            auth_required=True,
        )
        self._controller.start()

    @property
    def settings(self) -> dict[str, Any]:
        """What the settings say where it is the mail server."""
        return {
            "smtp_host": "127.0.0.1",
            "smtp_port": self.port,
            "smtp_security": "none",
            "smtp_user": USER,
            "smtp_password": PASSWORD,
            "smtp_from": "Marlpit & Slip <shop@marlpit.example>",
            "mails_per_minute": 6_000,
        }

    def close(self) -> None:
        self._controller.stop()


def mail_for(case: TestCase, workspace: Workspace, **further: Any) -> MailServer:
    """A mail server of a test's own, which the settings of a workspace name as long as it runs, and further ones."""
    server = MailServer()
    case.addCleanup(server.close)
    (workspace.settings.var / "mail.turn").unlink(missing_ok=True)
    settings = workspace.settings.model_copy(update={**server.settings, **further})
    case.enterContext(mock.patch.object(workspace, "settings", settings))
    return server
