"""What the process is told: what is refused, in one sentence, and how it is reached then."""

from __future__ import annotations

import logging
import threading

import pytest

from zygometra.serve.keys import secret_key
from zygometra.serve.log import OneLine, keep_log
from zygometra.serve.options import NotSafe, read_options


def told(*words, var="var"):
    return read_options(["--var", str(var), *words])


@pytest.fixture
def paper(tmp_path):
    for name in ("cert.pem", "key.pem"):
        (tmp_path / name).touch()
    return ["--certificate", str(tmp_path / "cert.pem"), "--key", str(tmp_path / "key.pem")]


def test_by_itself_it_listens_to_this_machine_alone():
    options = told()
    assert options.listen == "127.0.0.1"
    assert options.address == "http://127.0.0.1:8757/"
    assert not options.outside.encrypted
    assert "127.0.0.1" in options.outside.hosts


@pytest.mark.parametrize("listen", ["0.0.0.0", "192.168.7.20", "::", "fd00::1"])
def test_elsewhere_only_with_encryption(listen, paper):
    with pytest.raises(NotSafe, match="without encryption"):
        told("--listen", listen)
    assert told("--listen", listen, "--host", "bench", *paper).outside.encrypted
    assert told("--listen", listen, "--proxies", "1", "--address", "https://bench.example").outside.encrypted


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (["--listen", "bench"], "wanted an address of this machine"),
        (["--certificate", "a.pem"], "together"),
        (["--key", "a.pem"], "together"),
        (["--proxies", "-1"], "wanted how many stand before it"),
        (["--proxies", "x"], "see ./start --help"),
        (["--port", "many"], "see ./start --help"),
        (["--nonsense"], "see ./start --help"),
        (["--address", "bench.example"], "wanted a URL without a path"),
        (["--address", "https://bench.example/shop"], "wanted a URL without a path"),
        (["--address", "https://[::1"], "wanted a URL without a path"),
        (["--address", "javascript:x"], "wanted a URL without a path"),
    ],
)
def test_what_does_not_fit_is_one_sentence(words, says):
    with pytest.raises(NotSafe, match=says) as refused:
        told(*words)
    assert "\n" not in str(refused.value)


def test_a_name_is_wanted_where_none_follows_from_where_it_listens(paper):
    for words in (["--listen", "0.0.0.0", *paper], ["--listen", "::", *paper], ["--proxies", "1"]):
        with pytest.raises(NotSafe, match="wanted --address"):
            told(*words)
        assert "bench" in told(*words, "--host", "Bench").outside.hosts
    assert "192.168.7.20" in told("--listen", "192.168.7.20", *paper).outside.hosts


def test_what_links_hold_is_the_address_that_was_told(paper):
    options = told("--listen", "0.0.0.0", "--address", "https://Bench.example:8757", "--host", "SHOP", *paper)
    assert options.address == "https://Bench.example:8757/"
    assert set(options.outside.hosts) >= {"bench.example", "shop", "localhost"}
    assert "0.0.0.0" not in options.outside.hosts
    assert told("--listen", "fd00::1", *paper).address == "https://[fd00::1]:8757/"


def test_of_many_that_start_at_once_one_key_stands(tmp_path, monkeypatch):
    monkeypatch.delenv("SECRET_KEY", raising=False)
    for left in (None, ""):
        if left is not None:
            (tmp_path / "secret-key").write_text(left)
        found, gate = [], threading.Barrier(8)

        def start(found=found, gate=gate):
            gate.wait()
            found.append(secret_key(tmp_path))

        starting = [threading.Thread(target=start) for _ in range(8)]
        for one in starting:
            one.start()
        for one in starting:
            one.join()
        assert len(found) == 8
        if left is None:
            assert set(found) == {secret_key(tmp_path)}
        assert all(len(key) == 64 for key in found)


# -- the log --------------------------------------------------------------------


def line(**more):
    record = logging.LogRecord("zygometra", logging.WARNING, "x.py", 1, more.pop("msg"), (), None)
    record.__dict__.update(more)
    return OneLine().format(record)


@pytest.mark.parametrize("nasty", ["two\nlines", "\r\nforged", "\x1b[31mred", "\u2028", "ü\x00", "tab\there"])
def test_an_event_is_one_line_of_plain_letters(nasty):
    written = line(msg=nasty)
    assert len(written.splitlines()) == 1
    assert written.isascii()
    assert written.isprintable()


def test_a_fault_is_told_by_its_place_and_not_in_its_words():
    try:
        raise ValueError("what Ada typed: 92.5 mm")
    except ValueError as error:
        written = line(msg="fault in stack.page", exc_info=(ValueError, error, error.__traceback__))
    assert "Ada" not in written
    assert "ValueError at test_options.py:" in written
    assert len(written.splitlines()) == 1


def test_the_log_is_closed_to_others(tmp_path):
    root = logging.getLogger()
    before = list(root.handlers)
    try:
        keep_log(tmp_path)
        logging.getLogger("zygometra").info("started")
        file = tmp_path / "server.log"
        assert file.stat().st_mode & 0o777 == 0o600
        assert "INFO zygometra started" in file.read_text()
    finally:
        for handler in [h for h in root.handlers if h not in before]:
            root.removeHandler(handler)
            handler.close()
        root.setLevel(logging.WARNING)
