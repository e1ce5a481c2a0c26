"""What the process was told: where it listens, how it is reached, and what would not be safe."""

from __future__ import annotations

import argparse
import ipaddress
import sys
from dataclasses import dataclass
from pathlib import Path
from typing import NoReturn
from urllib.parse import urlsplit

from zygometra.web.outside import Outside


@dataclass(frozen=True, slots=True)
class Options:
    """Where the process listens and how it is reached.

    Parameters
    ----------
    listen : str
        An address of this machine.
    port : int
        1 to 65535; 0 takes one that is free.
    var : Path
        The folder of the key, the address and the log.
    outside : Outside
        How it is reached.
    certificate, key : Path or None
        For TLS: a PEM file with the certificate and its chain, and one with its key.
    """

    listen: str
    port: int
    var: Path
    outside: Outside
    certificate: Path | None = None
    key: Path | None = None

    @property
    def address(self) -> str:
        """Where browsers find it: what was told, else where it listens."""
        if self.outside.address:
            return self.outside.address.rstrip("/") + "/"
        host = f"[{self.listen}]" if ":" in self.listen else self.listen
        return f"{'https' if self.certificate else 'http'}://{host}:{self.port}/"


# Listening on whatever this machine is called.
_ANYWHERE = ("0.0.0.0", "::")


class NotSafe(Exception):
    """What was asked for would not be safe, or does not fit together: one sentence."""


class _Parser(argparse.ArgumentParser):
    """Refuses in one sentence."""

    def error(self, message: str) -> NoReturn:
        """Raise what is wrong with the words."""
        raise NotSafe(f"{message[:1].upper()}{message[1:]}; see ./start --help.")


def read_options(words: list[str] | None = None) -> Options:
    """Read the words of the command line.

    Parameters
    ----------
    words : list of str, optional
        Those of the process where left out.

    Returns
    -------
    Options
        Checked.

    Raises
    ------
    NotSafe
        With one sentence: what was found, and what is wanted.
    """
    parser = _Parser(prog="zygometra.serve", add_help=False)
    parser.add_argument("--port", type=int, default=8757)
    parser.add_argument("--var", type=Path, required=True, help="folder for the key, the address and the log")
    parser.add_argument("--listen", default="127.0.0.1", help="an address of this machine")
    parser.add_argument("--address", default="", help="what browsers and phones are to open: a URL")
    parser.add_argument("--host", action="append", default=[], help="another name it answers to")
    parser.add_argument("--certificate", type=Path, help="a PEM file: the certificate and its chain")
    parser.add_argument("--key", type=Path, help="a PEM file: the certificate's key")
    parser.add_argument("--proxies", type=int, default=0, help="how many proxies stand before it")
    return _checked(parser.parse_args(words))


def _checked(told: argparse.Namespace) -> Options:
    _check_address(told.address)
    if bool(told.certificate) != bool(told.key):
        raise NotSafe(
            "Found a certificate or its key alone; wanted --certificate FILE and --key FILE together."
        )
    for file in (told.certificate, told.key):
        if file is not None and not file.is_file():
            raise NotSafe(f"Found no file {file}; wanted a PEM file.")
    if not 0 <= told.proxies <= 5:
        raise NotSafe(f"Found --proxies {told.proxies}; wanted how many stand before it, 0 to 5.")
    if not is_loopback(told.listen) and told.certificate is None and not told.proxies:
        raise NotSafe(
            f"Found --listen {told.listen} without encryption: whoever is on that network could read and change"
            " what passes. Wanted --certificate FILE and --key FILE, or --proxies 1 behind a proxy that encrypts."
        )
    if not (told.address or told.host) and (told.listen in _ANYWHERE or told.proxies):
        raise NotSafe(
            "Found no name that browsers open it by, and it answers to no other; wanted --address"
            " https://bench.example:8757, or --host with the name or number of this machine."
        )
    encrypted = told.certificate is not None or told.address.startswith("https:")
    names = [*told.host, *([] if told.listen in _ANYWHERE else [told.listen])]
    outside = Outside(told.address, tuple(name.lower() for name in names), encrypted, told.proxies)
    return Options(
        listen=told.listen,
        port=told.port,
        var=told.var,
        outside=outside,
        certificate=told.certificate,
        key=told.key,
    )


def _check_address(address: str) -> None:
    if not address:
        return
    try:
        parts = urlsplit(address)
        well = (
            parts.scheme in ("http", "https")
            and parts.hostname
            and parts.path in ("", "/")
            and not parts.query
        )
        _ = parts.port
    except ValueError:
        well = False
    if not well:
        raise NotSafe(
            f"Found --address {address!r}; wanted a URL without a path, such as https://bench.example:8757"
        )


def is_loopback(listen: str) -> bool:
    """Tell whether an address is heard on this machine alone.

    Parameters
    ----------
    listen : str
        An address, or ``localhost``.

    Raises
    ------
    NotSafe
        If it is no address.

    Examples
    --------
    >>> is_loopback("127.0.0.1"), is_loopback("::1"), is_loopback("0.0.0.0")
    (True, True, False)
    """
    if listen == "localhost":
        return True
    try:
        return ipaddress.ip_address(listen).is_loopback
    except ValueError:
        raise NotSafe(
            f"Found --listen {listen!r}; wanted an address of this machine, such as 127.0.0.1"
        ) from None


if __name__ == "__main__":
    try:
        read_options()
    except NotSafe as refused:
        sys.exit(str(refused))
