"""Who may ask: this machine alone, with the token of the address, from the page itself."""

from __future__ import annotations

import hmac
from http.cookies import SimpleCookie
from typing import Any
from urllib.parse import parse_qs

COOKIE = "lathwick_page"


class Guard:
    """Lets a request through if it names our host, comes from our own pages, and has the token.

    The token stands in the address that is opened first, and goes into a cookie then.
    """

    def __init__(self, app: Any, token: str, hosts: tuple[str, ...]) -> None:
        self._app, self._token, self._hosts = app, token, hosts

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        if scope["type"] not in ("http", "websocket"):
            await self._app(scope, receive, send)
            return
        headers = {key.decode("latin-1"): value.decode("latin-1") for key, value in scope["headers"]}
        if not self._is_from_here(headers):
            await _refuse(scope, send)
        elif self._has_cookie(headers):
            await self._app(scope, receive, send)
        elif scope["type"] == "http" and self._has_token(scope):
            await self._welcome(scope, send)
        else:
            await _refuse(scope, send)

    def _is_from_here(self, headers: dict[str, str]) -> bool:
        origin = headers.get("origin")
        ours = {f"http://{host}" for host in self._hosts}
        return headers.get("host") in self._hosts and (origin is None or origin in ours)

    def _has_cookie(self, headers: dict[str, str]) -> bool:
        cookie = SimpleCookie(headers.get("cookie", "")).get(self._name(headers["host"]))
        return cookie is not None and hmac.compare_digest(cookie.value.encode(), self._token.encode())

    def _has_token(self, scope: Any) -> bool:
        given = parse_qs(scope["query_string"].decode("latin-1")).get("token", [""])[0]
        return hmac.compare_digest(given.encode(), self._token.encode())

    async def _welcome(self, scope: Any, send: Any) -> None:
        """Put the token into a cookie, and lead to the same place without it in the address."""
        host = next(v.decode("latin-1") for k, v in scope["headers"] if k == b"host")
        cookie = f"{self._name(host)}={self._token}; HttpOnly; SameSite=Strict; Path=/"
        headers = [(b"location", scope["path"].encode()), (b"set-cookie", cookie.encode())]
        await send({"type": "http.response.start", "status": 303, "headers": headers})
        await send({"type": "http.response.body", "body": b""})

    @staticmethod
    def _name(host: str) -> str:
        """Of the cookie: one for each port, or two pages would take it from each other."""
        return f"{COOKIE}_{host.rpartition(':')[2]}"


async def _refuse(scope: Any, send: Any) -> None:
    if scope["type"] == "websocket":
        await send({"type": "websocket.close", "code": 1008})
        return
    await send({"type": "http.response.start", "status": 403, "headers": [(b"content-type", b"text/plain")]})
    await send(
        {"type": "http.response.body", "body": b"This page is opened by the address with its token.\n"}
    )
