"""Who may look at a page: the checks of each request, before anything is done."""

from __future__ import annotations

import secrets
from collections.abc import Iterable, Mapping
from hmac import compare_digest
from typing import Final

HEADERS: Final[Mapping[str, str]] = {
    "Content-Security-Policy": (
        "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; connect-src 'self'; "
        "base-uri 'none'; form-action 'none'; frame-ancestors 'none'"
    ),
    "Cache-Control": "no-store",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Referrer-Policy": "no-referrer",
    "X-Content-Type-Options": "nosniff",
}
"""The headers of every answer. The page loads nothing but its own script, style and pictures; icons are in the style."""

COOKIE: Final = "fuselatch"


class Refusal(Exception):
    """A request that is refused, with its reason as one line."""


def new_secret() -> str:
    """Return 192 random bits as text for a URL or a cookie."""
    return secrets.token_urlsafe(24)


def must_come_from_here(headers: Mapping[str, str], hosts: Iterable[str] | None, socket: bool) -> None:
    """Refuse a request for another host, or from a page of another origin. Raises `Refusal`.

    `hosts`: the hosts with ports that are served; None: any, for an application that checks this itself. A `socket` must say
    its origin: browsers don't keep other pages from opening one.
    """
    host = headers.get("host", "")
    if hosts is not None and host not in hosts:
        raise Refusal("this address isn't served here")
    origin = headers.get("origin")
    if origin is None and not socket:
        return
    if origin not in (f"http://{host}", f"https://{host}"):
        raise Refusal("another page may not use this form")


def same_secret(given: str, kept: str) -> bool:
    """Return True if two secrets are the same. It takes the same time for any other."""
    return bool(given) and compare_digest(given.encode(), kept.encode())


class OneTimeToken:
    """A token that lets one browser in, once."""

    def __init__(self) -> None:
        self._token = new_secret()

    @property
    def text(self) -> str:
        """The token, or "" once it is used."""
        return self._token

    def use(self, given: str) -> None:
        """Use the token. Raises `Refusal` for another one, and for one that was used."""
        if not self._token:
            raise Refusal("this address was used before; run the command again for a new one")
        if not same_secret(given, self._token):
            raise Refusal("this address isn't complete; open the one that was printed")
        self._token = ""
