"""Plans in a few words, for every page that shows one."""

from __future__ import annotations

from zygometra.core.build.lever_table import LEVER
from zygometra.core.build.model import Operation
from zygometra.core.build.record import op_words
from zygometra.core.digits import figure
from zygometra.core.units import Kind
from zygometra.core.wording import Reader


def percent(share: float) -> str:
    """Return a share of 1 as it is shown."""
    return f"{figure(100 * share, 0)} %"


def operation_words(op: Operation, reader: Reader) -> str:
    """Return one operation of a plan in a few words: what is done where, by how much."""
    where = f" {op.bank}" if op.bank else ""
    if op.gasket is not None:
        thick = op.gasket.thickness
        return f"gasket{where} {op.gasket.name or reader.limit(thick.value if thick else 0.0)}"
    if op.part is not None:
        return f"{op.part.kind} {op.part.name or 'another'}"
    if op.to_height is not None:
        return f"{op_words(op.op)}{where} to a height of {reader.quantity(op.to_height)}"
    if op.first is not None and op.last is not None:
        return f"{op_words(op.op)}{where} {reader.limit(op.first.value)} front, {reader.limit(op.last.value)} rear"
    if op.amount is not None:
        amount = op.amount.value
        written = f"{amount:.1f} cc" if LEVER[op.op].kind is Kind.VOLUME else reader.limit(amount)
        return f"{op_words(op.op)}{where} {written}"
    return "heads side for side"


def from_to(words: list[str]) -> str:
    return (
        words[0]
        if words[0] == words[1]
        else f"{words[0].removesuffix(' mm').removesuffix(' thou')} to {words[1]}"
    )


def plan_words(planned: tuple[Operation, ...], reader: Reader) -> list[str]:
    """Return a plan in a few words: what is done where, by how much."""
    openings = [op for op in planned if op.op == "open_chamber" and op.amount is not None]
    out = [operation_words(op, reader) for op in planned if op.op != "open_chamber"]
    if openings:
        amounts = [op.amount.value for op in openings if op.amount is not None]
        holes = ", ".join(str(op.cylinder) for op in openings)
        out.append(
            f"open chambers {holes}: " + from_to([f"{min(amounts):.1f}", f"{max(amounts):.1f}"]) + " cc"
        )
    return out or ["nothing: it is inside as it stands"]
