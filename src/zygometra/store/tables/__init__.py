"""The tables, by what they hold. Importing the package registers them all."""

from .builds import BuildRow, ChangeRow, FigureRow, OperationRow
from .rules import AcceptanceRow, FitRulesRow, HouseRuleRow
from .shelf import PartChangeRow, PartRow

__all__ = [
    "AcceptanceRow",
    "BuildRow",
    "ChangeRow",
    "FigureRow",
    "FitRulesRow",
    "HouseRuleRow",
    "OperationRow",
    "PartChangeRow",
    "PartRow",
]
