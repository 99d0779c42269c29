"""What a stop is: a name, and the questions that can be asked at it.

A question has two halves. `QuestionKind` is what everybody needs who offers it: its name, its fields, what it asks; it
loads nothing that answers. `Answering` is how it is answered, and is loaded when somebody asks.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from importlib import import_module
from typing import TYPE_CHECKING, Annotated, Any, Generic, Protocol, TypeVar

from pydantic import BaseModel, Field

from goldthread.actor import Right
from goldthread.shape import Place
from goldthread.stops.sentences.reading_line import ReadingLine

if TYPE_CHECKING:
    import datetime as dt

    import numpy as np
    import pyarrow as pa
    from numpy.typing import NDArray

    from goldthread.core.counted import Counted
    from goldthread.stops.behind.evidence import Opened
    from goldthread.stops.behind.recount import Recounted
    from goldthread.stops.reading import Read
    from goldthread.stops.sheet import Sheet
    from goldthread.stops.step import Step
    from goldthread.store.books import BookRow
    from goldthread.workspace import Workspace


class Window(BaseModel):
    """Which rows of a long list are shown."""

    offset: Place = Field(0, description="The first row that is shown.")
    limit: Annotated[int, Field(ge=1, le=500)] = Field(60, description="How many rows are shown.")


@dataclass(frozen=True)
class QuestionKind:
    """One question.

    Attributes
    ----------
    name : under which it is asked, in addresses and as a command
    fields : the model that declares its choices
    asks : what it asks, in one sentence
    also : further commands that ask it, with the fields that each of them fixes and what it asks
    argument : the field that a command takes without a flag, if any
    windowed : whether its answer is a long list, of which a window is shown
    right : what whoever asks it must be allowed
    """

    name: str
    fields: type[ReadingLine]
    asks: str
    also: Mapping[str, tuple[Mapping[str, str], str]] = field(default_factory=dict)
    argument: str = ""
    windowed: bool = False
    right: Right = Right.ASK


@dataclass(frozen=True)
class Stop:
    """One stop. Its folder is named after it, and its module ``answering`` says how each question is
    answered, and what must hold of its tables."""

    name: str
    title: str
    questions: tuple[QuestionKind, ...]

    def answering(self, question: QuestionKind) -> Answering[Any, Any]:
        """How one of its questions is answered."""
        module = import_module(f"goldthread.stops.{self.name}.answering")
        found: Answering[Any, Any] = module.ANSWERING[question.name]
        return found

    def steps(self, workspace: Workspace, read: Read) -> Iterator[Step]:
        """What must hold of its tables, as steps of the checks."""
        found: Iterator[Step] = import_module(f"goldthread.stops.{self.name}.answering").STEPS(workspace, read)
        return found


Q = TypeVar("Q", bound=ReadingLine)
Q_co = TypeVar("Q_co", bound=ReadingLine, covariant=True)
A = TypeVar("A", bound="Answer[Any]")
F = TypeVar("F", bound=BaseModel)


class Answer(Protocol[Q_co]):
    """What every answer knows: the book as it was read for it, and the question."""

    @property
    def read(self) -> Read: ...

    @property
    def question(self) -> Q_co: ...


@dataclass(frozen=True)
class Kept:
    """Customers that can be kept as a list, by their places in the book, and who they are in words."""

    customers: NDArray[np.integer[Any]]
    words: str


@dataclass(frozen=True)
class Evidence(Generic[A, F]):
    """What stands behind the figures of an answer.

    Attributes
    ----------
    figure : the model whose fields name one figure
    counted : the customers and orders that a figure counts
    opened : the same in words and threads, for a window of its customers
    words : who a figure counts, as a sentence without its full stop
    recount : the figure counted again by the database
    """

    figure: type[F]
    counted: Callable[[A, F], Counted]
    opened: Callable[[A, F, int, int], Opened]
    words: Callable[[A, F], str]
    recount: Callable[[Workspace, A, F], Recounted]


@dataclass(frozen=True)
class AnswerFile:
    """A kind of file that an answer can be taken as beside a table: how a file of it ends, and what makes one of the
    workspace and the answer."""

    ending: str
    content_type: str
    make: Callable[[Any, Any], bytes]


class Drawn(StrEnum):
    """How a small picture is drawn: columns on each other, curves, or a cloth of cells."""

    COLUMNS = "columns"
    CURVES = "curves"
    CLOTH = "cloth"


@dataclass(frozen=True)
class Picture(Generic[A]):
    """A small picture of an answer, drawn of its table where no page draws it: in a letter.

    Attributes
    ----------
    drawn : how
    along : the column that goes from left to right
    figures : the columns that are drawn, or what says so of the answer; those that its table lacks are left out
    apart : the column that tells rows of a cloth, or curves, from each other, if any
    table : a table of its own that it is drawn of, if any
    """

    drawn: Drawn
    along: str
    figures: tuple[str, ...] | Callable[[A], tuple[str, ...]]
    apart: str = ""
    table: Callable[[A], pa.Table] | None = None


@dataclass(frozen=True)
class One(Generic[A]):
    """One row of an answer by its customer: what makes it, and its shape."""

    make: Callable[[Workspace, A, int], BaseModel]
    shape: type[BaseModel]


def whole(shape: Callable[[A], BaseModel]) -> Callable[[Workspace, A, Window], BaseModel]:
    """``as_json`` of an answer that is always shown whole."""
    return lambda _workspace, answer, _window: shape(answer)


def windowed(shape: Callable[[A, Window], BaseModel]) -> Callable[[Workspace, A, Window], BaseModel]:
    """``as_json`` of an answer of which a window of rows is shown."""
    return lambda _workspace, answer, window: shape(answer, window)


@dataclass(frozen=True)
class Answering(Generic[Q, A]):
    """How a question is answered.

    Attributes
    ----------
    ask : gives the answer; raises `InvalidInput` for a choice that does not fit the book
    as_json : the answer as it leaves as JSON, for a window of its rows
    shape : what ``as_json`` gives
    sheet : the whole answer as a table
    file_name : what a file of the answer is called, without its ending, or what says so of the question
    text : the answer for a terminal; None for its sheet
    kept : the customers that the answer shows; None where it shows none
    evidence : what stands behind its figures; None where it has none that can be opened
    nothing_new : whether an answer that is compared with an earlier one has nothing new, so that a scheduled job can go
        by it; None where it is compared with nothing
    files : further kinds of file that the answer can be taken as, by what they are called in addresses
    picture : how it is drawn small; None where a picture would say nothing
    one : one of its rows by the customer, and where it stands; raises `NotFound` for who has none. None where rows are
        not looked up
    read : how the book is read for it
    """

    ask: Callable[[Workspace, Read, Q], A]
    as_json: Callable[[Workspace, A, Window], BaseModel]
    shape: type[BaseModel]
    sheet: Callable[[Workspace, A], Sheet]
    file_name: str | Callable[[Q], str]
    text: Callable[[A], str] | None = None
    kept: Callable[[A], Kept] | None = None
    evidence: Evidence[Any, Any] | None = None
    nothing_new: Callable[[A], bool] | None = None
    files: Mapping[str, AnswerFile] = field(default_factory=dict)
    picture: Picture[A] | None = None
    one: One[A] | None = None
    read: Callable[[Workspace, BookRow, ReadingLine, dt.date], Read] | None = None

    def called(self, question: Q) -> str:
        """What a file of the answer is called, without its ending."""
        return self.file_name if isinstance(self.file_name, str) else self.file_name(question)

    def asked(self, workspace: Workspace, book: BookRow, question: Q, today: dt.date) -> A:
        """The answer to a question of a book, whose usual settings hold where it says nothing itself."""
        from goldthread.stops.reading import read_book
        from goldthread.stops.usual import as_usual

        question = as_usual(book, question)
        return self.ask(workspace, (self.read or read_book)(workspace, book, question, today), question)
