"""The process behind ./start: migrate, load the demo shop the first time, serve."""

from __future__ import annotations

import argparse
import contextlib
import gc
import os
import secrets
import signal
import sys
from pathlib import Path

from flask import Flask
from sqlalchemy.exc import OperationalError

from zygometra.demo import load_demo
from zygometra.store.database import migrate, open_engine
from zygometra.web.app import create_app

THREADS = 6

SHORTEST_KEY = 32
"""Characters of a key that signs cookies."""


def main() -> int:
    """Serve until stopped; returns the exit status."""
    parser = argparse.ArgumentParser(prog="zygometra.serve")
    parser.add_argument("--port", type=int, default=8757)
    parser.add_argument("--var", type=Path, required=True, help="folder for the secret and the address")
    options = parser.parse_args()
    engine = open_engine(os.environ["DATABASE_URL"])
    try:
        migrate(engine)
        load_demo(engine)
    except OperationalError as error:
        print(f"The database does not answer: {str(error.orig).strip().splitlines()[0]}", file=sys.stderr)
        return 1
    app = create_app(engine=engine, secret_key=secret_key(options.var))
    warm_up(app)
    address = f"http://127.0.0.1:{options.port}/"
    (options.var / "address").write_text(address)
    from waitress import create_server

    try:
        server = create_server(
            app,
            host="127.0.0.1",
            port=options.port,
            threads=THREADS,
            ident=None,
            max_request_body_size=3_000_000,
            channel_timeout=60,
        )
    except OSError:
        print(
            f"Port {options.port} is taken by another program; choose another with --port.", file=sys.stderr
        )
        return 1
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
    print(f"Zygometra is at {address}  (stop with Ctrl-C)", flush=True)
    with contextlib.suppress(KeyboardInterrupt, SystemExit):
        server.run()
    return 0


def secret_key(var: Path) -> str:
    """Return the key that signs cookies: the environment's, else one made once for this machine.

    Raises
    ------
    SystemExit
        With a sentence, where the environment's is too short to keep anybody out.
    """
    if key := os.environ.get("SECRET_KEY"):
        if len(key) < SHORTEST_KEY:
            raise SystemExit(
                f"SECRET_KEY has {len(key)} characters; give at least {SHORTEST_KEY}, or none: "
                "one is then made and kept."
            )
        return key
    file = var / "secret-key"
    if not file.exists() or len(file.read_text().strip()) < SHORTEST_KEY:
        # Written beside and moved into place: a start that is broken off leaves no empty key.
        made = var / f"secret-key.{os.getpid()}"
        made.touch(mode=0o600)
        made.write_text(secrets.token_hex(32))
        made.replace(file)
    return file.read_text().strip()


def warm_up(app: Flask) -> None:
    """Do once what the first request would wait for, and take it out of the collector's rounds.

    A full collection over everything that was imported pauses a request for tens
    of milliseconds; frozen, those objects are never visited again.
    """
    import zygometra.exchange.models  # noqa: F401

    client = app.test_client()
    with client.session_transaction() as cookie:
        cookie["person"] = "warm-up"
    for address in ("/", "/patterns", "/builds/1/stack", "/builds/1/stack/what-if?hole=1"):
        client.get(address)
    gc.collect()
    gc.freeze()
    # What a request leaves behind is freed by counting; few rounds are enough for the rest.
    gc.set_threshold(50_000, 50, 100)


if __name__ == "__main__":
    sys.exit(main())
