"""``./test trials [NAME] [--full]``: the studies, printed; with --full all cases, kept in docs/trials.md."""

from __future__ import annotations

import argparse
import os
import re
import subprocess
import sys
import time
from pathlib import Path

# Engines are judged side by side: each by one thread, before NumPy is loaded.
os.environ.setdefault("OMP_NUM_THREADS", "1")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

from trials import bands, causes, forecast, last_moment, memory, next, plans

ROOT = Path(__file__).parents[2]
STUDIES = {
    "bands": bands.study,
    "causes": causes.study,
    "next": next.study,
    "plans": plans.study,
    "forecast": forecast.study,
    "last_moment": last_moment.study,
    "memory": memory.study,
}
# Engines a case with --full; a fifth of them by default.
ENGINES = {"bands": 10_000, "causes": 10_000, "next": 300, "plans": 5_000, "forecast": 800}
ENGINES |= {"last_moment": 1000, "memory": 4000}


def main() -> int:
    options = argparse.ArgumentParser(prog="./test trials")
    options.add_argument("name", nargs="?", choices=STUDIES)
    options.add_argument("--full", action="store_true")
    told = options.parse_args()
    fails = []
    for name in [told.name] if told.name else STUDIES:
        began = time.monotonic()
        count = ENGINES[name] if told.full else ENGINES[name] // 5
        table = STUDIES[name](count)
        print(table, f"{time.monotonic() - began:.0f} s, {count} engines a case\n", sep="\n", flush=True)
        fails += table.fails
        if told.full:
            _keep(name, str(table), count)
    for says in fails:
        print(f"not as promised: {says}", file=sys.stderr)
    return 1 if fails else 0


def _keep(name: str, table: str, count: int) -> None:
    """Write a full table into docs/trials.md in place of the one before."""
    page = ROOT / "docs/trials.md"
    commit = subprocess.run(
        ["git", "rev-parse", "--short", "HEAD"], cwd=ROOT, capture_output=True, text=True, check=False
    ).stdout.strip()
    title, rest = table.split("\n", 1)
    source = f"Commit {commit or 'unknown'}, {count:,} engines a case, seeds as in `tests/trials/{name}.py`."
    said = f"<!-- {name} -->\n{title}\n\n{source}\n{rest}<!-- /{name} -->"
    text = page.read_text()
    page.write_text(re.sub(rf"<!-- {name} -->.*?<!-- /{name} -->", lambda _: said, text, flags=re.S))


if __name__ == "__main__":
    sys.exit(main())
