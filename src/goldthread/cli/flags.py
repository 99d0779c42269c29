"""The flags of a command, made from the fields of a question."""

from __future__ import annotations

from collections.abc import Container, Mapping
from enum import StrEnum
from types import UnionType
from typing import Any, TypeVar, Union, get_args, get_origin

import click
from pydantic import BaseModel, ValidationError
from pydantic.fields import FieldInfo

from goldthread.cli.words import Words
from goldthread.errors import InvalidInput

M = TypeVar("M", bound=BaseModel)


def flags_of(model: type[BaseModel], without: Container[str] = ()) -> list[click.Parameter]:
    """A flag for every field, with its type, its default and what it says of itself."""
    return [_flag(name, field) for name, field in model.model_fields.items() if name not in without]


def model_of(model: type[M], given: Mapping[str, Any]) -> M:
    """The values that flags gave, as the model; what was not given is its default. Raises `InvalidInput`."""
    values = {
        name: value for name, value in given.items() if name in model.model_fields and value is not None and value != ()
    }
    try:
        return model(**values)
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        flag = "--" + ".".join(map(str, first["loc"])).replace("_", "-")
        raise InvalidInput(f"{flag}: {first['msg']}.", remedy="See --help for what is accepted.") from None


def _flag(name: str, field: FieldInfo) -> click.Option:
    kind, several = _kind(field.annotation)
    default = field.get_default()
    shown = " ".join(map(str, default)) if isinstance(default, tuple) else default
    help_text = field.description or ""
    if shown not in (None, ""):
        help_text = f"{help_text}  [default: {shown}]".strip()
    flag = (field.alias or name).replace("_", "-")
    return click.Option([f"--{flag}", name], type=kind, multiple=several, help=help_text)


def _kind(annotation: Any) -> tuple[click.ParamType[Any], bool]:
    """The type of a flag's value, and whether it may be given several times."""
    several = get_origin(annotation) is tuple
    if get_origin(annotation) in (Union, UnionType, tuple):
        annotation = next(each for each in get_args(annotation) if each not in (type(None), Ellipsis))
    if isinstance(annotation, type) and issubclass(annotation, StrEnum):
        return Words(annotation), several
    return (click.INT if annotation is int else click.STRING), several
