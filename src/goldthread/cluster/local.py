"""A cluster of this machine: as many workers as it has processors, for as long as the server runs."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager

import dask
import psutil
from distributed import LocalCluster

from goldthread.cluster.cluster import ADDRESS
from goldthread.cluster.keys import KEY, make_keys, security_of
from goldthread.processes import write_private
from goldthread.settings import Settings, private_folder

_MEMORY_SHARE = 0.75
"""Of the machine's memory, for all workers together."""
_KEY_DAYS = 3650
CONFIG = {
    # parts are mapped, and pages of files count as used: what is too much is refused in words beforehand
    "distributed.worker.memory.target": False,
    "distributed.worker.memory.spill": False,
    "distributed.worker.memory.pause": False,
    "distributed.worker.memory.terminate": False,
    # what a question takes and gives back, the next one takes again: memory is not returned to the system in between
    "distributed.nanny.pre-spawn-environ": {},
    # a worker that ended is begun again by its own nanny, however long that takes on a busy machine: given up, it would
    # never come back
    "distributed.deploy.lost-worker-timeout": "1 day",
    # what it tells by HTTP is not for other users of a machine
    "distributed.scheduler.http.routes": [],
    "distributed.worker.http.routes": [],
}
"""How Dask is set up here; `deploy/cluster/dask.yaml` says the same for other machines."""


@contextmanager
def local_cluster(settings: Settings, workers: int = 0) -> Iterator[str]:
    """Run a cluster of this machine, of one worker a processor unless said otherwise, and say where it is reached."""
    count, folder = workers or os.cpu_count() or 1, private_folder(settings.cluster_keys)
    if not (folder / KEY).exists():
        make_keys(folder, _KEY_DAYS)
    memory_bytes = int(psutil.virtual_memory().total * _MEMORY_SHARE) // count
    with (
        dask.config.set(CONFIG),
        LocalCluster(
            n_workers=count,
            threads_per_worker=1,
            host="127.0.0.1",
            protocol="tls",
            security=security_of(folder),
            dashboard_address="127.0.0.1:0",
            memory_limit=memory_bytes,
            local_directory=str(settings.scratch),
        ) as cluster,
    ):
        file = write_private(folder / ADDRESS, cluster.scheduler_address)
        try:
            yield cluster.scheduler_address
        finally:
            file.unlink(missing_ok=True)
