"""What ``goldthread deliver``, ``deliveries`` and ``withdraw`` do, and how they report it."""

from __future__ import annotations

import json
import sys
import tempfile
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import click

from goldthread.actions import books, deciding, inspecting, waiting
from goldthread.actions import deliveries as deliver
from goldthread.actions.deliveries import Errand
from goldthread.actions.inspecting import FileView, Given
from goldthread.actions.reports import DeliveryShape, ReportShape, WithdrawalShape, held_back_words
from goldthread.actions.uploads import SentFile, open_file, query_database
from goldthread.cli.own import own_workspace
from goldthread.cli.progress import progress_bar
from goldthread.core.money import amount_text
from goldthread.core.records import FileKind, KeyKind, OrderStatus
from goldthread.errors import InvalidInput
from goldthread.intake.formats import DateForm, DecimalMark, TwoDigitYears
from goldthread.intake.meanings import Choice, KeptAt, Meaning, OrdersBy
from goldthread.intake.questions import ANSWERS
from goldthread.intake.reading import Reading
from goldthread.stops.sentences.sentence import count_words
from goldthread.store.books import BookRow, DeliveryRow
from goldthread.store.write.delivery import DeliveryReport, ProblemGroup
from goldthread.workspace import Workspace

_ORDERS_BY = {OrdersBy.TIME: "at one time", OrdersBy.DAY: "on one day"}
_KEPT = {
    KeptAt.CUSTOMER: "Of the customer",
    KeptAt.ORDER: "Of the order",
    KeptAt.LINE: "Of the line",
    KeptAt.NOWHERE: "Not kept",
}
EXIT_PROBLEMS, EXIT_HELD_BACK = 3, 5
"""Exit codes of a delivery that was imported with rejected rows, and of one that stopped before importing because too
much would be left out; 1 is an error, 2 a wrong call."""
PROBLEMS_TOLD, GROUPS_TOLD = 10, 20


@dataclass(frozen=True)
class Flags:
    """What the flags of ``deliver`` say beside the files."""

    book_name: str
    source: str
    database: str | None
    query: Path | None
    waiting: int | None
    kind: FileKind | None
    sheets: tuple[str, ...]
    columns: tuple[str, ...]
    statuses: tuple[str, ...]
    key: KeyKind | None
    dates: DateForm | None
    decimal: DecimalMark | None
    years: TwoDigitYears | None
    orders_by: OrdersBy | None
    kept: tuple[str, ...]
    fill_down: bool | None
    said: tuple[str, ...]
    accept_rejected: bool
    guess_anew: bool
    dry_run: bool
    rejected: Path | None
    report: str


def deliver_all(files: tuple[Path, ...], flags: Flags) -> None:
    """Bring files into a book, one after another.

    Ends with `EXIT_PROBLEMS` when rows were rejected, at once with `EXIT_HELD_BACK` when too much would be left out.
    """
    workspace = own_workspace()
    found = books.find_book(workspace, flags.book_name)
    report = replace(
        given_of(flags.columns, flags.statuses),
        customer_key=flags.key,
        dates=flags.dates,
        decimal=flags.decimal,
        years=flags.years,
        orders_by=flags.orders_by,
        further=dict(map(_kept_given, flags.kept)),
        fill_down=flags.fill_down,
        choices=dict(map(_choice_given, flags.said)),
    )
    if [bool(files), flags.query is not None, flags.waiting is not None].count(True) != 1:
        raise click.UsageError("Give files, or --from and --query, or --waiting.")
    rows_rejected = 0
    for path in files or (None,):
        with tempfile.TemporaryDirectory(prefix="deliver-") as folder:
            for file in _opened(workspace, found, path, flags, Path(folder)):
                for sheet in flags.sheets or (None,):
                    became = _deliver(workspace, found, file, sheet, flags, report)
                    rows_rejected += became.rows_rejected
            if flags.waiting is not None and not flags.dry_run:
                waiting.settle(workspace, found, flags.waiting, became)
    if rows_rejected:
        sys.exit(EXIT_PROBLEMS)


def given_of(columns: Sequence[str], statuses: Sequence[str]) -> Given:
    """What flags say of how files are read."""
    named = (each.partition("=") for each in columns)
    chosen = {deciding.meaning_named(name): column or None for name, _, column in named}
    return Given(columns=chosen, statuses=dict(map(_status_given, statuses)))


def tell_refresh(book: BookRow, report: DeliveryReport) -> None:
    """Say what became of a refresh. Ends with `EXIT_PROBLEMS` when rows were rejected, with `EXIT_HELD_BACK` when
    nothing was changed because of them."""
    if report.earlier_delivery_id is not None:
        click.echo(f"Nothing has changed in the files of {book.name}.")
        return
    read = count_words(report.rows_read, "row")
    click.echo(f"{read} read: {report.rows_in} in, {report.rows_rejected} rejected.")
    for group in list(report.groups.values())[:GROUPS_TOLD]:
        click.echo(f"  {group.count} × {group.column}: {group.reason} {group.remedy}")
    if report.held_back:
        click.echo("Nothing was changed: too much would be left out. Give --accept-rejected to go on.", err=True)
        sys.exit(EXIT_HELD_BACK)
    click.echo(f"{book.name} is up to its files; {report.customers_added} customers are new.")
    if report.rows_rejected:
        sys.exit(EXIT_PROBLEMS)


def _opened(workspace: Workspace, book: BookRow, path: Path | None, flags: Flags, folder: Path) -> list[SentFile]:
    """The files packed in one, those of one that waits, or the rows of a query."""
    if path is not None:
        return open_file(workspace.settings, path, folder)
    if flags.waiting is not None:
        return waiting.open_waiting(workspace, book, flags.waiting, folder)
    if flags.query is None or not flags.database:
        raise click.UsageError("Give --from with --query: a database of the settings, or its address.")
    settings = workspace.settings
    address = settings.databases.get(flags.database, flags.database)
    query = flags.query.read_text(encoding="utf-8")
    with progress_bar(flags.query.name) as progress:
        return [query_database(settings, address, query, folder, flags.query.name, progress)[0]]


def _status_given(report: str) -> tuple[str, OrderStatus]:
    word, _, status = report.rpartition("=")
    if not word or status not in list(OrderStatus):
        raise InvalidInput(
            f"{report} does not say what a status means.", remedy=f"Give WORD=STATUS, of {', '.join(OrderStatus)}."
        )
    return word, OrderStatus(status)


def _choice_given(said: str) -> tuple[Choice, str]:
    name, _, answer = said.partition("=")
    choices = list(Choice)
    if name not in choices or not deciding.is_answer(Choice(name), answer):
        known = ", ".join(f"{each}={'|'.join(ANSWERS[each])}" for each in choices)
        raise InvalidInput(f"{said} answers no question about a file.", remedy=f"Give one of: {known}.")
    return Choice(name), answer


def _kept_given(said: str) -> tuple[str, KeptAt]:
    column, _, where = said.rpartition("=")
    if not column or where not in list(KeptAt):
        raise InvalidInput(
            f"{said} does not say where a column is kept.",
            remedy=f"Give COLUMN=WHERE, WHERE being one of {', '.join(KeptAt)}.",
        )
    return column, KeptAt(where)


def _deliver(
    workspace: Workspace, book: BookRow, file: SentFile, sheet: str | None, asked: Flags, said: Given
) -> DeliveryReport:
    table = file.table(sheet)
    known = [] if asked.guess_anew else inspecting.known_readings(workspace, book)
    with progress_bar(file.name) as progress:
        # a small file is looked at sooner than a process for it begins
        apart = progress if table.path.stat().st_size >= inspecting.APART_FROM_BYTES else None
        view = inspecting.look_at_table(table, asked.kind, said, known, asked.source, apart, file.folder)
    unreported = [line for line in view.misfits if not said.columns]
    if unreported:
        raise InvalidInput(
            " ".join([f"{file.name} is not like the last file of {asked.source}.", *unreported]),
            remedy="Say it with --column, or give --guess-anew.",
        )
    view = inspecting.with_padding(workspace, book, view)
    reading = deciding.reading_of(view, said)
    if asked.report == "text":
        _tell_reading(file, table.name, view, reading)
        if sheet is None:
            _offer_sheets(file, table.name)
    name = f"{file.name}, {table.name}" if len(asked.sheets) > 1 else file.name
    errand = Errand(asked.source, name, view.file, reading, asked.dry_run, asked.rejected, asked.accept_rejected)
    with progress_bar(file.name) as progress:
        report = deliver.deliver_file(workspace, book, errand, progress)
    if asked.rejected is not None and report.delivery_id is not None and report.rows_rejected:
        _, lines = deliver.rejected_of_delivery(workspace, book, report.delivery_id)
        _write_lines(asked.rejected, lines)
    if asked.report == "json":
        click.echo(ReportShape.of(report).model_dump_json())
    else:
        _print_report(file.name, report, book.currency)
    if report.held_back:
        sys.exit(EXIT_HELD_BACK)
    return report


def _offer_sheets(file: SentFile, taken: str) -> None:
    """Say which other sheets of a workbook can be imported too, and which were passed over."""
    for table in file.tables:
        if table.name and table.name != taken:
            what = f"reads as {table.kind}: import it too with" if table.kind else "was passed over; read it with"
            click.echo(f"  Sheet “{table.name}” {what} --sheet “{table.name}”.", err=True)


def _write_lines(path: Path, lines: Iterator[str]) -> None:
    with path.open("w", encoding="utf-8", newline="") as out:
        out.writelines(lines)


def _tell_reading(file: SentFile, sheet: str, view: FileView, reading: Reading) -> None:
    """How a file is read, so that a wrong guess is seen."""
    read = ", ".join(f"{meaning.replace('_', ' ')} from “{column}”" for meaning, column in reading.columns.items())
    unread = [column for column in view.file.header if column not in reading.columns.values()]
    if reading.kind is FileKind.CUSTOMERS:
        rest = f" Kept as attributes: {', '.join(unread)}." if unread else ""
    else:
        rest = f" Dates {reading.dates}, decimal {reading.decimal}."
        rest += _further_words(reading, unread)
    if reading.statuses:
        counts = view.evidence.statuses.counts
        report = {word: f"{word} ({counts[word]})" if word in counts else word for word in reading.statuses}
        words = (f"{report[word]} is {status}" for word, status in reading.statuses.items())
        rest += f" Statuses: {', '.join(words)}."
    if reading.makes_orders:
        rest += f" No column has an order number: an order is what a customer bought {_ORDERS_BY[reading.orders_by]}."
    if reading.fill_down:
        rest += f" Blank cells repeat the one above in: {', '.join(reading.fill_down)}."
    if reading.kind is FileKind.LINES and Meaning.AMOUNT not in reading.columns:
        rest += " Amounts are quantity times unit price."
    place = f", sheet “{sheet}”" if sheet else ""
    written = f" in {encoding}" if (encoding := deciding.encoding_words(view.file)) else ""
    again = " as the last file of the source" if view.remembered and not view.misfits else ""
    why = f" {view.guess.why}" if view.guess.why else ""
    click.echo(f"{file.name}{place}: {reading.kind}{written}, read{again}: {read}.{rest}{why}")
    for question in view.questions:
        answer = question.answers.get(reading.choices[question.choice], reading.choices[question.choice])
        click.echo(f"  {question.text} {answer[:1].upper()}{answer[1:]}.")
    for meaning in view.guess.by_content:
        if reading.columns.get(meaning) == view.guess.columns.get(meaning):
            note = f"“{reading.columns[meaning]}” is taken for the {meaning} by what stands in it, not by its name."
            click.echo(f"  {note}", err=True)
    if view.guess.names_only and reading.columns.get(Meaning.CUSTOMER) == view.guess.names_only:
        click.echo("  Customers are known by name alone: two people of one name would be one customer.", err=True)


def _further_words(reading: Reading, unread: list[str]) -> str:
    """Where further columns are kept, and which are not."""
    kept: dict[KeptAt, list[str]] = {}
    for name in unread:
        at = reading.further[name].at if name in reading.further else KeptAt.NOWHERE
        kept.setdefault(at, []).append(name)
    return "".join(f" {title}: {', '.join(kept[at])}." for at, title in _KEPT.items() if at in kept)


def _print_report(name: str, report: DeliveryReport, currency: str) -> None:
    if report.earlier_delivered_at is not None:
        click.echo(
            f"{name}: the same file was imported on {report.earlier_delivered_at:%-d %b %Y}. Nothing was changed."
        )
        return
    if report.held_back:
        _print_held_back(name, report)
        return
    click.echo(
        f"{name}: {count_words(report.rows_read, 'row')} read, {report.rows_in} in, {report.rows_repeated} repeated, "
        f"{report.rows_rejected} rejected. {report.added} added, {report.changed} changed, {report.same} the same; "
        f"{count_words(report.customers_added, 'customer')} new."
    )
    if report.first_date is not None and report.last_date is not None:
        click.echo(
            f"  {report.first_date.isoformat()} to {report.last_date.isoformat()}; {_amounts(report, currency)}."
        )
    for change in report.changes[:5]:
        click.echo(f"  changed: {change.number}, {change.was} becomes {change.becomes}.")
    _print_problems(report)
    if report.dry_run:
        click.echo("  This was a dry run. Nothing was changed.")
    elif report.delivery_id is None:
        click.echo("  Every row was rejected. Nothing was changed.")


def _print_held_back(name: str, report: DeliveryReport) -> None:
    """What would be left out, how much of it, why, and what to do."""
    click.echo(f"{name}: stopped before importing. {held_back_words(report)} Nothing was changed.")
    _print_problems(report)
    if report.fewer:
        click.echo(f"  {report.fewer}")
    if report.rows_in:
        rest = "row" if report.rows_in == 1 else count_words(report.rows_in, "row")
        click.echo(f"  Correct the file, say how it is read, or give --accept-rejected to import the other {rest}.")


def _amounts(report: DeliveryReport, currency: str) -> str:
    parts = [f"{amount_text(report.amount_added)} {currency} added"]
    if report.changed:
        parts.append(f"{amount_text(report.amount_changed)} by changes")
    if report.negative:
        parts.append(
            f"{report.negative} below nothing, {amount_text(report.amount_negative)} in all, which count as they are"
        )
    if report.zero:
        parts.append(f"{report.zero} of 0, which count as orders")
    return ", ".join(parts)


def _print_problems(report: DeliveryReport) -> None:
    """Reasons with their counts, most first, and the first rows with theirs."""
    groups = sorted(report.groups.values(), key=lambda group: (not group.rejected, -group.count))
    for group in groups[:GROUPS_TOLD]:
        click.echo(f"  {_reason_words(group)} {group.remedy}")
    told = [problem for problem in report.problems if problem.rejected] or report.problems
    for problem in told[:PROBLEMS_TOLD]:
        where = f"row {problem.row}" + (f", {problem.column}" if problem.column else "")
        click.echo(f"  {where} “{problem.value}”: {problem.reason}")
    if len(told) > PROBLEMS_TOLD:
        click.echo("  … and others; --rejected FILE keeps all of them.")


def _reason_words(group: ProblemGroup) -> str:
    """How many rows have a problem, as a sentence: 1 row is a total of others; 3 rows, date: There is no such date."""
    rows = count_words(group.count, "row")
    if group.column:
        return f"{rows}, {group.column}: {group.reason}"
    what = group.reason.removeprefix("The row ")
    if what == group.reason:
        return f"{rows}: {group.reason}"
    return f"{rows} {what}" if group.count == 1 else f"{rows}, each of which {what}"


def tell_log(book_name: str, report: str) -> None:
    """Tell the delivery log."""
    workspace = own_workspace()
    rows = books.list_deliveries(workspace, books.find_book(workspace, book_name))
    if report == "json":
        click.echo(json.dumps([DeliveryShape.of(row).model_dump(mode="json") for row in rows]))
        return
    for row in rows:
        click.echo("\t".join(_log_line(row)))


def _log_line(row: DeliveryRow) -> Sequence[str]:
    counts = row.counts
    return (
        str(row.id),
        f"{row.delivered_at.isoformat()}Z",
        row.source,
        row.file_name,
        row.kind,
        f"{counts['added']} added",
        f"{counts['changed']} changed",
        f"{counts['rows_rejected']} rows rejected",
        *([f"withdrawn {row.withdrawn_at.isoformat()}Z"] if row.withdrawn_at else []),
    )


def withdraw_delivery(delivery: int, book_name: str, report: str) -> None:
    """Withdraw a delivery, and report what that undid."""
    workspace = own_workspace()
    with progress_bar(f"delivery {delivery}") as progress:
        undone = deliver.withdraw_delivery(workspace, books.find_book(workspace, book_name), delivery, progress)
    if report == "json":
        click.echo(WithdrawalShape.of(undone).model_dump_json())
        return
    click.echo(
        f"{undone.file_name} is withdrawn: {count_words(undone.records_gone, 'record')} gone, "
        f"{undone.records_back} read again as before, {count_words(undone.customers_gone, 'customer')} fewer."
    )
