"""Who may ask, and what a page may do: Host check, CSRF, content policy."""

from __future__ import annotations

import secrets
from pathlib import Path

from flask import Flask, Response
from flask_wtf.csrf import CSRFProtect

from goldthread.settings import Settings

CONTENT_POLICY = "; ".join(
    (
        "default-src 'none'",
        "script-src 'self'",
        "style-src 'self'",
        "img-src 'self' data:",
        "font-src 'self'",
        "connect-src 'self'",
        "base-uri 'none'",
        "form-action 'self'",
        "frame-ancestors 'none'",
    )
)


def secure(app: Flask, settings: Settings) -> None:
    """Apply every rule to an application."""
    app.config.update(
        SECRET_KEY=_secret(settings.var / "session-secret"),
        SESSION_COOKIE_SAMESITE="Strict",
        SESSION_COOKIE_HTTPONLY=True,
        WTF_CSRF_TIME_LIMIT=None,
        MAX_CONTENT_LENGTH=settings.upload_limit_mib * 1024 * 1024,
        TRUSTED_HOSTS=["127.0.0.1", "localhost", "[::1]", settings.host],
    )
    CSRFProtect(app)
    app.after_request(_headers)


def _headers(response: Response) -> Response:
    response.headers["Content-Security-Policy"] = CONTENT_POLICY
    response.headers["X-Content-Type-Options"] = "nosniff"
    response.headers["Referrer-Policy"] = "same-origin"
    response.headers["Cross-Origin-Opener-Policy"] = "same-origin"
    return response


def _secret(file: Path) -> str:
    """The key that signs session cookies, made once per installation and readable by its owner alone."""
    if not file.exists():
        file.parent.mkdir(parents=True, exist_ok=True)
        file.touch(mode=0o600)
        file.write_text(secrets.token_hex(32), encoding="ascii")
    return file.read_text(encoding="ascii")
