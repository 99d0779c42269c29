"""The question that a saved view asks, from the query of its address."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TypeVar
from urllib.parse import parse_qs

from pydantic import BaseModel, ValidationError

from goldthread.errors import InvalidInput
from goldthread.stops.registry import STOPS
from goldthread.stops.sentences.reading_line import ReadingLine
from goldthread.stops.stop import QuestionKind, Stop

Fields = TypeVar("Fields", bound=BaseModel)
VIEW = "view"
"""Where a stop has several questions: which of them its page shows."""


def question_of(stop_name: str, query: str) -> tuple[Stop, QuestionKind, ReadingLine]:
    """The stop, the question and its choices. Raises `InvalidInput` for what cannot be asked any more."""
    said = parse_qs(query, keep_blank_values=True)
    stop = next((each for each in STOPS if each.name == stop_name), None)
    kinds = {} if stop is None else {kind.name: kind for kind in stop.questions}
    kind = next(iter(kinds.values()), None)
    if len(kinds) > 1 and VIEW in said:
        kind = kinds.get(said[VIEW][0])
    if stop is None:
        names = ", ".join(each.name for each in STOPS)
        raise InvalidInput(f"There is no stop {stop_name}.", remedy=f"Stops: {names}.", field="stop")
    if kind is None:
        names = ", ".join(kinds)
        raise InvalidInput(f"{stop.title} has no such view.", remedy=f"Views: {names}.", field=VIEW)
    return stop, kind, chosen(kind.fields, said, remedy="Change the view and save it again.")


def chosen(fields: type[Fields], said: Mapping[str, Sequence[str]], *, remedy: str) -> Fields:
    """The choices of a model that a query says, which may say others too. Raises `InvalidInput`."""
    schema = fields.model_json_schema()["properties"]
    given = {
        name: values if schema[name].get("type") == "array" else values[0]
        for name, values in said.items()
        if name in schema
    }
    try:
        return fields.model_validate(given)
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        field = ".".join(map(str, first["loc"]))
        raise InvalidInput(f"{field}: {first['msg']}.", remedy=remedy, field=field) from None
