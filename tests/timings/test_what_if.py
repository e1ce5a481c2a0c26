"""Timings, each against a baseline of the same run. They print; they assert no time."""

from __future__ import annotations

import gc
import json
import subprocess
import sys
from pathlib import Path

import pytest
from flask import Flask
from flask_compress import Compress

from support.people import by
from support.plain import plain_evaluation
from support.serving import served
from support.timing import WHOLE, median
from zygometra.core.build.document import read_document
from zygometra.core.stack.evaluate import evaluate
from zygometra.core.stack.results import RESULTS
from zygometra.serve.__main__ import warm_up
from zygometra.serve.http import Server
from zygometra.store import builds
from zygometra.web import jobs
from zygometra.web.app import create_app

pytestmark = pytest.mark.timing
ASKED = 1000 if WHOLE else 20
ROUNDS = 400 if WHOLE else 5
ROOT = Path(__file__).parents[2]
BUILDS = ROOT / "src/zygometra/demo/builds"


@pytest.fixture
def eight() -> dict:
    """The demo's vee eight with a bore, a chamber and a cam of its own in every hole."""
    document = json.loads((ROOT / "src/zygometra/demo/builds/mountain-rescue.json").read_text())
    document["cam"] = {"intake_closes": 60}
    document["cylinders"] = {
        str(n): {"bore": f"99.0{n} mm", "chamber_volume": {"readings": [66.0, 66.2, 65.9 + n / 50]}}
        for n in range(1, 9)
    }
    return document


def every_doubt(build):
    """Both states, and every doubt of every hole: each is worked out when it is asked for."""
    evaluation = evaluate(build)
    for state in (evaluation.now, evaluation.planned):
        for hole in state.holes:
            for result in RESULTS:
                assert getattr(hole.outcome.doubts, result).u >= 0


def test_evaluating_with_all_its_doubt_against_plain_arithmetic(benchmark, eight):
    build = read_document(eight)
    outcome = evaluate(build)
    plain = plain_evaluation(build)
    for state, rows in (("now", plain["now"]), ("planned", plain["planned"])):
        for hole, row in zip(getattr(outcome, state).holes, rows, strict=True):
            assert hole.outcome.compression_ratio == pytest.approx(row["ratio"], rel=1e-12)
            assert hole.outcome.effective == pytest.approx(row["effective"], rel=1e-12)
    bare = median(lambda: plain_evaluation(build), ROUNDS)
    with_doubt = median(lambda: every_doubt(build), ROUNDS)
    benchmark.pedantic(every_doubt, args=(build,), rounds=ROUNDS, iterations=1)
    print(
        f"\nevaluate, eight holes each with figures of its own, now and planned, with doubt: "
        f"{with_doubt * 1e6:.0f} µs; plain arithmetic without doubt {bare * 1e6:.0f} µs; "
        f"ratio {with_doubt / bare:.2f} (at most 3)"
    )


def times(sides: list[tuple[Server, list[str]]], headers: dict) -> list[dict]:
    """Ask from another process, as a browser is, so that asker and asked share no interpreter."""
    asked = {"headers": headers, "sides": [{"port": s.port, "paths": paths} for s, paths in sides]}
    done = subprocess.run(
        [sys.executable, str(ROOT / "tests/support/asking.py")],
        input=json.dumps(asked),
        capture_output=True,
        text=True,
        check=True,
    )
    return json.loads(done.stdout)


@pytest.mark.parametrize("encoding", ["identity", "gzip"])
@pytest.mark.parametrize("which", ["demo", "every hole its own figures"])
def test_what_if_against_a_bare_page(engine, eight, encoding, which):
    from sqlalchemy.orm import Session

    document = eight if which != "demo" else json.loads((BUILDS / "mountain-rescue.json").read_text())
    with Session(engine) as session:
        build_id = builds.create(session, document, entry=by("Ada", "for the bench"))
        session.commit()
    app = create_app(engine=engine, secret_key="for the bench only")
    client = app.test_client()
    with client.session_transaction() as cookie:
        cookie["person"] = "Ada"
    client.get(f"/builds/{build_id}/stack")
    token = client.get_cookie("zygometra").value
    headers = {"Cookie": f"zygometra={token}", "HX-Request": "true", "Accept-Encoding": encoding}
    # A thousand what-ifs, no two of them alike: nothing can be answered from memory.
    what_ifs = [
        f"/builds/{build_id}/stack/what-if?hole={1 + i % 8}&nudge=&deck_cut={0.1 + i / 2500:.4f}+mm"
        for i in range(ASKED)
    ]
    page = client.get(what_ifs[-1], headers={"HX-Request": "true"}).get_data(as_text=True)
    bare_app = Flask("bare")
    bare_app.add_url_rule("/", view_func=lambda: page)
    if encoding == "gzip":
        bare_app.config.update({k: v for k, v in app.config.items() if k.startswith("COMPRESS")})
        Compress(bare_app)
    warm_up(app)
    with served(app) as ours, served(bare_app) as plain:
        asked, bare = times([(ours, what_ifs), (plain, ["/"] * ASKED)], headers)
    gc.unfreeze()
    jobs.close(app)
    app.extensions["reading engine"].dispose()
    assert abs(asked["bytes"] - bare["bytes"]) < 0.1 * bare["bytes"]
    print(
        f"\nwhat-if, {which}, {encoding} ({len(page) // 1000} kB page, {asked['bytes'] // 1000} kB sent): "
        f"median {asked['median']:.2f} ms, slowest of {ASKED} {asked['slowest']:.1f} ms; bare Flask page of "
        f"that size {bare['median']:.2f} ms, slowest {bare['slowest']:.1f} ms; "
        f"ratio {asked['median'] / bare['median']:.2f} (at most 4)"
    )


def test_the_command_line_from_cold(benchmark):
    file = ROOT / "src/zygometra/demo/builds/mountain-rescue.json"

    def run(*words: str) -> None:
        subprocess.run([sys.executable, *words], check=True, capture_output=True)

    bare = median(lambda: run("-c", "pass"), 8 if WHOLE else 1)
    cold = median(lambda: run("-m", "zygometra.cli", "evaluate", str(file)), 8 if WHOLE else 1)
    benchmark.pedantic(run, args=("-m", "zygometra.cli", "evaluate", str(file)), rounds=3)
    print(f"\n./zygometra evaluate from cold: {cold:.2f} s (under 0.5); an empty Python {bare:.2f} s")
