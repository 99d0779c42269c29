"""The same routes for every question of every stop: answer, file, behind, recount, keep as a list."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Annotated, Any
from urllib.parse import urlencode

from flask import Response, g, request
from flask_openapi3 import APIBlueprint
from pydantic import BaseModel, Field, create_model

from goldthread.actions import books, lists
from goldthread.actions.jobs import JobBoard
from goldthread.actions.log import taken
from goldthread.actor import Right
from goldthread.api.access import asks
from goldthread.api.answers import Answers
from goldthread.api.blueprints import part
from goldthread.api.replies import csv_reply, file_reply, note_rows, reply, sheet_reply, wants_arrow, wants_csv
from goldthread.api.shapes.books import BookPath
from goldthread.api.shapes.intake import JobShape
from goldthread.api.shapes.lists import CustomerListShape, NewListBody
from goldthread.core.book.days import to_date
from goldthread.csv_writer import csv_lines
from goldthread.stops.behind.evidence_shape import OpenedShape, PageQuery, RecountedShape
from goldthread.stops.behind.order_table import orders_behind
from goldthread.stops.behind.recount import Recounted
from goldthread.stops.reading import Read
from goldthread.stops.registry import questions
from goldthread.stops.sentences.sentence import plain, reading_line
from goldthread.stops.sheet import Form, FormQuery, sheet_csv
from goldthread.stops.stop import AnswerFile, Answering, Evidence, Kept, One, QuestionKind, Window
from goldthread.store.jobs import JobRow
from goldthread.store.lists import Made
from goldthread.workspace import Workspace

View = Callable[..., Response]


class CustomerQuery(BaseModel):
    """Whose row of an answer is asked for."""

    customer: Annotated[int, Field(ge=1)] = Field(description="The customer, by the number in the page's address.")


class _Question:
    """The routes of one question."""

    def __init__(
        self, workspace: Workspace, jobs: JobBoard, answers: Answers, kind: QuestionKind, answering: Answering[Any, Any]
    ) -> None:
        self._workspace, self._jobs, self._answers = workspace, jobs, answers
        self._kind, self._answering = kind, answering

    def register(self, api: APIBlueprint) -> None:
        """Add the routes that the question has."""
        name, answering = self._kind.name, self._answering
        window = (Window,) if self._kind.windowed else ()
        self._add(
            api.get(f"/{name}", responses={200: answering.shape}),
            f"ask_{name}",
            self.answer,
            *window,
            right=self._kind.right,
        )
        self._add(api.get(f"/{name}/file", responses={200: None, 202: JobShape}), f"take_{name}", self.file, FormQuery)
        for called, kind in answering.files.items():
            view = partial(self.further_file, kind)
            self._add(api.get(f"/{name}/{called}", responses={200: None}), f"take_{name}_{called}", view)
        if answering.one is not None:
            one = api.get(f"/{name}/one", responses={200: answering.one.shape})
            self._add(one, f"ask_one_{name}", partial(self.one, answering.one), CustomerQuery, right=self._kind.right)
        evidence, kept = answering.evidence, answering.kept
        keep = api.post(f"/{name}/list", responses={201: CustomerListShape})
        if evidence is not None:
            self._register_evidence(api, evidence)
            view = partial(self.keep, partial(_kept_of, evidence))
            self._add(keep, f"keep_{name}", view, evidence.figure, named=True, right=Right.KEEP)
        elif kept is not None:
            self._add(
                keep,
                f"keep_{name}",
                partial(self.keep, lambda answer, _query: kept(answer)),
                named=True,
                right=Right.KEEP,
            )

    def _register_evidence(self, api: APIBlueprint, evidence: Evidence[Any, Any]) -> None:
        name, figure = self._kind.name, evidence.figure
        self._add(
            api.get(f"/{name}/behind", responses={200: OpenedShape}),
            f"open_{name}",
            partial(self.behind, evidence),
            figure,
            PageQuery,
        )
        self._add(
            api.get(f"/{name}/recount", responses={200: RecountedShape}),
            f"recount_{name}",
            partial(self.recount, evidence),
            figure,
        )

    def _add(
        self,
        register: Callable[[View], View],
        name: str,
        view: View,
        *further: type[BaseModel],
        named: bool = False,
        right: Right = Right.ASK,
    ) -> None:
        """One route: its query is made of the question's fields and further ones; ``named``: its body names a list.

        The framework reads what a route takes from its annotations.
        """
        fields, documented = self._kind.fields, getattr(view, "func", view)
        query = create_model(f"{name}_query", __base__=(fields, *further)) if further else fields

        def route(path: BookPath, query: Any, **body: NewListBody) -> Response:
            return view(path.book, query, **body)

        route.__name__ = route.__qualname__ = name.replace("-", "_")
        route.__doc__ = f"{self._kind.asks}\n\n{documented.__doc__}"
        route.__annotations__ = {"path": BookPath, "query": query, "return": Response}
        route.__annotations__ |= {"body": NewListBody} if named else {}
        register(asks(right)(route))

    def answer(self, book_id: int, query: Any) -> Response:
        """As JSON, or the whole answer as a file (Accept: text/csv, or application/vnd.apache.arrow.stream)."""
        if wants_arrow():
            return self._file(book_id, query, Form.ARROW)

        def found() -> Response:
            answer = self._asked(book_id, query)
            if wants_csv():
                name = f"{self._answering.called(answer.question)}.csv"
                sheet = self._answering.sheet(self._workspace, answer)
                note_rows(sheet.table.num_rows)
                return csv_reply(sheet_csv(sheet), name)
            window = query if isinstance(query, Window) else Window()
            return reply(self._answering.as_json(self._workspace, answer, window))

        return self._replied(book_id, found)

    def _replied(self, book_id: int, found: Callable[[], Response]) -> Response:
        """An answer; that it was taken as a file is put down."""
        response = self._answers.reply(book_id, found)
        if wants_csv():
            self._put_down_taken(book_id)
        return response

    def _put_down_taken(self, book_id: int) -> None:
        """Put down that somebody took a file of this question, with what was asked and how many rows it has."""
        taken(self._workspace, book_id, self._kind.name, query=request.query_string.decode(), rows=g.get("rows"))

    def one(self, one: One[Any], book_id: int, query: Any) -> Response:
        """The row of one customer, where it stands among all, and who is next."""

        def found() -> Response:
            return reply(one.make(self._workspace, self._asked(book_id, query), query.customer))

        return self._answers.reply(book_id, found)

    def file(self, book_id: int, query: Any) -> Response:
        """The whole answer as CSV, XLSX, Parquet or an Arrow stream."""
        return self._file(book_id, query, query.form)

    def _file(self, book_id: int, query: Any, form: Form) -> Response:
        question = _part(query, self._kind.fields)
        name = self._answering.called(question)

        def begin() -> JobRow:
            today = books.today_of(books.find_book(self._workspace, book_id)).isoformat()
            asked = {
                "question": self._kind.name,
                "asked": question.model_dump(mode="json", exclude_unset=True),
                "form": form,
            }
            return self._jobs.start("write answer", book=book_id, today=today, **asked)

        def made() -> Response:
            sheet = self._answering.sheet(self._workspace, self._asked(book_id, query))
            note_rows(sheet.table.num_rows)
            return sheet_reply(sheet, form, name, begin)

        response = self._answers.in_turn(book_id, made)
        self._put_down_taken(book_id)
        return response

    def further_file(self, kind: AnswerFile, book_id: int, query: Any) -> Response:
        """The answer as calendar entries (RFC 5545), as address cards (RFC 6350), or as a sheet to print."""
        name = self._answering.called(_part(query, self._kind.fields))
        made = self._answers.in_turn(book_id, lambda: kind.make(self._workspace, self._asked(book_id, query)))
        self._put_down_taken(book_id)
        return file_reply(made, kind.content_type, f"{name}.{kind.ending}")

    def behind(self, evidence: Evidence[Any, Any], book_id: int, query: Any) -> Response:
        """Who and which orders stand behind one figure; (Accept: text/csv) all of the orders as a file."""
        figure = _part(query, evidence.figure)

        def found() -> Response:
            answer = self._asked(book_id, query)
            if wants_csv():
                counted = evidence.counted(answer, figure)
                table = orders_behind(self._workspace, book_id, counted)
                note_rows(table.num_rows)
                named = "-".join(str(value) for value in figure.model_dump().values() if value != "")
                return csv_reply(csv_lines(table), f"orders-behind-{named}.csv")
            opened = evidence.opened(answer, figure, query.offset, query.limit)
            return reply(OpenedShape.of(opened, query.offset, evidence.words(answer, figure), answer.read))

        return self._replied(book_id, found)

    def recount(self, evidence: Evidence[Any, Any], book_id: int, query: Any) -> Response:
        """One figure counted again by the database, from its own records."""
        figure = _part(query, evidence.figure)

        def found() -> Recounted:
            answer = self._asked(book_id, query)
            reason = answer.read.shelved.uncountable
            if reason:
                return Recounted(evidence.counted(answer, figure).tally, None, reason)
            return evidence.recount(self._workspace, answer, figure)

        return reply(RecountedShape.of(self._answers.in_turn(book_id, found)))

    def keep(self, kept_of: Callable[[Any, Any], Kept], book_id: int, query: Any, body: NewListBody) -> Response:
        """Keep the customers that it shows, or that stand behind one of its figures, as a list."""

        def found() -> tuple[Kept, Read]:
            answer = self._asked(book_id, query)
            return kept_of(answer, query), answer.read

        kept, read = self._answers.in_turn(book_id, found)
        made = Made(
            rule=kept.words,
            reading=plain(reading_line(read)),
            question=self._kind.name,
            query=urlencode(list(request.args.items(multi=True))),
            as_of=to_date(read.as_of_day),
        )
        ids = read.history.whole.customer_id.take(kept.customers)
        row = lists.keep_as_list(self._workspace, read.book, ids, body.name, made, body.hold_back)
        return reply(CustomerListShape.of(row), 201)

    def _asked(self, book_id: int, query: Any) -> Any:
        book = books.find_book(self._workspace, book_id)
        question = _part(query, self._kind.fields)
        return self._answering.asked(self._workspace, book, question, books.today_of(book))


def _kept_of(evidence: Evidence[Any, Any], answer: Any, query: Any) -> Kept:
    figure = _part(query, evidence.figure)
    return Kept(evidence.counted(answer, figure).members.rows, evidence.words(answer, figure))


def _part(query: BaseModel, model: type[BaseModel]) -> Any:
    """What a query says of a model whose fields it has among others; they were checked with the query."""
    said = query.model_fields_set & set(model.model_fields)
    return model.model_construct(said, **{name: getattr(query, name) for name in model.model_fields})


def blueprint(workspace: Workspace, jobs: JobBoard, answers: Answers) -> APIBlueprint:
    """Every question of every stop."""
    api = part("ask", "/api/books/<int:book>/ask")
    for stop, kind in questions():
        _Question(workspace, jobs, answers, kind, stop.answering(kind)).register(api)
    return api
