"""The server under the application: half-sent requests, too much, TLS, streams, and an orderly end."""

from __future__ import annotations

import contextlib
import datetime
import http.client
import socket
import ssl
import threading
import time

import pytest
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

from support.serving import served
from zygometra.serve import http as ours

# A shared machine may stand still for half a minute: what is waited for is the same, only longer.
PATIENCE = 60


class Plain:
    """A small application: says what it was sent; streams until it is told to end."""

    def __init__(self):
        self.end = self.wait = threading.Event()
        self.seen: list[tuple[str, int]] = []

    def __call__(self, environ, start):
        body = environ["wsgi.input"].read(int(environ.get("CONTENT_LENGTH") or 0))
        if environ["PATH_INFO"] == "/slow":
            self.wait.wait(PATIENCE)
        self.seen.append((environ["PATH_INFO"], len(body)))
        start("200 OK", [("Content-Type", "text/plain")])
        if environ["PATH_INFO"].startswith("/streams/"):
            return self.words()
        return [f"{environ['wsgi.url_scheme']} {len(body)}".encode()]

    def words(self):
        while not self.end.wait(0.05):
            yield b": still\n\n"


@pytest.fixture
def app():
    made = Plain()
    yield made
    made.end.set()


@pytest.fixture
def server(app):
    with served(app) as made:
        yield made


def ask(server, address="/", body=None, method="GET", **headers):
    connection = http.client.HTTPConnection("127.0.0.1", server.port, timeout=PATIENCE)
    with contextlib.closing(connection):
        connection.request(method, address, body, headers)
        answer = connection.getresponse()
        return answer.status, answer.read(), dict(answer.getheaders())


def test_an_answer_does_not_say_by_what_program(server):
    status, body, headers = ask(server)
    assert (status, body) == (200, b"http 0")
    assert "Server" not in headers


@pytest.mark.parametrize(
    "half",
    [
        b"",
        b"GET / HTT",
        b"GET / HTTP/1.1\r\nHost: localhost\r\nX-",
        b"POST / HTTP/1.1\r\nHost: localhost\r\nContent-Length: 1000\r\n\r\nabc",
    ],
)
def test_hundreds_of_half_sent_requests_hold_nobody_up(server, app, half):
    waiting = [socket.create_connection(("127.0.0.1", server.port)) for _ in range(300)]
    try:
        for one in waiting:
            one.sendall(half)
        began = time.monotonic()
        for _ in range(20):
            assert ask(server)[0] == 200
        # They would be held up for a minute at least.
        assert time.monotonic() - began < PATIENCE / 2
        # None of them took a thread of the application.
        assert len(app.seen) == 20
    finally:
        for one in waiting:
            one.close()


def test_a_request_that_is_not_there_in_time_is_cut_however_it_drips(server, monkeypatch):
    monkeypatch.setattr(ours, "_WHOLE_WITHIN", 0.5)
    with socket.create_connection(("127.0.0.1", server.port)) as dripping:
        dripping.settimeout(PATIENCE)
        dripping.sendall(b"POST / HTTP/1.1\r\nHost: x\r\nContent-Length: 99\r\n\r\n")
        began = time.monotonic()
        with contextlib.suppress(OSError):
            while time.monotonic() - began < PATIENCE:
                dripping.sendall(b"x")
                time.sleep(0.1)
        assert time.monotonic() - began < PATIENCE
    assert ask(server)[0] == 200


def test_a_connection_that_goes_on_asking_is_not_cut(server, monkeypatch):
    monkeypatch.setattr(ours, "_WHOLE_WITHIN", 0.4)
    with contextlib.closing(http.client.HTTPConnection("127.0.0.1", server.port)) as connection:
        for _ in range(6):
            connection.request("GET", "/")
            assert connection.getresponse().read() == b"http 0"
            time.sleep(0.15)


def test_of_too_many_connections_the_one_that_waits_longest_makes_room(server, monkeypatch):
    monkeypatch.setattr(ours, "_MOST_CONNECTIONS", 20)
    waiting = [socket.create_connection(("127.0.0.1", server.port)) for _ in range(200)]
    try:
        for half, one in enumerate(waiting):
            with contextlib.suppress(OSError):
                one.sendall(b"GET / HTTP/1.1\r\nHost: " if half % 2 else b"")
        # However many stand there and say nothing, whoever asks is answered.
        for _ in range(5):
            assert ask(server)[0] == 200
        waiting[0].settimeout(PATIENCE)
        with contextlib.suppress(ConnectionResetError):
            assert waiting[0].recv(1) == b""
    finally:
        for one in waiting:
            one.close()


def test_where_all_are_busy_one_more_is_closed(server, app, monkeypatch):
    monkeypatch.setattr(ours, "_MOST_CONNECTIONS", 2)
    with contextlib.ExitStack() as stack:
        for _ in range(2):
            one = http.client.HTTPConnection("127.0.0.1", server.port, timeout=PATIENCE)
            stack.enter_context(contextlib.closing(one))
            one.request("GET", "/streams/x")
            assert one.getresponse().status == 200
        with pytest.raises((OSError, http.client.HTTPException)):
            ask(server)


def test_a_body_is_kept_up_to_what_a_form_can_be(server, app):
    assert ask(server, body=b"x" * 24_400_000, method="POST")[1] == b"http 24400000"
    # Of more nothing is kept: the application refuses it by the length that was announced.
    ask(server, body=b"x" * 24_600_000, method="POST")
    assert app.seen[-1][1] == 0


@pytest.mark.parametrize(
    ("headers", "status"),
    [
        ({"X-A": "a" * 15_000}, 200),
        ({"X-A": "a" * 17_000}, 431),
        ({f"X-{i}": "a" * 600 for i in range(30)}, 431),
        ({"Cookie": "a" * 200_000}, 431),
    ],
)
def test_a_head_of_more_than_16_kb_is_refused_in_words(server, app, headers, status):
    answer, words, _ = ask(server, **headers)
    assert answer == status
    assert status == 200 or b"larger than 16 kB" in words
    assert len(app.seen) == (status == 200)
    assert ask(server)[0] == 200


def test_what_ships_is_answered_while_every_page_waits(server, app):
    """Six pages wait for something; a style is there all the same."""
    hold = threading.Event()
    app.wait = hold
    waiting = [
        threading.Thread(target=ask, args=(server, "/slow"), daemon=True) for _ in range(ours.THREADS + 2)
    ]
    for one in waiting:
        one.start()
    try:
        assert ask(server, "/static/x/css/all.css")[0] == 200
    finally:
        hold.set()
    for one in waiting:
        one.join(PATIENCE)


def test_a_body_without_end_is_cut(server, monkeypatch):
    monkeypatch.setattr(ours, "_MOST_SENT", 26_000_000)
    with socket.create_connection(("127.0.0.1", server.port)) as endless:
        endless.sendall(b"POST / HTTP/1.1\r\nHost: x\r\nContent-Length: 9000000000\r\n\r\n")
        with pytest.raises(OSError, match=r"reset|[Bb]roken pipe"):
            endless.sendall(b"x" * 60_000_000)
    assert ask(server)[0] == 200


@pytest.mark.parametrize(
    "damaged",
    [
        b"\x16\x03\x01\x02\x00\x01\x00",
        b"\r\n\r\n\r\n",
        b"GET\r\n\r\n",
        b"GET / HTTP/9.9\r\nHost: x\r\n\r\n",
        b"GET /" + b"a" * 100_000 + b" HTTP/1.1\r\nHost: x\r\n\r\n",
        b"GET / HTTP/1.1\r\n" + b"X: y\r\n" * 5000 + b"\r\n",
        b"POST / HTTP/1.1\r\nHost: x\r\nContent-Length: -1\r\n\r\n",
        b"POST / HTTP/1.1\r\nHost: x\r\nContent-Length: 1\r\nTransfer-Encoding: chunked\r\n\r\n0\r\n\r\n",
        b"POST / HTTP/1.1\r\nHost: x\r\nTransfer-Encoding: chunked\r\n\r\nZZ\r\n",
    ],
)
def test_what_is_no_request_is_refused_and_nothing_more(server, damaged):
    with socket.create_connection(("127.0.0.1", server.port)) as sent, contextlib.suppress(OSError):
        sent.settimeout(2)
        sent.sendall(damaged)
        said = sent.recv(1000)
        assert said == b"" or said.split()[1][:1] in (b"4", b"5")
    assert ask(server)[0] == 200


def test_streams_take_no_thread_of_pages_and_the_ninth_is_told_to_poll(server):
    streams = []
    for _ in range(ours.STREAMS):
        one = http.client.HTTPConnection("127.0.0.1", server.port, timeout=PATIENCE)
        one.request("GET", "/streams/x")
        assert one.getresponse().status == 200
        streams.append(one)
    status, said, headers = ask(server, "/streams/x")
    assert status == 503
    assert headers["Retry-After"] == "15"
    assert b"ask now and then" in said
    # As many pages at once as ever.
    with contextlib.ExitStack() as stack:
        pages = [
            stack.enter_context(contextlib.closing(http.client.HTTPConnection("127.0.0.1", server.port)))
            for _ in range(ours.THREADS)
        ]
        for page in pages:
            page.request("GET", "/")
        assert [page.getresponse().status for page in pages] == [200] * ours.THREADS
    streams.pop().close()
    for _ in range(100):
        if (status := ask_stream(server)) == 200:
            break
        time.sleep(0.05)
    assert status == 200
    for one in streams:
        one.close()


def ask_stream(server):
    """The status of a stream that is closed at once."""
    with contextlib.closing(http.client.HTTPConnection("127.0.0.1", server.port, timeout=PATIENCE)) as one:
        one.request("GET", "/streams/x")
        return one.getresponse().status


def test_a_server_with_open_streams_ends_in_a_moment(app):
    with served(app) as server:
        one = http.client.HTTPConnection("127.0.0.1", server.port, timeout=PATIENCE)
        one.request("GET", "/streams/x")
        one.getresponse()
        began = time.monotonic()
    assert time.monotonic() - began < PATIENCE
    one.close()


def test_a_port_in_use_is_told(server, app):
    with pytest.raises(OSError, match=str(server.port)), served(app, port=server.port):
        pass


# -- TLS ------------------------------------------------------------------------


@pytest.fixture(scope="module")
def paper(tmp_path_factory):
    """A certificate for localhost and its key, as files."""
    folder = tmp_path_factory.mktemp("tls")
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "localhost")])
    now = datetime.datetime.now(datetime.UTC)
    made = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(1)
        .not_valid_before(now - datetime.timedelta(days=1))
        .not_valid_after(now + datetime.timedelta(days=1))
        .add_extension(x509.SubjectAlternativeName([x509.DNSName("localhost")]), critical=False)
        .sign(key, hashes.SHA256())
    )
    (folder / "cert.pem").write_bytes(made.public_bytes(serialization.Encoding.PEM))
    plain = serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    (folder / "key.pem").write_bytes(key.private_bytes(serialization.Encoding.PEM, *plain))
    return folder


def test_with_a_certificate_it_speaks_tls_alone(app, paper):
    with served(app, certificate=paper / "cert.pem", key=paper / "key.pem") as server:
        trusting = ssl.create_default_context(cafile=paper / "cert.pem")
        with contextlib.closing(
            http.client.HTTPSConnection("localhost", server.port, timeout=PATIENCE, context=trusting)
        ) as connection:
            connection.request("GET", "/")
            assert connection.getresponse().read() == b"https 0"
            assert connection.sock.version() in ("TLSv1.2", "TLSv1.3")
        with pytest.raises((OSError, http.client.HTTPException)):
            ask(server)


def test_what_is_no_certificate_is_told_in_a_sentence(app, paper, tmp_path):
    other = tmp_path / "other.pem"
    other.write_text("no certificate")
    for certificate, key in ((other, paper / "key.pem"), (paper / "cert.pem", other)):
        with pytest.raises(ValueError, match="wanted two PEM files that belong"):
            ours.tls_of(certificate, key)
