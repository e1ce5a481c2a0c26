"""Writes docs/findings.md from the codes that the judges are registered with; a test compares the two.

usage: PYTHONPATH=src .venv/bin/python scripts/findings_page.py
"""

from __future__ import annotations

from pathlib import Path

from zygometra.core.findings.collect import CODES

PAGE = Path(__file__).parents[1] / "docs/findings.md"
HEAD = """# Findings

Everything the program says of a build by itself, worst first. A finding is data: a stable code, how bad it is, the
quantities in it, and where. The sentences stand beside their code in `src/zygometra/core/findings/`, by subject; names
in braces are quantities, written in the reader's units with the digits their doubt allows. Judges of a hole begin with
the holes they speak of: `Holes 1 and 3: …`.

**stop**: do not cut, or do not turn the engine. **warn**: look again before you go on. **note**: good to know.

This page is written by `scripts/findings_page.py`.
"""


def page() -> str:
    """The page as it should stand."""
    parts = [HEAD]
    for code in CODES:
        parts.append(
            f"\n## `{code.key}` · {code.severity}\n\n"
            f"- What: {code.says}\n- Why: {code.why}\n- What to do: {code.do}\n"
        )
    return "".join(parts)


if __name__ == "__main__":
    PAGE.write_text(page())
