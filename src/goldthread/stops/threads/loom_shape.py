"""The loom as JSON, and as a table."""

from __future__ import annotations

import datetime as dt

import numpy as np
import pyarrow as pa

from goldthread.core.book.days import to_day
from goldthread.core.history.conditions import Numbers
from goldthread.core.history.fields import Field
from goldthread.core.threads.loom import THREADS_MOST, toned
from goldthread.shape import Shape
from goldthread.stops.behind.order_table import field_column, who
from goldthread.stops.field_values import cells
from goldthread.stops.sentences.sentence import sentences
from goldthread.stops.sheet import Sheet
from goldthread.stops.threads.loom import LoomAnswer
from goldthread.stops.threads.question import Align
from goldthread.stops.threads.shape import FieldShape, ThreadsShape, threads_header
from goldthread.workspace import Workspace

_OF_THREADS = ("first_date", "latest_date", "orders", "revenue", "usual_gap")


class ToneShape(Shape):
    """What a tone stands for: a label, or numbers from ``low`` on; both null for all other labels."""

    label: str | None
    low: str | int | float | None


class LoomShape(ThreadsShape):
    """Threads, one after the other in a sequence; all of the following have one entry a drawn thread.

    ``count`` threads there are; of more than are drawn at once, those are an even sample: ``places`` say where in the
    whole sequence each stands. ``customers`` are ids, ``values`` the cells of the field that they go by, ``tones``
    places in ``legend``, −1 where the field says nothing. The orders of thread i stand on ``first_date`` plus
    ``days[starts[i]:starts[i + 1]]``.
    """

    count: int
    most: int
    align: Align
    by: FieldShape
    tone: FieldShape | None
    legend: list[ToneShape]
    first_date: dt.date
    last_date: dt.date
    places: list[int]
    customers: list[int]
    names: list[str]
    values: list[str | int | float | None]
    tones: list[int]
    starts: list[int]
    days: list[int]

    @classmethod
    def of(cls, answer: LoomAnswer) -> LoomShape:
        read, drawn, book = answer.read, answer.drawn, answer.read.orders
        first, last = read.date_span
        customers = answer.sequence.take(drawn.places)
        tones, legend = ([], []) if answer.tone is None else _toned(answer, answer.tone)
        return cls(
            **threads_header(read, answer.words),
            count=int(answer.sequence.size),
            most=THREADS_MOST,
            align=answer.question.align,
            by=_field(answer.by.name, answer),
            tone=None if answer.tone is None else _field(answer.tone.name, answer),
            legend=legend,
            first_date=first,
            last_date=last,
            places=drawn.places.tolist(),
            customers=book.customer_id.take(customers).tolist(),
            names=book.customers.texts["name"].some(customers),
            values=cells(read.fields.values(answer.by.name), answer.by.kind, customers),
            tones=tones,
            starts=drawn.starts.tolist(),
            days=(drawn.days - np.int32(to_day(first))).tolist(),
        )


def _field(name: str, answer: LoomAnswer) -> FieldShape:
    field = answer.read.fields.field(name)
    return FieldShape.like(field)


def _toned(answer: LoomAnswer, field: Field) -> tuple[list[int], list[ToneShape]]:
    """The tone of each drawn thread, and what the tones stand for: the same for everybody, drawn or not."""
    values = answer.read.fields.values(field.name)
    tones, known = toned(values, answer.sequence)
    drawn = tones.take(answer.drawn.places).tolist()
    if not isinstance(values, Numbers):
        return drawn, [ToneShape(label=label, low=None) for label in known]
    lows = cells(Numbers(np.array(known)), field.kind, np.arange(len(known))) if known else []
    is_blank = not (tones >= 0).any()
    return drawn, [] if is_blank else [ToneShape(label=None, low=low) for low in (None, *lows)]


def loom_sheet(_workspace: Workspace, answer: LoomAnswer) -> Sheet:
    """Every thread of the sequence, one a row, drawn or not."""
    read, rows = answer.read, answer.sequence
    names = dict.fromkeys([answer.by.name, *([answer.tone.name] if answer.tone else []), *_OF_THREADS])
    columns = {name: field_column(read, name, rows) for name in names if name not in ("name", "number", "email")}
    return Sheet(sentences(read, answer.words), pa.table(who(read.orders, rows) | columns))
