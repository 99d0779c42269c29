"""The cells of a cohort table of the small history, in the form of the golden file."""

from __future__ import annotations

import numpy as np

from goldthread.core.cohorts.table import CohortTable


def cells(table: CohortTable) -> dict[str, dict[str, dict[str, int]]]:
    """The table in the form of the expected file: only cells that hold an order."""
    return {
        label: {
            str(age): {
                "customers": int(table.customers[row, age]),
                "orders": int(table.orders[row, age]),
                "revenue": int(table.revenue_minor[row, age]),
            }
            for age in np.flatnonzero(table.orders[row])
        }
        for row, label in enumerate(table.labels)
        if table.size[row]
    }
