"""``make bench``: everything in one run, as ratios; absolute times are this machine's and this hour's."""

from __future__ import annotations

import argparse

from bench.core import core_times
from bench.files import file_times
from bench.memory import memory_rows
from bench.questions import question_times
from bench.rates import store_rates
from bench.readers import reader_times
from bench.rhythm import rhythm_times
from bench.serving import serving_times
from bench.standing import standing_times
from bench.threads import thread_times
from bench.timing import show
from bench.worth import worth_times


def main() -> None:
    """Measure the core at 1 M and 10 M orders, and the store's bulk rates at 1 M."""
    parser = argparse.ArgumentParser(description=main.__doc__)
    parser.add_argument(
        "--small", action="store_true", help="a hundredth of the sizes and less of each, to see that it runs"
    )
    small = parser.parse_args().small
    parts, rounds, seconds, runs = (100, 2, 0.2, 1) if small else (1, 20, 10.0, 5)
    for orders in (10_000,) if small else (1_000_000, 10_000_000):
        show(f"The core, {orders:,} orders", core_times(orders))
        show(f"Cohorts, new and returning, {orders:,} orders", question_times(orders))
        show(f"Rhythm, {orders:,} orders", rhythm_times(orders))
        show(f"Standings, {orders:,} orders", standing_times(orders))
        show(f"Threads, {orders:,} orders", thread_times(orders))
        show(f"Worth, {orders:,} orders", worth_times(orders))
        show(f"Memory of a server, {orders:,} orders", memory_rows(orders, rounds))
    show("Files", file_times(1_000_000 // parts))
    show("The store", store_rates(1_000_000 // parts))
    show("Readers", reader_times(1_000_000 // parts, seconds))
    show("Answers and commands", serving_times(runs))


main()
