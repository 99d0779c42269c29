"""``goldthread schedule``: what a book does by itself."""

from __future__ import annotations

from typing import TYPE_CHECKING, BinaryIO, TextIO

import click

from goldthread.cli.own import own_book

if TYPE_CHECKING:
    from goldthread.store.books import BookRow
    from goldthread.store.schedules import ScheduleRow
    from goldthread.workspace import Workspace

_BOOK = click.option("--book", "book_name", required=True, help="The book that it is about.")
_SCHEDULE = click.argument("schedule", type=click.IntRange(1))
_LOOK_SECONDS = 0.2


@click.group("schedule")
def schedule_group() -> None:
    """What a book does by itself: files that are imported, letters that are sent."""


def _found(book_name: str, schedule: int) -> tuple[Workspace, BookRow, ScheduleRow]:
    from goldthread.actions import schedules

    workspace, book = own_book(book_name)
    return workspace, book, schedules.find_schedule(workspace, book, schedule)


@schedule_group.command("add")
@_BOOK
@click.option("--every", required=True, help='Such as "monday 06:00", "every weekday at 7", or "0 6 * * 1".')
@click.option("--source", help="Whose files or rows they are.")
@click.option("--folder", help="Files that come into it are imported; one in the inbox where it is no whole path.")
@click.option("--from", "database", help="A database of the settings, of which a query is run.")
@click.option("--query", "query_file", type=click.File(encoding="utf-8"), help="A file with the query.")
@click.option("--since-column", default="", help="The query's column whose largest value it goes on from, as :since.")
@click.option("--since", default="", help="The value that it begins from.")
@click.option("--letter", help="What is sent: overview, the name of a saved view, list:NAME or brief:NAME.")
@click.option("--to", multiple=True, help="An address that it is sent to; repeatable.")
@click.option("--attach", type=click.Choice(["csv", "xlsx"], case_sensitive=False), help="The table as a file with it.")
@click.option("--only-new", is_flag=True, help="Send nothing where nothing has changed since the last one.")
def schedule_add(
    book_name: str,
    every: str,
    source: str | None,
    folder: str | None,
    database: str | None,
    query_file: TextIO | None,
    since_column: str,
    since: str,
    letter: str | None,
    to: tuple[str, ...],
    attach: str | None,
    only_new: bool,
) -> None:
    """Have files imported (--source, --folder), rows of a query (--source, --from, --query), or a letter sent
    (--letter, --to), again and again."""
    from goldthread.actions import schedules

    if [folder, database, letter].count(None) != 2:
        raise click.UsageError("Give one of --folder, --from and --letter.")
    if letter is None and not source:
        raise click.UsageError("Give --source: whose files or rows these are.")
    workspace, book = own_book(book_name)
    if folder is not None:
        row = schedules.add_folder(workspace, book, every, source or "", folder, any_of_machine=True)
    elif database is not None:
        if query_file is None:
            raise click.UsageError("Give --query: a file with the query.")
        told = (query_file.read(), since_column, since)
        row = schedules.add_query(workspace, book, every, source or "", database, *told)
    else:
        from goldthread.stops.letters import what_of

        what = what_of(workspace, book, letter or "")
        row = schedules.add_letter(workspace, book, every, what, to, attach=attach or "", only_new=only_new)
    click.echo(f"{row.id}\t{schedules.schedule_words(row)}.")


@click.group("watch")
def watch_group() -> None:
    """Figures that are watched: somebody is told once when one turns, and once when that is over."""


@watch_group.command("add")
@_BOOK
@click.option("--question", required=True, help="Whose figure it is, such as cohorts; or silence, apart, checks.")
@click.option("--query", default="", help="The question's choices, such as period=month&source=fairs.")
@click.option("--figure", default="", help="Which of its figures, such as cohort=newest&age=1, or source=phone desk.")
@click.option("--below", type=float, help="Tell when it falls below: percent for shares, units for money.")
@click.option("--above", type=float, help="Tell when it rises above.")
@click.option("--every", default="every day at 06:30", show_default=True, help="When it is looked at.")
@click.option("--to", multiple=True, help="Who is told; else whoever made it. Repeatable.")
def watch_add(
    book_name: str,
    question: str,
    query: str,
    figure: str,
    below: float | None,
    above: float | None,
    every: str,
    to: tuple[str, ...],
) -> None:
    """Watch a figure. It stands among the schedules, which pause and remove it, and tell its history."""
    from goldthread.actions import books, schedules
    from goldthread.core.choices import Beyond
    from goldthread.stops.watched import watch_of

    if (below is None) == (above is None):
        raise click.UsageError("Give one of --below and --above.")
    workspace, book = own_book(book_name)
    named = "&".join(part for part in (query, figure) if part)
    what = watch_of(workspace, book, question, named, books.today_of(book))
    side, bound = (Beyond.BELOW, below) if below is not None else (Beyond.ABOVE, above)
    row = schedules.add_watch(workspace, book, every, what, side, bound or 0.0, to)
    click.echo(f"{row.id}\t{schedules.schedule_words(row)}.")


@schedule_group.command("list")
@_BOOK
def schedule_list(book_name: str) -> None:
    """Every schedule of a book: when it is due (UTC), what it does, what came of its last run."""
    from goldthread.actions import schedules

    workspace, book = own_book(book_name)
    for row in schedules.list_schedules(workspace, book):
        due = "paused" if row.paused else f"{row.due_at.isoformat(timespec='minutes')}Z"
        last = "" if row.last is None else f"{row.last.state}: {row.last.said}"
        click.echo("\t".join((str(row.id), due, schedules.schedule_words(row), row.why or last)))


@schedule_group.command("history")
@_SCHEDULE
@_BOOK
@click.option("--limit", type=click.IntRange(1, 500), default=50, help="How many runs, the newest first.")
def schedule_history(schedule: int, book_name: str, limit: int) -> None:
    """The runs of a schedule, the newest first (UTC)."""
    from goldthread.actions import schedules

    workspace, _, row = _found(book_name, schedule)
    for each in schedules.list_runs(workspace, row, 0, limit)[1]:
        by = "" if each.asked_by is None else f" (asked for{f' by {each.asked_by}' if each.asked_by else ''})"
        missed = f" {each.skipped} before it were missed." if each.skipped else ""
        click.echo(f"{each.begun_at.isoformat(timespec='seconds')}Z\t{each.state}\t{each.said}{missed}{by}")


@schedule_group.command("run")
@_SCHEDULE
@_BOOK
@click.option("--dry-run", type=click.File("wb"), help="Of a letter: write it to a file, and send nothing.")
def schedule_run(schedule: int, book_name: str, dry_run: BinaryIO | None) -> None:
    """Have a schedule run now."""
    from goldthread.actions import schedules

    workspace, book, row = _found(book_name, schedule)
    if dry_run is not None:
        from goldthread.actions.schedule_runs import draft
        from goldthread.stops.letters import compose

        dry_run.write(draft(workspace, book, row, compose).as_bytes())
        click.echo(f"The letter is in {dry_run.name}. Nothing was sent.")
        return
    _run_here(workspace, schedules.run_now(workspace, book, row))
    last = schedules.find_schedule(workspace, book, row.id).last
    click.echo(last.said if last is not None else "")
    if last is None or last.state == "failed":
        raise SystemExit(1)


def _run_here(workspace: Workspace, job: str) -> None:
    """Do a run in this process where no worker does."""
    import time

    from goldthread.actions.jobs import JobBoard
    from goldthread.actions.worker import Worker
    from goldthread.api.work import KINDS, tell_error, tell_result
    from goldthread.cli.progress import progress_bar
    from goldthread.core.choices import JobState
    from goldthread.store.schedules import RUN, SEND

    board = JobBoard(workspace, KINDS)
    worker = Worker(workspace, {kind: KINDS[kind] for kind in (RUN, SEND)}, tell_result, tell_error)
    worker.start()
    try:
        with progress_bar("running") as progress:
            while (now := board.find(job)).state in (JobState.WAITING, JobState.RUNNING):
                progress(now.phase, now.done, now.total)
                time.sleep(_LOOK_SECONDS)
    finally:
        worker.end()


@schedule_group.command("pause")
@_SCHEDULE
@_BOOK
@click.option("--go-on", is_flag=True, help="Have it run again, from its next time on.")
def schedule_pause(schedule: int, book_name: str, go_on: bool) -> None:
    """Have a schedule run no more until it goes on."""
    from goldthread.actions import schedules

    workspace, book, row = _found(book_name, schedule)
    schedules.pause(workspace, book, row, paused=not go_on)
    click.echo(f"{schedules.schedule_words(row)}: {'goes on' if go_on else 'paused'}.")


@schedule_group.command("remove")
@_SCHEDULE
@_BOOK
def schedule_remove(schedule: int, book_name: str) -> None:
    """Remove a schedule; what it brought or sent stays."""
    from goldthread.actions import schedules

    workspace, book, row = _found(book_name, schedule)
    schedules.remove(workspace, book, row)
    click.echo(f"{schedules.schedule_words(row)}: removed.")


@schedule_group.command("waiting")
@_BOOK
def schedule_waiting(book_name: str) -> None:
    """Files that came by themselves and wait for an answer; `deliver --waiting` imports one."""
    from goldthread.actions import schedules

    workspace, book = own_book(book_name)
    for each in schedules.list_waiting(workspace, book):
        click.echo(f"{each.id}\t{each.source}\t{each.name}\t{each.why}")


@schedule_group.command("leave-out")
@click.argument("waiting", type=click.IntRange(1))
@_BOOK
def schedule_leave_out(waiting: int, book_name: str) -> None:
    """Leave out a file that waits: it is put away as failed."""
    from goldthread.actions.waiting import leave_out

    workspace, book = own_book(book_name)
    leave_out(workspace, book, waiting)
    click.echo("It waits no more.")
