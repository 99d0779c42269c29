"""Who may ask, and what a page may do: Host check, origin, CSRF, content policy."""

from __future__ import annotations

import re
from collections.abc import Iterable
from functools import partial
from typing import TYPE_CHECKING
from urllib.parse import urlsplit

from flask import Flask, Response, current_app, request
from flask_wtf.csrf import CSRFProtect
from werkzeug.exceptions import Forbidden
from werkzeug.middleware.proxy_fix import ProxyFix

from goldthread.actions.company import BACK
from goldthread.actor import actor
from goldthread.core.limits import BODY_BYTES_MOST
from goldthread.settings import Settings

if TYPE_CHECKING:
    from _typeshed.wsgi import StartResponse, WSGIApplication, WSGIEnvironment

_IN_NO_FRAME = "frame-ancestors 'none'"
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
        _IN_NO_FRAME,
    )
)
_NOT_WANTED = "camera=(), geolocation=(), microphone=(), payment=(), usb=()"
_ONE_YEAR_SECONDS = 365 * 86_400
SHARED = re.compile(r"/shared/[0-9]+")
"""Where the page shows a view to somebody outside: the one that other sites may hold in a frame."""
FILES_TYPE = "multipart/form-data"
"""The type of requests that send files."""
READING = ("GET", "HEAD", "OPTIONS")
"""Methods that change nothing."""
_OF_OURSELVES = ("same-origin", "none")
"""What a browser says of a request of our own page, and of one that somebody typed."""


def secure(app: Flask, settings: Settings) -> None:
    """Apply every rule to an application."""
    public = urlsplit(settings.public_url)
    is_secure = public.scheme == "https"
    app.config.update(
        SECRET_KEY=settings.session_secret,
        # two copies on one machine share its cookies, whatever their ports; a browser takes __Host- over TLS alone
        SESSION_COOKIE_NAME=f"{'__Host-' * is_secure}gold-thread-{settings.installation[:12]}",
        SESSION_COOKIE_SECURE=is_secure,
        SESSION_COOKIE_SAMESITE="Strict",
        SESSION_COOKIE_HTTPONLY=True,
        WTF_CSRF_TIME_LIMIT=None,
        # it is checked where it is known who asks: a program sends no cookie that another site could use
        WTF_CSRF_CHECK_DEFAULT=False,
        # the origin is held against the host for every request, with TLS or without
        WTF_CSRF_SSL_STRICT=False,
        MAX_CONTENT_LENGTH=settings.upload_limit_mib * 1024 * 1024,
        TRUSTED_HOSTS=["127.0.0.1", "localhost", "[::1]", settings.host, *filter(None, [public.hostname])],
    )
    if settings.trusted_proxies:
        steps = settings.trusted_proxies
        app.wsgi_app = ProxyFix(app.wsgi_app, x_for=steps, x_proto=steps, x_host=steps)  # type: ignore[method-assign]
    if settings.root:
        app.wsgi_app = _Under(app.wsgi_app, settings.root)  # type: ignore[method-assign]
    app.before_request(_bound_body)
    app.before_request(_refuse_other_sites)
    CSRFProtect(app)
    app.after_request(partial(_headers, settings, is_secure))


class _Under:
    """An application whose addresses all have a path before them, whether or not the proxy in front takes it away."""

    def __init__(self, application: WSGIApplication, root: str) -> None:
        self._application, self._root = application, root

    def __call__(self, environ: WSGIEnvironment, start_response: StartResponse) -> Iterable[bytes]:
        path = environ["PATH_INFO"]
        if path == self._root or path.startswith(f"{self._root}/"):
            environ["PATH_INFO"] = path.removeprefix(self._root) or "/"
        environ["SCRIPT_NAME"] = self._root
        return self._application(environ, start_response)


def _bound_body() -> None:
    """Files alone may be large: they go to disk as they arrive, everything else into memory."""
    if request.mimetype != FILES_TYPE:
        request.max_content_length = min(BODY_BYTES_MOST, current_app.config["MAX_CONTENT_LENGTH"])


def _refuse_other_sites() -> None:
    """A second barrier behind the token: what another site's page asks of the API is refused. Raises `Forbidden`."""
    if not request.path.startswith("/api/"):
        return
    if request.path == BACK and request.headers.get("Sec-Fetch-Mode") == "navigate":
        # the company's own sign-in is another site, which sends people back to us
        return
    site, origin = request.headers.get("Sec-Fetch-Site"), request.headers.get("Origin")
    if (site and site not in _OF_OURSELVES) or (origin and urlsplit(origin).netloc != request.host):
        raise Forbidden("Another site's page may not ask this.")


def _headers(settings: Settings, is_secure: bool, response: Response) -> Response:
    policy = CONTENT_POLICY
    if settings.embedded_in and SHARED.fullmatch(request.path):
        policy = policy.replace(_IN_NO_FRAME, f"frame-ancestors {' '.join(settings.embedded_in)}")
    response.headers["Content-Security-Policy"] = policy
    response.headers["Cross-Origin-Resource-Policy"] = "same-origin"
    response.headers["Permissions-Policy"] = _NOT_WANTED
    if is_secure:
        response.headers["Strict-Transport-Security"] = f"max-age={_ONE_YEAR_SECONDS}"
    if request.path.startswith("/api/") and (actor().user is not None or "Cache-Control" not in response.headers):
        # nothing that somebody had to sign in for is kept by a browser, or by anything in between
        response.headers["Cache-Control"] = "private, no-store"
    response.headers["X-Content-Type-Options"] = "nosniff"
    response.headers["Referrer-Policy"] = "same-origin"
    response.headers["Cross-Origin-Opener-Policy"] = "same-origin"
    return response
