"""The register of gauges as its pages show it."""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from datetime import UTC, datetime
from typing import Any, NamedTuple

from sqlalchemy.orm import Session

from zygometra.core.digits import number_of
from zygometra.core.measuring.gauges import suspects, wants_check
from zygometra.core.measuring.logbook import Gauge
from zygometra.core.units import Kind
from zygometra.store.facts import read_with
from zygometra.store.gauges import Register

from ..forms.form import FormSlot
from ..forms.form import slot as slot_of
from .form import KINDS, MATERIALS

_LABELS = {
    "resolution": ("Resolution", "the least step it shows, such as 0.01 mm"),
    "u": ("Standard uncertainty", "of the gauge itself, such as 0.003 mm"),
    "u_travel": ("The same against a zero", "what stays of it in a difference; as above where empty"),
    "repeatability": ("Repeatability", "usual standard deviation of one reading"),
    "feel": ("Feel", "of a transfer gauge"),
}


class GaugeRow(NamedTuple):
    """One gauge of the register."""

    name: str
    kind: str
    figures: str
    check: str
    state: str
    says: str
    mark: str


_MARKS = {"done": "✓", "due": "○", "blocked": "✕", "retired": "–"}
# What may happen to a gauge, as its form offers it.
MISHAPS = ("dropped", "crashed", "lent out", "repaired")


def _state(gauge: Gauge, entry: Mapping[str, Any]) -> tuple[str, str]:
    """Whether it may be read with, as a shape's name and in words."""
    if "x-retired" in entry:
        return "retired", f"retired: {entry['x-retired']}"
    mishap, _ = wants_check(gauge, [])
    if mishap is not None:
        return "blocked", f"{mishap.what} on {mishap.on[:10]}: check it before its next reading"
    if gauge.checks and not max(gauge.checks, key=lambda check: check.on).good:
        return "blocked", "its last check failed"
    return ("done", "good") if gauge.checks else ("due", "never checked")


def register_view(known: Register, typed: Mapping[str, str], faults: Mapping[str, str]) -> dict[str, Any]:
    """Return what the page of the register shows.

    Parameters
    ----------
    known : Register
        The shop's gauges.
    typed, faults : Mapping
        Texts and sentences by field.
    """
    rows = []
    for name, entry in sorted(known.entries.items()):
        gauge = known.gauges[name]
        last = max(gauge.checks, key=lambda check: check.on, default=None)
        state, says = _state(gauge, entry)
        check = f"{last.on[:10]} {'good' if last.good else 'failed'}" if last is not None else "—"
        kind = gauge.kind + (" (stand-in)" if entry.get("x-simulated") else "")
        rows.append(
            GaugeRow(
                name=name,
                kind=kind,
                figures=figures_words(entry),
                check=check,
                state=state,
                says=says,
                mark=_MARKS[state],
            )
        )
    return {"rows": rows, **_form(typed, faults, known)}


def figures_words(entry: Mapping[str, Any]) -> str:
    """Return a gauge's figures in a few words, as typed."""
    parts = [("steps", "resolution"), ("u", "u"), ("repeats", "repeatability")]
    return ", ".join(f"{word} {_typed(entry[key])}" for word, key in parts if entry.get(key) is not None)


def _typed(raw: Any) -> str:
    if isinstance(raw, Mapping):
        return f"{raw.get('value')} {raw.get('unit', '')}".strip()
    return str(raw)


def _form(typed: Mapping[str, str], faults: Mapping[str, str], known: Register) -> dict[str, Any]:
    slots: list[FormSlot] = [
        slot_of(typed, faults, name=key, label=label, hint=hint) for key, (label, hint) in _LABELS.items()
    ]
    return {
        "name": slot_of(
            typed, faults, name="name", label="Name", hint="as it is called at the bench, such as depth-2"
        ),
        "slots": slots,
        "kinds": [(kind, kind) for kind in KINDS],
        "materials": [(name, name) for name in MATERIALS],
        "others": [("", "read by itself"), *((name, name) for name in sorted(known.entries))],
        "typed": typed,
        "faults": faults,
    }


def gauge_view(session: Session, known: Register, name: str, *, fault: str = "") -> dict[str, Any] | None:
    """Return what the page of one gauge shows; None where there is none of that name.

    Parameters
    ----------
    session : Session
        The request's.
    known : Register
        The shop's gauges.
    name : str
        Its name.
    fault : str
        What was not taken.
    """
    entry = known.entries.get(name)
    if entry is None:
        return None
    gauge = known.gauges[name]
    state, says = _state(gauge, entry)
    return {
        "gauge": gauge,
        "entry": entry,
        "figures": figures_words(entry),
        "tends": _tends(gauge, entry),
        "state": state,
        "says": says,
        "noted": [
            (one.kind, _noted_words(one.kind, one.body), one.actor, one.at)
            for one in reversed(known.noted)
            if one.gauge == name
        ],
        "builds": _rests_on(session, gauge),
        "fault": fault,
        "key": f"note-{secrets.token_hex(8)}",
        "mishaps": [(word, word) for word in MISHAPS],
        "today": datetime.now(UTC).date().isoformat(),
        **_form(
            {
                "name": name,
                "kind": gauge.kind,
                "material": gauge.material,
                "read_with": gauge.read_with,
                "compensated": "yes" if gauge.compensated else "",
                **{key: _typed(entry[key]) for key in _LABELS if entry.get(key) is not None},
            },
            {},
            known,
        ),
    }


def _tends(gauge: Gauge, entry: Mapping[str, Any]) -> str:
    """What its checks say that it tends to show; empty where none says by how much."""
    found = gauge.tends
    if found is None:
        return ""
    unit = "cc" if gauge.measures is Kind.VOLUME else "mm"
    way = "more" if found.bias >= 0 else "less"
    stands = "Nobody stated its doubt, so this stands in for it." if "u" not in entry else ""
    return (
        f"Tends to show {abs(found.bias):.4f} {unit} {way} than there is; the next check within {found.low:.4f} to "
        f"{found.high:.4f} {unit} (95 %, {found.jobs} checks). No reading is corrected by it. {stands}".strip()
    )


def _noted_words(kind: str, body: Mapping[str, Any]) -> str:
    if kind == "check":
        off = f", off by {_typed(body['off'])}" if body.get("off") is not None else ""
        return f"check on {str(body['on'])[:10]}: {'good' if body['good'] else 'failed'}{off}"
    if kind == "mishap":
        return f"{body['what']} on {str(body['on'])[:10]}"
    return f"retired: {body.get('why', '')}" if kind == "retired" else f"registered: {figures_words(body)}"


def _rests_on(session: Session, gauge: Gauge) -> list[dict[str, Any]]:
    """The builds that were read with it, and how many of those readings are in doubt."""
    out = []
    for build_id, name, readings in read_with(session, gauge.id):
        doubtful = suspects(gauge, readings)
        _, after = wants_check(gauge, readings)
        out.append(
            {
                "id": build_id,
                "name": name,
                "count": number_of(len(readings), "reading"),
                "doubt": number_of(len(doubtful), "reading") if doubtful else "",
                "after": number_of(len(after), "reading") if after else "",
            }
        )
    return out
