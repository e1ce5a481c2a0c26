"""The tables, by what they hold. Importing the package registers them all."""

from sqlalchemy import Table
from sqlmodel import SQLModel

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


def table_for(row: type[SQLModel]) -> Table:
    """Return the table of a model, for statements that SQLModel has no words for.

    Parameters
    ----------
    row : type
        One of the models above.
    """
    return row.metadata.tables[str(row.__tablename__)]


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
    "table_for",
]
