"""How the world outside reaches the application: by which names, over which way, and nothing else."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlsplit

from flask import current_app
from werkzeug.middleware.proxy_fix import ProxyFix
from werkzeug.sansio.utils import host_is_trusted

LOOPBACK = ("localhost", "127.0.0.1", "[::1]")
_REFUSED = b"This address is not one that Zygometra was told it has. Start it with --address to add one.\n"

WSGI = Callable[[dict[str, Any], Callable[..., Any]], Iterable[bytes]]


@dataclass(frozen=True, slots=True)
class Outside:
    """How the application is reached.

    Parameters
    ----------
    address : str
        What links and codes for phones hold, such as ``https://bench.example:8757``; empty for
        loopback alone.
    names : tuple of str
        Hosts it answers to besides loopback and the address.
    encrypted : bool
        True where browsers reach it over TLS: cookies go no other way then.
    proxies : int
        How many proxies stand before it whose ``X-Forwarded`` headers are to be believed.
    """

    address: str = ""
    names: tuple[str, ...] = ()
    encrypted: bool = False
    proxies: int = 0

    @property
    def hosts(self) -> tuple[str, ...]:
        """The names it answers to, without ports."""
        own = urlsplit(self.address).hostname or ""
        return tuple(dict.fromkeys([*LOOPBACK, *self.names, *([_bracketed(own)] if own else [])]))


def _bracketed(host: str) -> str:
    return f"[{host}]" if ":" in host else host


def address_outside(path: str) -> str:
    """Return an address as who is not at this machine opens it; empty where nobody was told one."""
    outside: Outside = current_app.config["OUTSIDE"]
    return outside.address.rstrip("/") + path if outside.address else ""


def is_ours(host: str, ours: tuple[str, ...]) -> bool:
    """Tell whether a ``Host`` header names one of our hosts, with any port or none.

    Examples
    --------
    >>> [is_ours(host, LOOPBACK) for host in ("[::1]:8757", "LOCALHOST", "bench.example", "", "127.0.0.1:x")]
    [True, True, False, False, False]
    """
    # The library checks the characters; names it would compare without the brackets of an address.
    return host_is_trusted(host) and _without_port(host.lower()) in ours


def _without_port(host: str) -> str:
    name, _, port = host.rpartition(":")
    return name if name and port.isdigit() and not (name.count(":") and not name.endswith("]")) else host


class Doorkeeper:
    """Lets in requests for a name that is ours; a page elsewhere cannot drive the application by another."""

    def __init__(self, inner: WSGI, hosts: tuple[str, ...]) -> None:
        self._inner, self._hosts = inner, hosts

    def __call__(self, environ: dict[str, Any], start_response: Callable[..., Any]) -> Iterable[bytes]:
        """Answer a request, or refuse it shortly."""
        if not is_ours(environ.get("HTTP_HOST", ""), self._hosts):
            headers = [("Content-Type", "text/plain; charset=utf-8"), ("Content-Length", str(len(_REFUSED)))]
            start_response("400 Bad Request", headers)
            return [_REFUSED]
        return self._inner(environ, start_response)


def guarded(inner: WSGI, outside: Outside) -> WSGI:
    """Return an application that answers only to its names, behind as many proxies as it was told."""
    kept = Doorkeeper(inner, outside.hosts)
    if not outside.proxies:
        return kept
    count = outside.proxies
    return ProxyFix(kept, x_for=count, x_proto=count, x_host=count)
