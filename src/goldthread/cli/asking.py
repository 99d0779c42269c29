"""``goldthread ask``: every question of every stop, under the names that the page and HTTP use.

What answers a question is loaded when one is asked, so that help and wrong calls come at once.
"""

from __future__ import annotations

import sys
import tempfile
from collections.abc import Callable, Mapping
from enum import StrEnum
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from goldthread.cli.flags import flags_of, model_of
from goldthread.cli.own import own_book
from goldthread.cli.words import Words
from goldthread.stops.registry import questions
from goldthread.stops.sentences.reading_line import ReadingLine
from goldthread.stops.stop import Answering, QuestionKind, Stop, Window

if TYPE_CHECKING:
    from goldthread.store.books import BookRow
    from goldthread.workspace import Workspace


NOTHING_NEW = 4
"""The exit code of a question that was compared with an earlier answer, where there is nothing new."""


class AnswerForm(StrEnum):
    """How an answer is given."""

    TABLE = "table"
    CSV = "csv"
    JSON = "json"
    XLSX = "xlsx"
    PARQUET = "parquet"
    ARROW = "arrow"
    ICS = "ics"
    VCF = "vcf"
    HTML = "html"


def call_options() -> list[click.Parameter]:
    """What a call says beside the question itself."""
    return [
        click.Option(["--book", "book_name"], required=True, help="The book that is asked."),
        click.Option(
            ["--format", "form"],
            type=Words(AnswerForm),
            default=AnswerForm.TABLE,
            help="json is what the HTTP interface answers.",
        ),
        click.Option(["--out"], type=click.Path(dir_okay=False, path_type=Path), help="A file to write to."),
    ]


def reading_options(command: Callable[..., None]) -> click.Command:
    """A command about a book as a reading line reads it: it is given ``book_name`` and ``line``."""

    def called(book_name: str, **given: Any) -> None:
        command(book_name=book_name, line=model_of(ReadingLine, given))

    book = click.Option(["--book", "book_name"], required=True, help="The book that is asked.")
    return click.Command(command.__name__, callback=called, params=[book, *flags_of(ReadingLine)], help=command.__doc__)


@click.group("ask", invoke_without_command=True)
@click.option("--view", default="", help="Instead of a question: a saved view, by its name.")
@click.option("--version", type=click.IntRange(1), default=None, help="Of a saved view: an earlier version.")
@click.option("--book", "book_name", default="", help="Of a saved view: the book that is asked.")
@click.option("--format", "form", type=Words(AnswerForm), default=AnswerForm.TABLE, help="Of a saved view.")
@click.option("--out", type=click.Path(dir_okay=False, path_type=Path), help="Of a saved view: a file to write to.")
@click.pass_context
def ask_group(
    context: click.Context, view: str, version: int | None, book_name: str, form: AnswerForm, out: Path | None
) -> None:
    """Ask a question of a book, or show a saved view."""
    if context.invoked_subcommand is not None:
        return
    if not (view and book_name):
        raise click.UsageError("Name a question, or give --view and --book.", context)
    from goldthread.actions.saved_views import find_view
    from goldthread.stops.saved import question_of

    workspace, book = own_book(book_name)
    row = find_view(workspace, book, view, version)
    stop, kind, question = question_of(row.stop, row.query)
    _give_answer(workspace, book, stop.answering(kind), question, Window(), form, out)


def _command(stop: Stop, kind: QuestionKind, name: str, fixed: Mapping[str, str], asks: str) -> click.Command:
    """The command that asks a question, or one that asks it with some fields fixed."""

    def asked(book_name: str, form: AnswerForm, out: Path | None, **given: Any) -> None:
        question, window = model_of(kind.fields, {**given, **fixed}), model_of(Window, given)
        workspace, book = own_book(book_name)
        _give_answer(workspace, book, stop.answering(kind), question, window, form, out)

    arguments = [click.Argument([kind.argument])] if kind.argument else []
    choices = flags_of(kind.fields, {kind.argument, *fixed})
    window = flags_of(Window) if kind.windowed else []
    return click.Command(name, callback=asked, params=[*arguments, *call_options(), *choices, *window], help=asks)


for _stop, _kind in questions():
    ask_group.add_command(_command(_stop, _kind, _kind.name, {}, _kind.asks))
    for _name, (_fixed, _asks) in _kind.also.items():
        ask_group.add_command(_command(_stop, _kind, _name, _fixed, _asks))


def _give_answer(
    workspace: Workspace,
    book: BookRow,
    answering: Answering[Any, Any],
    question: ReadingLine,
    window: Window,
    form: AnswerForm,
    out: Path | None,
) -> None:
    from goldthread.actions import books
    from goldthread.workspace import asked_anew

    def content() -> tuple[bytes, bool]:
        answer = answering.asked(workspace, book, question, books.today_of(book))
        nothing_new = answering.nothing_new is not None and answering.nothing_new(answer)
        return _content(workspace, answering, answer, window, form), nothing_new

    found, nothing_new = asked_anew(content)
    if out is None:
        click.echo(found, nl=False)
    else:
        out.write_bytes(found)
    if nothing_new:
        sys.exit(NOTHING_NEW)


def _content(
    workspace: Workspace, answering: Answering[Any, Any], answer: Any, window: Window, form: AnswerForm
) -> bytes:
    """An answer as it is written: as JSON what the HTTP interface answers, else a table."""
    from goldthread.errors import InvalidInput
    from goldthread.shape import encoded
    from goldthread.stops.sheet import Form, write_sheet
    from goldthread.stops.text import sheet_text

    match form:
        case AnswerForm.JSON:
            return f"{encoded(answering.as_json(workspace, answer, window))}\n".encode()
        case AnswerForm.TABLE:
            text = answering.text(answer) if answering.text else sheet_text(answering.sheet(workspace, answer))
            return text.encode()
        case AnswerForm.ICS | AnswerForm.VCF | AnswerForm.HTML:
            kind = next((each for each in answering.files.values() if each.ending == form), None)
            if kind is None:
                raise InvalidInput(
                    f"This answer cannot be taken as {form}.",
                    remedy="Ask who is due for ics, whom to contact for vcf or html.",
                    field="format",
                )
            return kind.make(workspace, answer)
    with tempfile.TemporaryDirectory(prefix="answer-") as folder:
        path = Path(folder) / "answer"
        write_sheet(answering.sheet(workspace, answer), Form(form.value), path)
        return path.read_bytes()
