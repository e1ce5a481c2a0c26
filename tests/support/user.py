"""A person with a browser of the plainest kind: one connection, one cookie, forms with their token."""

from __future__ import annotations

import contextlib
import http.client
import re
from urllib.parse import urlencode


class User:
    """Asks a server over HTTP and keeps its cookie; says what it was answered."""

    def __init__(self, port: int, name: str, timeout: float = 30) -> None:
        self.port, self.name, self.timeout = port, name, timeout
        self.cookie = self.token = ""
        # The reading that the last answer said it has.
        self.kept = ""

    def ask(
        self, method: str, address: str, form: dict | None = None, **headers: str
    ) -> tuple[int, str, str]:
        """Return status, body and where it leads."""
        body = urlencode({"csrf_token": self.token, **form}) if form is not None else None
        headers = {"Cookie": self.cookie, **{k.replace("_", "-"): v for k, v in headers.items()}}
        if body is not None:
            headers["Content-Type"] = "application/x-www-form-urlencoded"
        connection = http.client.HTTPConnection("127.0.0.1", self.port, timeout=self.timeout)
        with contextlib.closing(connection):
            connection.request(method, address, body, headers)
            answer = connection.getresponse()
            text = answer.read().decode("utf-8", "replace")
            self.kept = answer.getheader("X-Kept", "")
            if sent := answer.getheader("Set-Cookie"):
                self.cookie = sent.split(";")[0]
            return answer.status, text, answer.getheader("Location", "")

    def sign_in(self) -> None:
        """Give the name, and keep the token of the forms."""
        self.token = self.token_of(self.ask("GET", "/who")[1])
        status, _, _ = self.ask("POST", "/who", {"person": self.name})
        assert status == 302, status
        self.token = self.token_of(self.ask("GET", "/settings")[1])

    @staticmethod
    def token_of(page: str) -> str:
        """The token that a page's forms carry."""
        found = re.search(r'name="csrf_token"\s+value="([^"]+)"', page)
        assert found, page[:300]
        return found[1]
