"""What somebody outside sees by a link: one answer with nothing to choose, and what stands behind its figures."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any
from urllib.parse import parse_qs

from pydantic import BaseModel

from goldthread.actor import AT_THE_DESK, Right, Role, acting_as, actor
from goldthread.core.limits import FROZEN_BYTES_MOST, FROZEN_ROWS_MOST
from goldthread.cql2.reading import read_condition
from goldthread.errors import InvalidInput, NotFound, TooLarge
from goldthread.shape import encoded
from goldthread.stops.behind.evidence_shape import OpenedShape, PageQuery
from goldthread.stops.brief_shape import BriefShape, FindingShape, OpenedBriefShape
from goldthread.stops.briefs import Shown, show_all
from goldthread.stops.saved import chosen, question_of
from goldthread.stops.stop import Answering, Window
from goldthread.store.books import BookRow
from goldthread.store.briefs import find_brief
from goldthread.workspace import Workspace

_NAMING = {"name", "email"}
"""Fields by which a condition names customers."""
BRIEFS = "briefs"
"""Where a link to a brief leads, in place of a stop."""
_MAKE_ANOTHER = "Ask whoever gave you the link for another one."


class SharedView:
    """The view that a link shows. Raises `InvalidInput` for one that cannot be asked, or that people work with."""

    def __init__(self, workspace: Workspace, stop_name: str, query: str) -> None:
        stop, self._kind, self._question = question_of(stop_name, query)
        if self._kind.right is not Right.ASK:
            raise InvalidInput(
                "This view shows how people work a list: it is not for anybody outside.",
                remedy="Share one that answers a question.",
                field="view",
            )
        self._workspace = workspace
        self._answering: Answering[Any, Any] = stop.answering(self._kind)
        self.question = self._kind.name

    def _asked(self, book: BookRow, today: dt.date) -> Any:
        return self._answering.asked(self._workspace, book, self._question, today)

    def answer(self, book: BookRow, today: dt.date, said: Mapping[str, Sequence[str]]) -> BaseModel:
        """The answer, for a window of its rows; what could be chosen instead stays inside."""
        window = chosen(Window, said, remedy=_MAKE_ANOTHER)
        shape: Any = self._answering.as_json(self._workspace, self._asked(book, today), window)
        fixed = [control.model_copy(update={"options": []}) for control in shape.controls]
        return shape.model_copy(update={"controls": fixed})  # type: ignore[no-any-return]

    def told(self, book: BookRow, today: dt.date, *, people: bool) -> BaseModel:
        """The answer as whoever has the link sees it, with names of customers or their numbers alone. Raises
        `InvalidInput` for one that cannot be asked so."""
        if not people and _names(self._question.where):
            raise InvalidInput(
                "The filter of this view names customers, whom the link does not show.",
                remedy="Show names of customers, or filter by something else.",
                field="shows_people",
            )
        with acting_as(replace(actor(), role=Role.READER, sees_people=people)):
            return self.answer(book, today, {"limit": [str(FROZEN_ROWS_MOST)]})

    def frozen(self, told: BaseModel) -> str:
        """The same as JSON that is kept. Raises `TooLarge`."""
        return _frozen(told, getattr(told, "count", 0) if self._kind.windowed else 0)

    def behind(self, book: BookRow, today: dt.date, said: Mapping[str, Sequence[str]]) -> OpenedShape:
        """What stands behind one of its figures. Raises `NotFound` where none can be opened."""
        evidence = self._answering.evidence
        if evidence is None:
            raise NotFound("This view has no figures that can be opened.", remedy=_MAKE_ANOTHER)
        figure = chosen(evidence.figure, said, remedy=_MAKE_ANOTHER)
        page = chosen(PageQuery, said, remedy=_MAKE_ANOTHER)
        answer = self._asked(book, today)
        opened = evidence.opened(answer, figure, page.offset, page.limit)
        return OpenedShape.of(opened, page.offset, evidence.words(answer, figure), answer.read)


class SharedBrief:
    """A brief that a link shows: all of its findings, and no figure of them opened."""

    question = "brief"

    def __init__(self, workspace: Workspace, query: str) -> None:
        self._workspace = workspace
        number = parse_qs(query).get("brief", [""])[0]
        if not number.isdecimal():
            raise InvalidInput("No brief is opened.", remedy="Open the brief, then share it.", field="query")
        self._number = int(number)

    def answer(self, book: BookRow, today: dt.date, _said: Mapping[str, Sequence[str]]) -> BaseModel:
        """The brief with its findings, pictures inside. Raises `NotFound`."""
        # its words are for whoever its author gives them to
        with acting_as(AT_THE_DESK):
            row = find_brief(self._workspace.record.engine, book.id, self._number)
        findings = show_all(self._workspace, book, row.id, today)
        if not actor().sees_people and any(map(_may_name, findings)):
            raise InvalidInput(
                "A finding of this brief names customers: by its filter, or in a table as it was.",
                remedy="Show names of customers, or have that finding be live and filter by something else.",
                field="shows_people",
            )
        shapes = [FindingShape.of(each, whole=True) for each in findings]
        # who wrote what, and how it is asked, stays inside
        within = {"made_by": "", "edited_by": ""}
        return OpenedBriefShape(
            brief=BriefShape.like(row).model_copy(update={"made_by": ""}),
            findings=[each.model_copy(update={**within, "pinned": each.pinned and {}}) for each in shapes],
        )

    def told(self, book: BookRow, today: dt.date, *, people: bool) -> BaseModel:
        """The same as whoever has the link sees it. Raises `InvalidInput` and `NotFound`."""
        with acting_as(replace(actor(), role=Role.READER, sees_people=people)):
            return self.answer(book, today, {})

    def frozen(self, told: BaseModel) -> str:
        """The same as JSON that is kept. Raises `TooLarge`."""
        return _frozen(told, 0)

    def behind(self, _book: BookRow, _today: dt.date, _said: Mapping[str, Sequence[str]]) -> OpenedShape:
        """Nothing: a brief opens no figures. Raises `NotFound`."""
        raise NotFound("A brief shows its figures, and opens none.", remedy=_MAKE_ANOTHER)


def _may_name(shown: Shown) -> bool:
    """Whether a finding may say who customers are to somebody who sees their numbers alone."""
    where = parse_qs((shown.row.pinned or {}).get("query", "")).get("where", [""])[0]
    return bool(shown.rows and not shown.row.live) or _names(where)


def _names(where: str) -> bool:
    """Whether a condition names customers."""
    return bool(where.strip() and read_condition(where).names & _NAMING)


def shared_view(workspace: Workspace, stop_name: str, query: str) -> SharedView | SharedBrief:
    """What a link shows: a view, or a brief. Raises `InvalidInput`."""
    return SharedBrief(workspace, query) if stop_name == BRIEFS else SharedView(workspace, stop_name, query)


def _frozen(told: BaseModel, rows: int) -> str:
    text = encoded(told)
    if rows > FROZEN_ROWS_MOST or len(text.encode()) > FROZEN_BYTES_MOST:
        raise TooLarge(
            f"This answer is too long to be kept as it is: {FROZEN_ROWS_MOST} rows and {FROZEN_BYTES_MOST >> 20} MiB "
            "are the most.",
            remedy="Make a link that is asked each time, or choose less.",
            field="frozen",
        )
    return text
