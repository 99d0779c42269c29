"""How the API's parts are made: one prefix, one tag, and operations named after their functions.

Routes are described only where the description is wanted: working out what each takes and gives takes seconds, and a
server starts without it.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar

from flask_openapi3 import APIBlueprint, Tag


def operation_id(*, name: str, path: str, method: str) -> str:
    """The function's own name; the path and the method stand beside it."""
    del path, method
    return name.rsplit(".", 1)[-1]


_DESCRIBED = ContextVar("described", default=False)


@contextmanager
def described() -> Iterator[None]:
    """Parts that are made meanwhile describe their routes."""
    token = _DESCRIBED.set(True)
    try:
        yield
    finally:
        _DESCRIBED.reset(token)


def part(name: str, prefix: str) -> APIBlueprint:
    """A part of the API under a prefix."""
    return APIBlueprint(
        name,
        __name__,
        url_prefix=prefix,
        abp_tags=[Tag(name=name)],
        operation_id_callback=operation_id,
        doc_ui=_DESCRIBED.get(),
    )
