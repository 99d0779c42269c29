"""Work that takes longer than a request: how far it is, what came of it; and the demo book, which is such work."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint

from goldthread.actions.jobs import JobBoard
from goldthread.actor import Right
from goldthread.api.access import asks
from goldthread.api.blueprints import part
from goldthread.api.replies import made_reply, reply
from goldthread.api.shapes.intake import JobPath, JobShape
from goldthread.workspace import Workspace


def blueprint(_workspace: Workspace, jobs: JobBoard) -> APIBlueprint:
    """The jobs' part of the API."""
    api = part("jobs", "/api")

    @api.post("/demo", responses={202: JobShape})
    @asks(Right.BEGIN)
    def fill_demo() -> Response:
        """Fill a book with the invented supplier's files."""
        return reply(JobShape.of(jobs.start("demo")), 202)

    @api.get("/jobs/<job>", responses={200: JobShape})
    @asks(Right.PERSON)
    def show_job(path: JobPath) -> Response:
        """How far a piece of work is, and what came of it."""
        return reply(JobShape.of(jobs.find(path.job)))

    @api.delete("/jobs/<job>", responses={202: JobShape})
    @asks(Right.PERSON)
    def stop_job(path: JobPath) -> Response:
        """Stop a piece of work; nothing is changed unless it was committed already."""
        return reply(JobShape.of(jobs.stop(path.job)), 202)

    @api.get("/jobs/<job>/file", responses={200: None})
    @asks(Right.PERSON)
    def take_file(path: JobPath) -> Response:
        """The file that a piece of work made."""
        return made_reply(jobs.take_file(path.job))

    return api
