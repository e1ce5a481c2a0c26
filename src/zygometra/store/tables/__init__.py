"""The tables, by what they hold. Importing the package registers them all."""

from .builds import BuildRow, ChangeRow, FigureRow, OperationRow
from .rules import AcceptanceRow, FitRulesRow, HouseRuleRow
from .sessions import EndedSessionRow
from .shelf import PartChangeRow, PartRow

# Tables whose rows are a record: what was written there stands, and the database itself refuses anything else.
RECORDS = tuple(
    sorted(row.__tablename__ for row in (AcceptanceRow, ChangeRow, FitRulesRow, HouseRuleRow, PartChangeRow))
)

__all__ = [
    "RECORDS",
    "AcceptanceRow",
    "BuildRow",
    "ChangeRow",
    "EndedSessionRow",
    "FigureRow",
    "FitRulesRow",
    "HouseRuleRow",
    "OperationRow",
    "PartChangeRow",
    "PartRow",
]
