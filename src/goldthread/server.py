"""The HTTP server: processes that answer, and processes that do what takes longer than a request.

A parent loads the application once, forks the processes that answer, and puts another in the place of one that has
ended (gunicorn). In each of them one thread speaks to all connections, so that a slow one holds up nobody, and a
bounded number of threads answers (waitress).
"""

from __future__ import annotations

import ctypes
import logging
import os
import resource
import socket
import time
from collections.abc import Callable, Sequence
from contextlib import suppress
from typing import Any, cast

import psutil
import pyarrow as pa
import waitress
from gunicorn.app.base import BaseApplication
from gunicorn.arbiter import Arbiter
from gunicorn.workers.base import Worker as Serving

from goldthread.actions.log import forget_old
from goldthread.actions.schedules import take_due
from goldthread.actions.upkeep import clean_up, remove_deleted, slow_with
from goldthread.actions.watching import MOST_STREAMS
from goldthread.actions.worker import Chore, Worker
from goldthread.api.app import create_app
from goldthread.api.work import KINDS, tell_error, tell_result
from goldthread.installation import back_up_daily, outside_database, private_database
from goldthread.metrics import forget_process
from goldthread.processes import Kept
from goldthread.scratch import use_scratch
from goldthread.settings import Settings
from goldthread.workspace import Workspace, open_cluster, open_workspace

REQUESTS_AT_ONCE = 12
CONNECTIONS_MOST = 2_000
ENDING_SECONDS = 30
"""How long a process that is ended may take over what it is answering."""
_IDLE_SECONDS = 75
"""A browser keeps connections open that it does not use; one that nobody uses for so long is closed."""
_STUCK_SECONDS = 120
_ARENAS = -8
"""The name of M_ARENA_MAX in malloc.h."""
_log = logging.getLogger(__name__)
_RARELY_AGAIN_SECONDS = 1800.0
_LOOK_SECONDS, _WEIGH_SECONDS = 1.0, 5.0


class Answering(Serving):
    """One process that answers: speaks HTTP through waitress, and says to its parent that it lives."""

    app: Served

    def run(self) -> None:
        """Answer until ended; then what is being answered is finished, and streams close."""
        workspace = self.app.workspace
        server = self._server(workspace.settings)
        worker = worker_of(workspace) if workspace.settings.workers == 0 else None
        if worker is not None:
            worker.start()
        said = weighed = time.monotonic()
        while self.alive:
            server.asyncore.loop(timeout=_LOOK_SECONDS, map=server._map, use_poll=True, count=1)
            now = time.monotonic()
            if now - said >= _LOOK_SECONDS:
                self.notify()
                said = now
            if now - weighed >= _WEIGH_SECONDS:
                weighed = now
                self.alive &= self.ppid == os.getppid() and not self._is_too_large(workspace.settings)
        self._finish(server, workspace)
        if worker is not None:
            worker.end()

    def _server(self, settings: Settings) -> Any:
        return waitress.create_server(
            self.wsgi,
            sockets=[cast(Any, each).sock for each in self.sockets],
            # every stream of changes holds a thread of its own
            threads=REQUESTS_AT_ONCE + MOST_STREAMS,
            connection_limit=CONNECTIONS_MOST,
            asyncore_use_poll=True,
            # so that a question whose asker has gone away is noticed
            channel_request_lookahead=1,
            ident="Gold Thread",
            channel_timeout=_IDLE_SECONDS,
            max_request_body_size=(settings.upload_limit_mib + 1) << 20,
            clear_untrusted_proxy_headers=settings.trusted_proxies == 0,
        )

    def _is_too_large(self, settings: Settings) -> bool:
        own = int(psutil.Process().memory_full_info().uss) >> 20
        if own > settings.process_memory_mib:
            self.log.warning("This process has come to %s MiB of its own and is replaced.", own)
            return True
        return False

    def _finish(self, server: Any, workspace: Workspace) -> None:
        server.accepting = False
        workspace.ending.set()
        until = time.monotonic() + ENDING_SECONDS
        while time.monotonic() < until and any(
            each.requests or each.total_outbufs_len for each in list(server.active_channels.values())
        ):
            self.notify()
            server.asyncore.loop(timeout=_LOOK_SECONDS / 10, map=server._map, use_poll=True, count=1)
        server.task_dispatcher.shutdown(timeout=1)


class Served(BaseApplication):
    """The application on a socket that listens. ``ready`` is called once it is loaded and is about to be served."""

    def __init__(self, settings: Settings, listener: socket.socket, ready: Callable[[], None]) -> None:
        self.workspace = open_workspace(settings)
        self.listener, self._ready = listener, ready
        super().__init__()

    def load_config(self) -> None:
        """What the parent needs to know."""
        settings = self.workspace.settings
        for name, value in {
            "bind": f"fd://{self.listener.fileno()}",
            "workers": settings.processes,
            "worker_class": Answering,
            "preload_app": True,
            "timeout": _STUCK_SECONDS,
            "graceful_timeout": ENDING_SECONDS + 5,
            "control_socket_disable": True,
            "proc_name": "goldthread",
            "when_ready": lambda _parent: self._ready(),
            "child_exit": lambda _parent, process: forget_process(process.pid),
            "post_fork": lambda _parent, _process: self._forked(),
        }.items():
            self.cfg.set(name, value)

    def load(self) -> Any:
        """The application, made once; nothing of the parent's connections goes to those that answer."""
        _hold_little()
        clean_up(self.workspace.settings)
        remove_deleted(self.workspace)
        for note in slow_with(self.workspace.settings):
            _log.warning(note)
        app = create_app(self.workspace)
        self.workspace.record.engine.dispose()
        return app

    def _forked(self) -> None:
        use_scratch(self.workspace.settings)
        self.workspace.record.engine.dispose(close=False)


class _Parent(Arbiter):
    """Looks after the processes that answer, and after those that work."""

    def __init__(self, app: Served, kept: Sequence[Kept]) -> None:
        super().__init__(app)
        self._kept = kept
        # what it says goes where everything else does
        said = logging.getLogger("gunicorn.error")
        said.handlers.clear()
        said.propagate = True

    def manage_workers(self) -> None:
        super().manage_workers()
        for each in self._kept:
            each.look()

    def stop(self, graceful: bool = True) -> None:
        super().stop(graceful)
        for each in self._kept:
            each.end()


def serve(settings: Settings, listener: socket.socket, ready: Callable[[], None], command: list[str]) -> None:
    """Serve on a socket that listens, until ended. ``command`` begins this program, for the processes that do what
    takes longer than a request, the one that tells what is counted, and the private database when it has died."""
    _allow_many_connections()
    # what it needs may not be installed
    open_cluster(settings)
    kept = [Kept([*command, "work", "--with-parent"], settings.workers)]
    if outside_database(settings) is None:
        database = private_database(settings)
        kept.append(Kept([*command, "database", "up"], 1, lambda: database.has_died))
    if settings.compute == "processes":
        kept.append(Kept([*command, "cluster", "run", "--with-parent"], 1))
    if settings.metrics_address:
        kept.append(Kept([*command, "metrics", "--with-parent"], 1))
    _Parent(Served(settings, listener, ready), kept).run()


def worker_of(workspace: Workspace, when_idle: Callable[[], None] = lambda: None) -> Worker:
    """Who does the work that is put down for a workspace, in this process."""
    chores = (
        Chore(lambda: take_due(workspace)),
        Chore(lambda: forget_old(workspace), _RARELY_AGAIN_SECONDS),
        Chore(lambda: back_up_daily(workspace.settings), _RARELY_AGAIN_SECONDS),
    )
    return Worker(workspace, KINDS, tell_result, tell_error, when_idle, chores)


def make_worker(settings: Settings) -> Worker:
    """A worker that has a process to itself: it holds no book while there is nothing to do."""
    workspace = open_workspace(settings)
    return worker_of(workspace, workspace.let_go)


def _hold_little() -> None:
    """Have memory that was let go given back: what each of many threads keeps for itself, and what Arrow does, would
    come to more than the answers that are kept."""
    pa.set_memory_pool(pa.system_memory_pool())
    options = getattr(ctypes.CDLL(None), "mallopt", None)
    if options is not None:
        options(_ARENAS, 2)


def _allow_many_connections() -> None:
    """Each connection is an open file, and processes may begin with few."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    wanted = 2 * CONNECTIONS_MOST
    if soft != resource.RLIM_INFINITY and soft < wanted:
        with suppress(ValueError, OSError):
            most = wanted if hard == resource.RLIM_INFINITY else min(wanted, hard)
            resource.setrlimit(resource.RLIMIT_NOFILE, (most, hard))
