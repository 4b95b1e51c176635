"""Who may ask: this machine's own pages only, or those who hold the key."""

import hmac
from urllib.parse import urlsplit

from starlette.datastructures import Headers
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

LOCAL_NAMES = {"127.0.0.1", "localhost", "[::1]", "::1"}
KEY_COOKIE = "stave_key"
SECURITY_HEADERS = [
    (b"x-content-type-options", b"nosniff"),
    (b"referrer-policy", b"no-referrer"),
    (b"cross-origin-resource-policy", b"same-origin"),
    (
        b"content-security-policy",
        b"default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; "
        b"media-src 'self' blob:; worker-src 'self' blob:; frame-ancestors 'none'",
    ),
]


def problem(status: int, code: str, title: str, detail: str) -> JSONResponse:
    """A problem document (RFC 9457)."""
    body = {"type": f"urn:honest-stave:{code}", "status": status, "title": title, "detail": detail, "code": code}
    return JSONResponse(body, status, media_type="application/problem+json")


class Guard:
    """Checks Host, Origin and, away from this machine, the key in the address.

    Args:
        app: what is guarded.
        hosts: host names that are answered.
        key: required from everybody if given.
    """

    def __init__(self, app: ASGIApp, *, hosts: set[str], key: str | None) -> None:
        self.app, self._hosts, self._key = app, hosts | LOCAL_NAMES, key

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        refusal = self._refusal(scope, headers)
        if refusal is not None:
            await refusal(scope, receive, send)
            return

        async def send_safely(message: Message) -> None:
            if message["type"] == "http.response.start":
                message["headers"] = [*message.get("headers", []), *SECURITY_HEADERS]
                if self._key and self._given_in_address(scope):
                    cookie = f"{KEY_COOKIE}={self._key}; HttpOnly; SameSite=Strict; Path=/"
                    message["headers"].append((b"set-cookie", cookie.encode()))
            await send(message)

        await self.app(scope, receive, send_safely)

    def _refusal(self, scope: Scope, headers: Headers) -> JSONResponse | None:
        host = headers.get("host", "")
        name = urlsplit(f"//{host}").hostname or ""
        if name not in self._hosts and f"[{name}]" not in self._hosts:
            return problem(
                403, "refused", f"The name {name!r} is not answered.", "Open the address that was printed."
            )
        origin = headers.get("origin")
        if origin and origin != "null" and urlsplit(origin).netloc != host:
            return problem(403, "refused", "Another site asked for this.", "Only the program's own pages may ask.")
        if origin == "null" or headers.get("sec-fetch-site") == "cross-site":
            return problem(403, "refused", "Another site asked for this.", "Only the program's own pages may ask.")
        if self._key and not self._given_in_address(scope) and not self._given_in_cookie(headers):
            return problem(403, "refused", "A key is required.", "Open the address with the key that was printed.")
        return None

    def _given_in_address(self, scope: Scope) -> bool:
        query = scope.get("query_string", b"").decode("latin-1")
        given = [p[4:] for p in query.split("&") if p.startswith("key=")]
        return any(hmac.compare_digest(g.encode(), (self._key or "").encode()) for g in given)

    def _given_in_cookie(self, headers: Headers) -> bool:
        pairs = [p.strip().split("=", 1) for p in headers.get("cookie", "").split(";") if "=" in p]
        return any(
            name == KEY_COOKIE and hmac.compare_digest(value.encode(), (self._key or "").encode())
            for name, value in pairs
        )
