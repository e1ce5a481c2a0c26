"""The process behind ./start: migrate, load the demo shop the first time, serve."""

from __future__ import annotations

import gc
import logging
import sys
from threading import Thread

from flask import Flask

from zygometra.demo import load_demo
from zygometra.exchange.pdf import to_pdf
from zygometra.store.database import NoDatabase
from zygometra.web.app import create_app
from zygometra.web.assets import asset_file
from zygometra.web.jobs import close as close_jobs

from .database import ready
from .keys import secret_key
from .log import keep_log
from .options import NotSafe, Options, read_options


def main() -> int:
    """Serve until stopped; returns the exit status."""
    try:
        options = read_options()
        key = secret_key(options.var)
        database = ready()
    except (NoDatabase, NotSafe) as refused:
        return _refuse(str(refused))
    keep_log(options.var)
    if database.said:
        print(database.said, file=sys.stderr)
    load_demo(database.engine)
    app = create_app(engine=database.engine, secret_key=key, outside=options.outside)
    database.owner.dispose()
    warm_up(app)
    return _serve(app, options)


def _serve(app: Flask, options: Options) -> int:
    from .http import Server

    try:
        server = Server(
            app, listen=options.listen, port=options.port, certificate=options.certificate, key=options.key
        )
    except OSError:
        return _refuse(f"Port {options.port} is taken by another program; choose another with --port.")
    except ValueError as refused:
        return _refuse(str(refused))
    (options.var / "address").write_text(options.address)
    logging.getLogger("zygometra").info("started port=%d", server.port)
    print(f"Zygometra is at {options.address}  (stop with Ctrl-C)", flush=True)
    # The first sheet does not wait for the library that sets it.
    Thread(target=to_pdf, args=("<p>0.180 mm</p>",), kwargs={"asset_file": asset_file}, daemon=True).start()
    # What a server that was stopped left to be judged again.
    app.extensions["settler"].wake()
    # Nor does the first search wait.
    Thread(target=app.extensions["line"].warm_up, daemon=True).start()
    server.run()
    close_jobs(app)
    logging.getLogger("zygometra").info("stopped")
    return 0


def _refuse(sentence: str) -> int:
    print(sentence, file=sys.stderr)
    return 1


def warm_up(app: Flask) -> None:
    """Do once what the first request would wait for, and take it out of the collector's rounds.

    A full collection over everything that was imported pauses a request for tens
    of milliseconds; frozen, those objects are never visited again.
    """
    import zygometra.exchange.build_file  # noqa: F401

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
