"""The HTTP server: the application behind a bounded number of threads and connections; and who does what takes longer
than a request."""

from __future__ import annotations

import resource
import socket
from contextlib import suppress
from typing import Any

import waitress

from goldthread.actions.upkeep import clean_up, remove_deleted
from goldthread.actions.watching import MOST_STREAMS
from goldthread.actions.worker import Worker
from goldthread.api.app import create_app
from goldthread.api.work import KINDS, tell_error, tell_result
from goldthread.settings import Settings
from goldthread.workspace import Workspace, open_workspace

REQUESTS_AT_ONCE = 12
CONNECTIONS_MOST = 2_000
_IDLE_SECONDS = 75
"""A browser keeps connections open that it does not use; one that nobody uses for so long is closed."""


def make_server(workspace: Workspace, listener: socket.socket) -> Any:
    """A server on a socket that listens; ``run`` serves until ended."""
    settings = workspace.settings
    _allow_many_connections()
    clean_up(settings)
    remove_deleted(workspace)
    if settings.workers == 0:
        worker_of(workspace).start()
    return waitress.create_server(
        create_app(workspace),
        sockets=[listener],
        # every stream of changes holds a thread of its own
        threads=REQUESTS_AT_ONCE + MOST_STREAMS,
        connection_limit=CONNECTIONS_MOST,
        asyncore_use_poll=True,
        # so that a question whose asker has gone away is noticed
        channel_request_lookahead=1,
        ident="Gold Thread",
        channel_timeout=_IDLE_SECONDS,
        max_request_body_size=(settings.upload_limit_mib + 1) << 20,
        clear_untrusted_proxy_headers=True,
    )


def worker_of(workspace: Workspace) -> Worker:
    """Who does the work that is put down for a workspace, in this process."""
    return Worker(workspace, KINDS, tell_result, tell_error)


def make_worker(settings: Settings) -> Worker:
    """A worker that has a process to itself: it holds no book while there is nothing to do."""
    workspace = open_workspace(settings)
    return Worker(workspace, KINDS, tell_result, tell_error, workspace.let_go)


def _allow_many_connections() -> None:
    """Each connection is an open file, and processes may begin with few."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    wanted = 2 * CONNECTIONS_MOST
    if soft != resource.RLIM_INFINITY and soft < wanted:
        with suppress(ValueError, OSError):
            most = wanted if hard == resource.RLIM_INFINITY else min(wanted, hard)
            resource.setrlimit(resource.RLIMIT_NOFILE, (most, hard))
