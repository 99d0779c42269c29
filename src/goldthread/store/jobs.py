"""Pieces of work on record: put down, taken up by one worker each, told of, ended, forgotten.

Moments are the database's own, so that processes need not agree on the time.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import (
    Connection,
    Engine,
    Label,
    Row,
    bindparam,
    delete,
    func,
    insert,
    literal_column,
    select,
    text,
    update,
)

from goldthread.core.choices import JobState, Lane
from goldthread.errors import NotFound, Unavailable
from goldthread.store.schema.models import Job

JOBS_KEPT = 200
FORGOTTEN_SECONDS = 60
"""A look at a file is stopped when nobody has asked about it for so long: its page was closed."""
LOST_SECONDS = 60
"""A worker on another machine that has not been heard of for so long has ended."""
TRIES_MOST = 3
_ASKED_EVERY_SECONDS = 5
_NOW = text("UTC_TIMESTAMP(6)")
_UNDER_WAY = (JobState.WAITING, JobState.RUNNING)
_STOPS: Label[bool] = literal_column(
    f"(stop_wanted OR (attended AND asked_at < UTC_TIMESTAMP(6) - INTERVAL {FORGOTTEN_SECONDS} SECOND))"
).label("must_stop")
_SILENT: Label[bool] = literal_column(f"beat_at < UTC_TIMESTAMP(6) - INTERVAL {LOST_SECONDS} SECOND").label("is_silent")


@dataclass(frozen=True)
class JobRow:
    """A piece of work as it stands. ``seconds_left`` is None until the pace is known; ``told`` is what came of it;
    ``must_stop``: somebody wants that, or nobody asks about it any more."""

    id: str
    kind: str
    arguments: dict[str, Any]
    state: JobState
    phase: str
    done: int
    total: int
    seconds_left: float | None
    told: dict[str, Any] | None
    file: str
    content_type: str
    must_stop: bool


@dataclass(frozen=True)
class Running:
    """A piece of work that some process does; ``is_silent``: it has not been heard of for long."""

    id: str
    kind: str
    worker: str
    tries: int
    is_silent: bool


def put_down(
    engine: Engine, job_id: str, kind: str, arguments: Mapping[str, Any], lane: Lane, most: int, *, attended: bool
) -> None:
    """Put a piece of work down, to be taken up. Raises `Unavailable` where ``most`` are under way or wait."""
    with engine.begin() as connection:
        waiting = connection.execute(select(func.count()).where(Job.state.in_(_UNDER_WAY))).scalar_one()
        if waiting >= most:
            raise Unavailable(
                f"{waiting} pieces of work are under way or wait already.", remedy="Try again when some have ended."
            )
        put_down_with(connection, job_id, kind, arguments, lane, attended=attended)


def put_down_with(
    connection: Connection, job_id: str, kind: str, arguments: Mapping[str, Any], lane: Lane, *, attended: bool = False
) -> None:
    """Put a piece of work down in a transaction of the caller's, however many wait."""
    moments = dict.fromkeys(("created_at", "phase_at", "beat_at", "asked_at"), _NOW)
    blank = {"worker": "", "file": "", "content_type": "", "done": 0, "total": 0, "tries": 0, "stop_wanted": False}
    connection.execute(
        insert(Job).values(
            id=job_id,
            kind=kind,
            arguments=dict(arguments),
            lane=lane,
            attended=attended,
            state=JobState.WAITING,
            phase="waiting",
            **blank,
            **moments,
        )
    )


_FOUND = select(
    *(Job.id, Job.kind, Job.arguments, Job.state, Job.phase, Job.done, Job.total, Job.told, Job.file, Job.content_type),
    text("TIMESTAMPDIFF(MICROSECOND, phase_at, COALESCE(ended_at, UTC_TIMESTAMP(6))) / 1000000 AS seconds"),
    _STOPS,
).where(Job.id == bindparam("job"))


def find(engine: Engine, job_id: str) -> JobRow:
    """How a piece of work stands; somebody still asks about it. Raises `NotFound`."""
    since = text(f"asked_at < UTC_TIMESTAMP(6) - INTERVAL {_ASKED_EVERY_SECONDS} SECOND")
    with engine.begin() as connection:
        found = connection.execute(_FOUND, {"job": job_id}).first()
        if found is None:
            raise no_such_job()
        if found.state in _UNDER_WAY:
            connection.execute(update(Job).where(Job.id == job_id, Job.attended, since).values(asked_at=_NOW))
    return _row(found)


def no_such_job() -> NotFound:
    """What is said of work that is not there, or not for whoever asks."""
    return NotFound("That work is not known here.", remedy="Look into the delivery log for what was imported.")


def _row(found: Row[Any]) -> JobRow:
    done, total = int(found.done), int(found.total)
    left = float(found.seconds) * (total - done) / done if done else None
    return JobRow(
        id=found.id,
        kind=found.kind,
        arguments=found.arguments,
        state=JobState(found.state),
        phase=found.phase,
        done=done,
        total=total,
        seconds_left=left,
        told=found.told,
        file=found.file,
        content_type=found.content_type,
        must_stop=bool(found.must_stop),
    )


def want_stop(engine: Engine, job_id: str) -> None:
    """Ask whoever does a piece of work to stop it."""
    with engine.begin() as connection:
        connection.execute(update(Job).where(Job.id == job_id).values(stop_wanted=True))


_NEXT = (
    select(Job.id)
    .where(
        Job.state == JobState.WAITING, Job.lane == bindparam("lane"), Job.kind.in_(bindparam("kinds", expanding=True))
    )
    .order_by(Job.created_at)
    .limit(1)
    .with_for_update(skip_locked=True)
)


_ANY = text("SELECT 1 FROM jobs WHERE state = 'waiting' LIMIT 1")


def is_any_waiting(engine: Engine) -> bool:
    """Whether any piece of work waits: the one statement of a worker that has nothing to do."""
    with engine.connect() as connection:
        return connection.execute(_ANY).first() is not None


def take_up(engine: Engine, lane: Lane, kinds: Collection[str], worker: str) -> JobRow | None:
    """The piece of work of some kinds that has waited longest, which is this worker's from now on; None where none
    waits."""
    with engine.begin() as connection:
        found = connection.execute(_NEXT, {"lane": lane, "kinds": list(kinds)}).scalar()
        if found is None:
            return None
        began = {"phase_at": _NOW, "beat_at": _NOW, "state": JobState.RUNNING, "worker": worker, "tries": Job.tries + 1}
        connection.execute(update(Job).where(Job.id == found).values(**began))
        return _row(connection.execute(_FOUND, {"job": found}).one())


@dataclass(frozen=True)
class Reached:
    """How far a piece of work is; ``is_new``: in a phase that has just begun."""

    id: str
    phase: str
    done: int
    total: int
    is_new: bool


def say(engine: Engine, worker: str, reached: Sequence[Reached]) -> set[str]:
    """Put down how far a worker is with its pieces of work, and that it lives. The ids of those that it must stop:
    somebody wants that, nobody asks any more, or it is not its own any more."""
    with engine.begin() as connection:
        for each in reached:
            how_far = {"phase": each.phase, "done": each.done, "total": each.total, "beat_at": _NOW}
            began = {"phase_at": _NOW} if each.is_new else {}
            connection.execute(_mine(worker, each.id).values(**how_far, **began))
        mine = select(Job.id, _STOPS).where(Job.worker == worker, Job.state == JobState.RUNNING)
        own = {row.id: bool(row.must_stop) for row in connection.execute(mine)}
    return {job_id for job_id, must_stop in own.items() if must_stop} | ({each.id for each in reached} - own.keys())


def _mine(worker: str, job_id: str) -> Any:
    return update(Job).where(Job.id == job_id, Job.worker == worker, Job.state == JobState.RUNNING)


def end(
    engine: Engine, worker: str, job_id: str, state: JobState, told: Mapping[str, Any], file: str, content_type: str
) -> bool:
    """Put down what came of a piece of work; False where it is not this worker's any more."""
    values = {"state": state, "told": dict(told), "file": file, "content_type": content_type, "ended_at": _NOW}
    with engine.begin() as connection:
        return bool(connection.execute(_mine(worker, job_id).values(**values)).rowcount)


def put_back(engine: Engine, worker: str, job_id: str) -> bool:
    """Let somebody else take a piece of work up from its beginning; False where it is not this worker's any more."""
    values = {"state": JobState.WAITING, "worker": "", "phase": "waiting", "done": 0, "total": 0}
    with engine.begin() as connection:
        return bool(connection.execute(_mine(worker, job_id).values(**values)).rowcount)


def running_elsewhere(engine: Engine, worker: str) -> list[Running]:
    """The pieces of work that other workers do."""
    wanted = select(Job.id, Job.kind, Job.worker, Job.tries, _SILENT)
    with engine.connect() as connection:
        rows = connection.execute(wanted.where(Job.state == JobState.RUNNING, Job.worker != worker)).all()
    return [Running(row.id, row.kind, row.worker, row.tries, bool(row.is_silent)) for row in rows]


def files_kept(engine: Engine, kept_seconds: int) -> list[str]:
    """The files that pieces of work made and that may still be taken, the newest first."""
    young = text(f"ended_at >= UTC_TIMESTAMP(6) - INTERVAL {int(kept_seconds)} SECOND")
    with engine.connect() as connection:
        wanted = select(Job.file).where(Job.file != "", young).order_by(Job.ended_at.desc(), Job.id)
        return list(connection.execute(wanted).scalars())


def forget_files(engine: Engine, files: Sequence[str]) -> None:
    """Note that some files are gone."""
    with engine.begin() as connection:
        connection.execute(update(Job).where(Job.file.in_(files)).values(file=""))


def forget_old(engine: Engine) -> None:
    """Forget the pieces of work that ended longest ago."""
    with engine.begin() as connection:
        newest = select(Job.id).where(Job.ended_at.is_not(None)).order_by(Job.ended_at.desc(), Job.id)
        gone = connection.execute(newest.offset(JOBS_KEPT).limit(JOBS_KEPT)).scalars().all()
        if gone:
            connection.execute(delete(Job).where(Job.id.in_(gone)))


def count_by_state(engine: Engine) -> dict[str, int]:
    """How many pieces of work are on record in each state."""
    with engine.connect() as connection:
        found = connection.execute(select(Job.state, func.count()).group_by(Job.state)).all()
    return {state.value: 0 for state in JobState} | {state.value: count for state, count in found}
