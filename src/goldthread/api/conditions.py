"""Conditions: what can be asked for, and what a text means so far."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint

from goldthread.actions import books
from goldthread.actor import Right
from goldthread.api.access import asks
from goldthread.api.answers import Answers
from goldthread.api.blueprints import part
from goldthread.api.problems import describe
from goldthread.api.replies import reply
from goldthread.api.shapes.books import BookPath, ProblemDetails
from goldthread.core.choices import Kind
from goldthread.core.history.conditions import Level
from goldthread.core.history.fields import written_name
from goldthread.shape import Place, Shape
from goldthread.stops.reading import Read, read_book
from goldthread.stops.sentences.conditions import Checked, ConditionPart, FieldChoice, check_condition, list_fields
from goldthread.stops.sentences.reading_line import ReadingLine
from goldthread.workspace import Workspace


class ConditionQuery(Shape):
    """A condition text; ``at`` asks for what may come at a place of it."""

    text: str = ""
    at: Place | None = None


class FieldChoiceShape(Shape):
    """A field. ``written``: as a condition text writes it. ``values``: its labels, none for other kinds."""

    name: str
    title: str
    kind: Kind
    level: Level
    written: str
    values: list[str]

    @classmethod
    def of(cls, choice: FieldChoice) -> FieldChoiceShape:
        field = choice.field
        return cls.like(field, written=written_name(field.name), values=choice.values)


class FieldsShape(Shape):
    fields: list[FieldChoiceShape]


class AlternativeShape(Shape):
    """One of the parts that are joined by OR."""

    text: str
    words: str


class ConditionPartShape(AlternativeShape):
    """One of the parts that are joined by AND; ``alternatives`` where it is made of several that are joined by OR."""

    alternatives: list[AlternativeShape]

    @classmethod
    def of(cls, part: ConditionPart) -> ConditionPartShape:
        alternatives = AlternativeShape.each_of(part.alternatives)
        return cls(text=part.text, words=part.words, alternatives=alternatives)


class CompletionShape(Shape):
    """What may stand from ``start`` on in place of what is typed there."""

    start: int
    text: str
    title: str


class ConditionShape(Shape):
    """A condition text. ``error`` has its place in ``at``; ``json`` is its CQL2 JSON."""

    parts: list[ConditionPartShape]
    words: str
    json_text: str
    of_orders: bool
    hints: list[str]
    error: ProblemDetails | None
    completions: list[CompletionShape]

    @classmethod
    def of(cls, checked: Checked) -> ConditionShape:
        return cls(
            parts=[ConditionPartShape.of(each) for each in checked.parts],
            words=checked.words,
            json_text=checked.json,
            of_orders=checked.of_orders,
            hints=checked.hints,
            error=None if checked.error is None else describe(checked.error),
            completions=CompletionShape.each_of(checked.completions),
        )


def blueprint(workspace: Workspace, answers: Answers) -> APIBlueprint:
    """The conditions' part of the API."""
    api = part("conditions", "/api/books/<int:book>")

    def read(book_id: int) -> Read:
        book = books.find_book(workspace, book_id)
        return read_book(workspace, book, ReadingLine(), books.today_of(book))

    @api.get("/fields", responses={200: FieldsShape})
    @asks(Right.ASK)
    def fields(path: BookPath) -> Response:
        """Every field that conditions, columns and groups can name."""
        return answers.reply(
            path.book,
            lambda: reply(FieldsShape(fields=[FieldChoiceShape.of(each) for each in list_fields(read(path.book))])),
        )

    @api.get("/condition", responses={200: ConditionShape})
    @asks(Right.ASK)
    def condition(path: BookPath, query: ConditionQuery) -> Response:
        """What a condition text says, where it goes wrong, and what may come next."""
        return answers.reply(
            path.book, lambda: reply(ConditionShape.of(check_condition(read(path.book), query.text, query.at)))
        )

    return api
