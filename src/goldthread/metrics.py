"""What a server counts of itself, in the text format of Prometheus.

Its processes count into files of one folder, each into its own; one process of its own adds these up and answers on an
address of its own (https://prometheus.github.io/client_python/multiprocess). The folder is named in the environment
before this module is loaded; without one each process counts for itself alone, and nobody asks.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import suppress
from typing import Any, Literal

from prometheus_client import CollectorRegistry, Counter, Gauge, Histogram, start_http_server
from prometheus_client.core import GaugeMetricFamily
from prometheus_client.multiprocess import MultiProcessCollector, mark_process_dead

from goldthread.settings import counting_folder

_FILES_MOST = 400
"""Files of processes that have ended are kept, since they hold what these counted; the oldest go beyond so many."""
_LIVE: Literal["livesum"] = "livesum"

REQUESTS = Histogram(
    "goldthread_request_seconds",
    "How long requests took, by route and status.",
    ["method", "route", "status"],
    buckets=(0.005, 0.02, 0.05, 0.1, 0.2, 0.4, 0.8, 1.5, 3, 10, 30),
)
COMPUTED = Counter("goldthread_questions_computed", "Questions that were worked out.")
REFUSED = Counter("goldthread_questions_refused", "Questions that were refused since too many waited.")
KEPT = Counter("goldthread_replies_kept", "Replies that the client or this process had already.", ["where"])
WAITING = Gauge("goldthread_questions_waiting", "Questions that wait for their turn.", multiprocess_mode=_LIVE)
BOOKS = Gauge("goldthread_books_in_memory", "Books that are open, all processes together.", multiprocess_mode=_LIVE)
HELD_BYTES = Gauge("goldthread_held_bytes", "What is kept of answers and readings.", multiprocess_mode=_LIVE)
CONNECTIONS = Gauge("goldthread_database_connections", "Connections in use.", multiprocess_mode=_LIVE)


def forget_process(pid: int) -> None:
    """Note that a process has ended: what it had open is no more."""
    folder = counting_folder()
    if folder is None:
        return
    mark_process_dead(pid)  # type: ignore[no-untyped-call]
    files = sorted(folder.glob("*.db"), key=lambda each: each.stat().st_mtime)
    for each in files[:-_FILES_MOST]:
        with suppress(FileNotFoundError):
            each.unlink()


class _OfTheRecord:
    """What is counted of the record when somebody asks."""

    def __init__(self, counts: Callable[[], tuple[dict[str, int], dict[int, float]]]) -> None:
        self._counts = counts

    def collect(self) -> Iterator[Any]:
        """Pieces of work by state; how long ago each book was changed."""
        jobs, ages = self._counts()
        of_jobs = GaugeMetricFamily("goldthread_jobs", "Pieces of work on record, by state.", labels=["state"])
        for state, count in jobs.items():
            of_jobs.add_metric([state], count)
        yield of_jobs
        of_books = GaugeMetricFamily(
            "goldthread_book_changed_seconds", "How long ago something was brought into a book.", labels=["book"]
        )
        for book, seconds in ages.items():
            of_books.add_metric([str(book)], seconds)
        yield of_books


def serve_metrics(host: str, port: int, counts: Callable[[], tuple[dict[str, int], dict[int, float]]]) -> None:
    """Answer on an address of its own, in threads of this process."""
    registry = CollectorRegistry()
    MultiProcessCollector(registry)  # type: ignore[no-untyped-call]
    registry.register(_OfTheRecord(counts))
    start_http_server(port, host, registry)
