"""Every error leaves as problem details (RFC 9457)."""

from __future__ import annotations

import logging
from http import HTTPStatus

from flask import Flask, Response, request
from flask_wtf.csrf import CSRFError
from pydantic import ValidationError
from sqlalchemy.exc import SQLAlchemyError
from werkzeug.exceptions import HTTPException, RequestEntityTooLarge

from goldthread.api.security import FILES_TYPE
from goldthread.api.shapes.books import ProblemDetails
from goldthread.errors import ConditionInvalid, GoldThreadError, TooLarge, TooManyTries
from goldthread.settings import Settings
from goldthread.store.server.faults import in_our_words

ASK_AGAIN_SECONDS = 5
_log = logging.getLogger(__name__)


def describe(error: GoldThreadError) -> ProblemDetails:
    """An error of ours as problem details; its class names the type."""
    return ProblemDetails(
        type=f"urn:goldthread:{type(error).__name__}",
        title=error.title,
        status=error.status,
        detail=error.detail,
        remedy=error.remedy,
        field=error.field,
        row=error.row,
        at=error.at if isinstance(error, ConditionInvalid) else None,
    )


def problem_response(problem: ProblemDetails) -> Response:
    """Problem details as a response; one that says when to ask again where that may help."""
    response = Response(problem.model_dump_json(), status=problem.status, content_type="application/problem+json")
    if problem.status == HTTPStatus.SERVICE_UNAVAILABLE:
        response.headers["Retry-After"] = str(ASK_AGAIN_SECONDS)
    return response


def invalid_request(error: ValidationError) -> Response:
    """A request whose shape is wrong: the first thing that is, and where."""
    first = error.errors(include_url=False, include_context=False)[0]
    field = ".".join(str(part) for part in first["loc"])
    problem = ProblemDetails(
        type="urn:goldthread:InvalidInput",
        title="That value cannot be used",
        status=422,
        detail=f"{field}: {first['msg']}." if field else f"{first['msg']}.",
        remedy="See /api/openapi.json for what is accepted.",
        field=field,
    )
    return problem_response(problem)


def tell_problems(app: Flask, settings: Settings) -> None:
    """Register the handlers."""

    @app.errorhandler(GoldThreadError)
    def ours(error: GoldThreadError) -> Response:
        response = problem_response(describe(error))
        if isinstance(error, TooManyTries):
            response.headers["Retry-After"] = str(error.seconds)
        return response

    @app.errorhandler(SQLAlchemyError)
    @app.errorhandler(OSError)
    def beneath_us(error: SQLAlchemyError | OSError) -> Response:
        known = in_our_words(error)
        if known is None:
            return unforeseen(error)
        _log.error("%s %s", known.detail, error)
        return ours(known)

    @app.errorhandler(RequestEntityTooLarge)
    def too_large(_: RequestEntityTooLarge) -> Response:
        if request.mimetype != FILES_TYPE:
            return ours(TooLarge("So much is taken as a file only.", remedy="Send less at once."))
        limit = settings.upload_limit_mib
        return ours(TooLarge(f"The file is larger than {limit} MiB.", remedy="Import it with goldthread deliver."))

    @app.errorhandler(CSRFError)
    def forged(error: CSRFError) -> Response:
        return problem_response(
            ProblemDetails(
                type="urn:goldthread:Forged",
                title="This page may not change anything",
                status=400,
                detail=error.description or "The page's token is missing.",
                remedy="Load the page again.",
            )
        )

    @app.errorhandler(HTTPException)
    def web(error: HTTPException) -> Response:
        return problem_response(
            ProblemDetails(
                type="about:blank", title=error.name, status=error.code or 500, detail=error.description or error.name
            )
        )

    @app.errorhandler(Exception)
    def unforeseen(_: Exception) -> Response:
        _log.exception("A request failed")
        return ours(GoldThreadError("Something failed on our side.", remedy="See the server's log."))
