"""Saved questions: named and versioned; earlier versions can be brought back."""

from __future__ import annotations

import datetime as dt
from itertools import groupby
from typing import Literal

from flask import Response
from flask_openapi3 import APIBlueprint
from pydantic import BaseModel

from goldthread.actions import books, saving
from goldthread.actions.saving import SavedRow
from goldthread.actions.workspace import Workspace
from goldthread.api.blueprints import part
from goldthread.api.replies import reply, seen_version
from goldthread.api.shapes import BookPath, Id, Shape

SavedStop = Literal["threads", "cohorts", "newness"]


class SavedPath(BookPath):
    saved: Id


class QuestionBody(BaseModel):
    """A question to be saved: ``query`` is that of its address, ``words`` what it says."""

    name: str
    stop: SavedStop
    query: str
    words: str


class VersionShape(Shape):
    """One version of a saved question (UTC)."""

    id: int
    version: int
    stop: str
    query: str
    words: str
    saved_at: dt.datetime

    @classmethod
    def of(cls, row: SavedRow) -> VersionShape:
        return cls(
            id=row.id,
            version=row.version,
            stop=row.stop,
            query=row.query,
            words=row.words,
            saved_at=row.saved_at.replace(tzinfo=dt.UTC),
        )


class SavedQuestionShape(Shape):
    """A saved question; its newest version comes first."""

    name: str
    versions: list[VersionShape]


class SavedQuestionsShape(Shape):
    questions: list[SavedQuestionShape]


def blueprint(workspace: Workspace) -> APIBlueprint:
    """The part of the API for saved questions."""
    api = part("saved", "/api/books/<int:book>")

    def listed(book_id: int, status: int = 200) -> Response:
        rows = saving.list_saved(workspace, books.find_book(workspace, book_id))
        questions = [
            SavedQuestionShape(name=name, versions=[VersionShape.of(row) for row in versions])
            for name, versions in groupby(rows, key=lambda row: row.name)
        ]
        return reply(SavedQuestionsShape(questions=questions), status)

    @api.get("/questions", responses={200: SavedQuestionsShape})
    def list_questions(path: BookPath) -> Response:
        """Every saved question with all its versions."""
        return listed(path.book)

    @api.post("/questions", responses={201: SavedQuestionsShape})
    def save_question(path: BookPath, body: QuestionBody) -> Response:
        """Save a question; under a known name it becomes the next version."""
        book = books.find_book(workspace, path.book)
        saving.save_question(workspace, book, body.name, body.stop, body.query, body.words, seen_version())
        return listed(path.book, 201)

    @api.post("/questions/<int:saved>/back", responses={201: SavedQuestionsShape})
    def bring_back(path: SavedPath) -> Response:
        """Make an earlier version the newest one."""
        saving.bring_back(workspace, books.find_book(workspace, path.book), path.saved, seen_version())
        return listed(path.book, 201)

    @api.delete("/questions/<int:saved>", responses={200: SavedQuestionsShape})
    def forget_question(path: SavedPath) -> Response:
        """Forget a question with all its versions."""
        saving.forget_question(workspace, books.find_book(workspace, path.book), path.saved, seen_version())
        return listed(path.book)

    return api
