"""The three commands: what they refuse in one sentence, and that they agree with the code."""

from __future__ import annotations

import os
import re
import socket
import subprocess
import sys
from pathlib import Path

import pytest

from zygometra.serve.keys import secret_key

ROOT = Path(__file__).parents[1]
# What a line that names a scheme is about: this machine, names of formats, and an example's host.
OWN = ("127.0.0.1", "w3.org", "json-schema.org", "bench.example", "startswith(", "else 'http'")


def run(*words, **environment):
    plain = {k: v for k, v in os.environ.items() if k not in ("DATABASE_URL", "PYTHONPATH")}
    return subprocess.run(
        list(words),
        cwd=ROOT,
        capture_output=True,
        text=True,
        timeout=60,
        env=plain | environment,
        check=False,
    )


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (["--port", "x"], "Found --port 'x'; wanted a number from 1 to 65535."),
        (["--port", "0"], "wanted a number from 1 to 65535"),
        (["--port", "70000"], "wanted a number from 1 to 65535"),
        (["--port"], "--port wants a number"),
        (["--sport"], "Found '--sport'; wanted nothing, --port N, or"),
    ],
)
def test_start_refuses_a_faulty_call_in_one_sentence(words, says):
    done = run("./start", *words)
    assert done.returncode == 1
    assert says in done.stderr
    assert len(done.stderr.strip().splitlines()) == 1


def test_start_tells_of_a_port_in_use():
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        # A server of its own is named, so that this start touches no cluster.
        done = run("./start", "--port", str(port), DATABASE_URL="postgresql://nobody@127.0.0.1:1/none")
    assert done.returncode == 1
    assert f"Port {port} is taken by another program" in done.stderr


def test_start_tells_of_a_database_that_does_not_answer():
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    done = run("./start", "--port", str(port), DATABASE_URL="postgresql://nobody@127.0.0.1:1/none")
    assert done.returncode == 1
    assert "The database does not answer" in done.stderr
    assert "Traceback" not in done.stderr


def test_the_command_line_runs_from_any_folder(tmp_path):
    done = subprocess.run(
        [str(ROOT / "zygometra"), "evaluate", str(ROOT / "src/zygometra/demo/builds/ferry-tender.json")],
        cwd=tmp_path,
        capture_output=True,
        text=True,
        timeout=60,
        check=True,
    )
    assert '"format": "zygometra.evaluation"' in done.stdout


@pytest.mark.parametrize("words", [[], ["fly"], ["evaluate"], ["explain", "x", "--cylinder", "two"]])
def test_a_faulty_call_of_the_command_line_exits_with_two(words):
    done = run(sys.executable, "-m", "zygometra.cli", *words)
    assert done.returncode == 2
    assert "usage: zygometra" in done.stderr


def test_the_secret_is_made_once_and_closed_to_others(tmp_path, monkeypatch):
    monkeypatch.delenv("SECRET_KEY", raising=False)
    first = secret_key(tmp_path)
    assert len(first) == 64
    assert secret_key(tmp_path) == first
    assert (tmp_path / "secret-key").stat().st_mode & 0o077 == 0
    assert [file.name for file in tmp_path.iterdir()] == ["secret-key"]


@pytest.mark.parametrize("left", ["", "\n", "cut sho"])
def test_a_key_file_that_a_broken_start_left_is_made_anew(tmp_path, monkeypatch, left):
    monkeypatch.delenv("SECRET_KEY", raising=False)
    (tmp_path / "secret-key").write_text(left)
    made = secret_key(tmp_path)
    assert len(made) == 64
    assert secret_key(tmp_path) == made


def test_a_key_from_outside_is_used_where_it_is_long_enough(tmp_path, monkeypatch):
    monkeypatch.setenv("SECRET_KEY", "k" * 32)
    assert secret_key(tmp_path) == "k" * 32
    monkeypatch.setenv("SECRET_KEY", "k" * 31)
    with pytest.raises(SystemExit, match="31 characters; give at least 32"):
        secret_key(tmp_path)
    assert list(tmp_path.iterdir()) == []


def test_nothing_that_ships_names_an_outside_address():
    shipped = [
        p
        for p in (ROOT / "src/zygometra").rglob("*")
        if p.suffix in (".html", ".css", ".js", ".py") and "vendor" not in p.parts
    ]
    assert len(shipped) > 60
    for path in shipped:
        for line in path.read_text().splitlines():
            for scheme in ("http://", "https://"):
                if scheme in line:
                    assert any(own in line for own in OWN), path


def test_every_picture_is_linked_and_every_link_leads_somewhere():
    pictures = {p.name for p in (ROOT / "docs/screenshots").glob("*.png")}
    readme = (ROOT / "README.md").read_text()
    assert pictures
    assert len(pictures) < 20
    for name in pictures:
        assert f"screenshots/{name}" in readme
    for page in [ROOT / "README.md", *(ROOT / "docs").rglob("*.md")]:
        for link in re.findall(r"\]\(([^)#]+)\)", page.read_text()):
            assert (page.parent / link).exists(), (page.name, link)
