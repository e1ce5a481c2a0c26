"""What must be said of a crown before a cut over it is kept."""

from __future__ import annotations

from zygometra.core.findings.ends import asked_before_a_crown_is_cut

from ..build.bench import Bench


def asked_of_crowns(bench: Bench) -> str:
    """Return what must be said of a crown before the plan on screen is kept; empty where nothing must.

    A cut that is kept already stands: only another one is asked about.
    """
    kept = [op for op in bench.document.get("planned") or [] if op["op"] == "crown_cut"]
    if [op for op in bench.plan if op["op"] == "crown_cut"] == kept:
        return ""
    return asked_before_a_crown_is_cut(bench.findings)
