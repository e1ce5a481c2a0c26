"""The tables, by what they hold. Importing the package registers them all."""

from .builds import BuildRow, ChangeRow, FigureRow, OperationRow
from .facts import FactRow, GaugeFactRow, PhotoRow
from .rules import AcceptanceRow, FitRulesRow, HouseRuleRow
from .sessions import EndedSessionRow
from .shelf import PartChangeRow, PartRow

# Tables whose rows are a record: what was written there stands, and the database itself refuses anything else.
RECORDS = tuple(
    sorted(
        row.__tablename__
        for row in (
            AcceptanceRow,
            ChangeRow,
            FactRow,
            FitRulesRow,
            GaugeFactRow,
            HouseRuleRow,
            PartChangeRow,
            PhotoRow,
        )
    )
)

__all__ = [
    "RECORDS",
    "AcceptanceRow",
    "BuildRow",
    "ChangeRow",
    "EndedSessionRow",
    "FactRow",
    "FigureRow",
    "FitRulesRow",
    "GaugeFactRow",
    "HouseRuleRow",
    "OperationRow",
    "PartChangeRow",
    "PartRow",
    "PhotoRow",
]
