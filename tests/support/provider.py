"""A small provider of OpenID Connect on loopback, which signs whatever a test wants it to say."""

from __future__ import annotations

import base64
import hashlib
import secrets
import threading
import time
from typing import Any
from urllib.parse import urlencode

from flask import Flask, Response, jsonify, redirect, request
from joserfc import jwt
from joserfc.jwk import RSAKey
from werkzeug.serving import WSGIRequestHandler, make_server

CLIENT, SECRET = "gold-thread", "of the tests"
_KEY_BITS = 2048


class _Quiet(WSGIRequestHandler):
    """Writes no log: what it is asked is a test's own."""

    def log(self, type: str, message: str, *args: Any) -> None:
        pass


class Provider:
    """``claims`` is who signs in; ``says`` changes what is said of them, wrongly where a test wants that."""

    def __init__(self) -> None:
        self.claims: dict[str, Any] = {"sub": "17", "preferred_username": "Orla", "groups": []}
        self.says: dict[str, Any] = {}
        self.key = self._new_key()
        self.signs_with: RSAKey | None = None
        self._codes: dict[str, dict[str, str]] = {}
        app = Flask(__name__)
        for path, view in (
            ("/.well-known/openid-configuration", self._configuration),
            ("/keys", self._keys),
            ("/authorize", self._authorize),
        ):
            app.add_url_rule(path, view_func=view)
        app.add_url_rule("/token", view_func=self._token, methods=["POST"])
        self._server = make_server("127.0.0.1", 0, app, request_handler=_Quiet)
        self.issuer = f"http://127.0.0.1:{self._server.server_port}"
        self._thread = threading.Thread(target=self._server.serve_forever)
        self._thread.start()

    def close(self) -> None:
        self._server.shutdown()
        self._thread.join()
        self._server.server_close()

    @property
    def settings(self) -> dict[str, Any]:
        return {"oidc_issuer": self.issuer, "oidc_client_id": CLIENT, "oidc_client_secret": SECRET}

    def turn_keys_over(self) -> None:
        """Sign with another key from now on, and know no earlier one."""
        self.key = self._new_key()

    @staticmethod
    def _new_key() -> RSAKey:
        return RSAKey.generate_key(_KEY_BITS, {"kid": secrets.token_hex(4), "use": "sig", "alg": "RS256"})

    def _configuration(self) -> Response:
        at = {"authorization_endpoint": "authorize", "token_endpoint": "token", "jwks_uri": "keys"}
        return jsonify(issuer=self.issuer, **{name: f"{self.issuer}/{path}" for name, path in at.items()})

    def _keys(self) -> Response:
        return jsonify(keys=[self.key.as_dict(private=False)])

    def _authorize(self) -> Any:
        code = secrets.token_urlsafe(16)
        self._codes[code] = dict(request.args)
        back = urlencode({"code": code, "state": request.args["state"]})
        return redirect(f"{request.args['redirect_uri']}?{back}")

    def _token(self) -> Any:
        asked = self._codes.pop(request.form["code"], None)
        known = request.authorization
        digest = hashlib.sha256(request.form["code_verifier"].encode()).digest()
        challenge = base64.urlsafe_b64encode(digest).decode().rstrip("=")
        fits = asked is not None and asked["code_challenge"] == challenge
        if not fits or known is None or (known.username, known.password) != (CLIENT, SECRET):
            return jsonify(error="invalid_grant"), 400
        now = int(time.time())
        about = {"iss": self.issuer, "aud": CLIENT, "iat": now, "exp": now + 300, "nonce": asked["nonce"]}  # type: ignore[index]
        claims = {name: each for name, each in (about | self.claims | self.says).items() if each is not None}
        key = self.signs_with or self.key
        signed = jwt.encode({"alg": "RS256", "kid": self.key.kid}, claims, key)
        return jsonify(access_token="x", token_type="Bearer", id_token=signed)
