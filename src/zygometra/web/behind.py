"""Large files are read behind the pages: sent once, read in a process of its own, looked at when they are read.

What was sent gets a token; its page asks again by itself, with or without script, until the
file is read, and what is then done with it names the token instead of sending it anew.
"""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from typing import Any, NamedTuple

from flask import abort, make_response, render_template
from werkzeug.wrappers import Response as BaseResponse

from zygometra.processes.child import Task
from zygometra.processes.line import Busy

from .jobs import line_of_files as line
from .people import who

# What is no larger is read at once, in bytes: that takes a third of a second at the most.
AT_ONCE = 120_000
# How long a page waits for a file to be read, in seconds.
_WAITS = 0.8


class Reading(NamedTuple):
    """A file that is read behind: its name, what was said with it, and what came of it once it ``is_read``."""

    token: str
    name: str
    said: Mapping[str, Any]
    is_read: bool
    result: Any = None


def begin(task: Task, *arguments: Any, name: str, **said: Any) -> str:
    """Have a file read, and return its token.

    Parameters
    ----------
    task : callable
        Reads it, in a process of its own.
    *arguments
        Of the task, after how it tells.
    name : str
        What the file is called.
    **said
        What is needed again once it is read.
    """
    token = secrets.token_urlsafe(12)
    try:
        job = line().ask(("file", who(), token), task, *arguments, by=who())
    except Busy:
        abort(503)
    job.about = {"name": name, "said": said}
    return token


def reading_of(token: str) -> Reading | None:
    """Return a file that this person sent; None where it is not here any more."""
    job = line().find(("file", who(), token), by=who())
    if job is None:
        return None
    name, said = job.about["name"], job.about["said"]
    if not line().wait(job, _WAITS):
        return Reading(token, name, said, is_read=False)
    if job.bounded is not None:
        abort(413)
    return Reading(token, name, said, is_read=True, result=job.result)


def still_reading(reading: Reading) -> BaseResponse:
    """Return the page that waits for a file."""
    response = make_response(render_template("reading.html", name=reading.name))
    response.headers["Refresh"] = "1"
    return response
