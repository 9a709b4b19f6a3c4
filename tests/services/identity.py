"""A stand-in for an organisation's log-in by OpenID Connect: one person, who always agrees.

Source: OpenID Connect Core 1.0, 3.1 (authorization code flow), and Discovery 1.0, 4.
"""

from __future__ import annotations

import contextlib
import json
import threading
import time
from collections.abc import Iterator
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import parse_qs, urlencode, urlsplit

import jwt

PERSON = {
    "sub": "42",
    "email": "ines@example.com",
    "email_verified": True,
    "preferred_username": "ines",
    "name": "Ines",
}
CLIENT, SECRET = "ektopos", "the client's secret of this test, long enough"


class _Identity(BaseHTTPRequestHandler):
    def do_GET(self) -> None:
        here = f"http://{self.headers['Host']}"
        parts = urlsplit(self.path)
        if parts.path == "/.well-known/openid-configuration":
            self._say(
                {
                    "issuer": here,
                    "authorization_endpoint": f"{here}/authorize",
                    "token_endpoint": f"{here}/token",
                    "userinfo_endpoint": f"{here}/person",
                    "jwks_uri": f"{here}/keys",
                }
            )
        elif parts.path == "/authorize":
            asked = {name: values[0] for name, values in parse_qs(parts.query).items()}
            assert asked["client_id"] == CLIENT and asked["response_type"] == "code"
            back = urlencode({"code": "agreed", "state": asked["state"]})
            self.send_response(302)
            self.send_header("Location", f"{asked['redirect_uri']}?{back}")
            self.end_headers()
        elif parts.path == "/person" and self.headers["Authorization"] == "Bearer opens":
            self._say(PERSON)
        else:
            self._say({}, 404)

    def do_POST(self) -> None:
        given = parse_qs(self.rfile.read(int(self.headers["Content-Length"])).decode())
        good = given.get("code") == ["agreed"] and urlsplit(self.path).path == "/token"
        claims = PERSON | {"iss": f"http://{self.headers['Host']}", "aud": CLIENT}
        claims |= {"iat": int(time.time()), "exp": int(time.time()) + 600}
        token = jwt.encode(claims, SECRET, "HS256")
        said = {"access_token": "opens", "token_type": "Bearer", "id_token": token}
        self._say(said if good else {"error": "invalid_grant"}, 200 if good else 400)

    def _say(self, value: dict[str, Any], status: int = 200) -> None:
        content = json.dumps(value).encode()
        self.send_response(status)
        self.send_header("Content-Type", "application/json")
        self.send_header("Content-Length", str(len(content)))
        self.end_headers()
        self.wfile.write(content)

    def log_message(self, *_: object) -> None:
        """Nothing is logged."""


@contextlib.contextmanager
def identity() -> Iterator[str]:
    """The address of such a service, while the block runs."""
    server = ThreadingHTTPServer(("127.0.0.1", 0), _Identity)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    try:
        yield f"http://127.0.0.1:{server.server_address[1]}"
    finally:
        server.shutdown()
