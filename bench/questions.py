"""Times of the cohort figures, splits, and new and returning, each beside one pass over the bytes it must read."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from bench import synthetic
from bench.timing import Row, timed
from goldthread.actions.newness import _years_before
from goldthread.core.book import OrderBook
from goldthread.core.cohort_figures import Average, CohortFigure, Costs, figure_table
from goldthread.core.cohort_split import customer_groups
from goldthread.core.cohorts import CohortTable, cohort_table, split_table
from goldthread.core.history import History, HistoryRule, read_history
from goldthread.core.newness import Span, newness_table, tally
from goldthread.core.periods import Period
from goldthread.core.records import OrderStatus
from goldthread.core.second_look import cohorts_apart, crowding

BESIDE = "one pass over the bytes read"
RUNS = 5
