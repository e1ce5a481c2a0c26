"""The JSON Schema of the build file, from the records that read it."""

from __future__ import annotations

from typing import Any

from zygometra.core.measuring.read_in import BuildFile


def json_schema() -> dict[str, Any]:
    """Return the JSON Schema of the build file.

    Returns
    -------
    dict
        A JSON Schema (2020-12) document.
    """
    shared: dict[str, Any] = {}
    schema = BuildFile.json_schema(shared)
    return {
        **schema,
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "zygometra.build, version 1",
        "$defs": dict(sorted(shared.items())),
    }
