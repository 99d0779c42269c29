"""How the API's parts are made: one prefix, one tag, and operations named after their functions."""

from __future__ import annotations

from flask_openapi3 import APIBlueprint, Tag


def operation_id(*, name: str, path: str, method: str) -> str:
    """The function's own name; the path and the method stand beside it."""
    del path, method
    return name.rsplit(".", 1)[-1]


def part(name: str, prefix: str) -> APIBlueprint:
    """A part of the API under a prefix."""
    return APIBlueprint(
        name, __name__, url_prefix=prefix, abp_tags=[Tag(name=name)], operation_id_callback=operation_id
    )
