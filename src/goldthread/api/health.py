"""Whether the server lives and can answer, for who looks after it, and when its last backup was made."""

from __future__ import annotations

import datetime as dt

from flask import Response
from flask_openapi3 import APIBlueprint

from goldthread.actions.upkeep import must_be_ready
from goldthread.actor import Right
from goldthread.api.access import asks
from goldthread.api.blueprints import part
from goldthread.api.replies import reply
from goldthread.installation import backup_is_old, last_backup
from goldthread.shape import Shape
from goldthread.workspace import Workspace


class BackupShape(Shape):
    """The last backup: when it was made (UTC), whether one is made every day, and whether it is too old for that."""

    made_at: dt.datetime | None
    is_daily: bool
    is_old: bool


class HealthShape(Shape):
    """All is well; what is not is told as a problem."""

    well: bool = True


def blueprint(workspace: Workspace) -> APIBlueprint:
    """The health part of the API."""
    api = part("health", "/api/health")

    @api.get("/live", responses={200: HealthShape})
    @asks(Right.ANYBODY)
    def show_live() -> Response:
        """Whether this process answers at all; asks nothing of the database."""
        return reply(HealthShape())

    @api.get("/ready", responses={200: HealthShape})
    @asks(Right.ANYBODY)
    def show_ready() -> Response:
        """Whether questions can be answered: the database answers, its tables are of this version, and there is room on
        the disk. 503 or 507 where not."""
        must_be_ready(workspace)
        return reply(HealthShape())

    @api.get("/backup", responses={200: BackupShape})
    @asks(Right.PERSON)
    def show_backup() -> Response:
        """When the last backup was made."""
        settings = workspace.settings
        is_old = backup_is_old(settings, dt.datetime.now(dt.UTC))
        return reply(BackupShape(made_at=last_backup(settings), is_daily=bool(settings.backup_daily_at), is_old=is_old))

    return api
