"""Whether the server lives and can answer: for who looks after it, not for the page."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint

from goldthread.actions.upkeep import must_be_ready
from goldthread.api.blueprints import part
from goldthread.api.replies import reply
from goldthread.shape import Shape
from goldthread.workspace import Workspace


class HealthShape(Shape):
    """All is well; what is not is told as a problem."""

    well: bool = True


def blueprint(workspace: Workspace) -> APIBlueprint:
    """The health part of the API."""
    api = part("health", "/api/health")

    @api.get("/live", responses={200: HealthShape})
    def show_live() -> Response:
        """Whether this process answers at all; asks nothing of the database."""
        return reply(HealthShape())

    @api.get("/ready", responses={200: HealthShape})
    def show_ready() -> Response:
        """Whether questions can be answered: the database answers, its tables are of this version, and there is room on
        the disk. 503 or 507 where not."""
        must_be_ready(workspace)
        return reply(HealthShape())

    return api
