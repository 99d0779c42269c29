"""Two ranges compared, over the wire and as a table. Money is in the currency's unit; null where nothing is known."""

from __future__ import annotations

import datetime as dt

import numpy as np
import pyarrow as pa

from goldthread.core.book.days import to_date
from goldthread.core.limits import GROUPS_SHOWN_MOST, limit_groups
from goldthread.core.money import MINOR_PER_UNIT
from goldthread.shape import Shape
from goldthread.stops.behind.evidence import Unit
from goldthread.stops.sentences.sentence import sentences
from goldthread.stops.sentences.sentence_shape import AnswerShape, header
from goldthread.stops.sheet import Sheet, known_numbers
from goldthread.stops.worth.difference import RATES, DifferenceAnswer, MadeBy
from goldthread.stops.worth.question import Differing
from goldthread.workspace import Workspace


class RangeShape(Shape):
    """A range of dates, both inside, and what came in it."""

    first_date: dt.date
    last_date: dt.date
    customers: int
    new_customers: int
    orders: int
    revenue: float


class MadeByShape(Shape):
    """A factor or a group: its figure before and after, and its part of the difference (``share`` of all of it, null
    where there is none), bounded by ``low`` and ``high`` where that is known. Of a group of a rate, the parts that are
    its ``mix`` and its ``rate``."""

    name: str
    before: float | None
    after: float | None
    difference: float | None
    share: float | None
    low: float | None
    high: float | None
    mix: float | None
    rate: float | None
    stands_out: bool
    few: bool


class DifferenceShape(AnswerShape):
    """Two ranges of dates, and what made the difference: ``factors`` of a sum, ``groups`` of a field. ``adds_up``: the
    parts of the groups are the whole difference; customers may be in several groups."""

    measure: Differing
    unit: Unit
    before: RangeShape
    after: RangeShape
    whole: MadeByShape
    factors: list[MadeByShape]
    by_title: str
    groups: list[MadeByShape]
    is_rate: bool
    adds_up: bool

    @classmethod
    def of(cls, answer: DifferenceAnswer) -> DifferenceShape:
        limit_groups(len(answer.groups), GROUPS_SHOWN_MOST, "by")
        question = answer.question
        before, after = (_range(answer, place) for place in range(2))
        return cls(
            **header(answer.read, answer.words),
            measure=question.measure,
            unit=answer.unit,
            before=before,
            after=after,
            whole=_made_by(answer, answer.whole),
            factors=[_made_by(answer, each) for each in answer.factors],
            by_title=answer.read.fields.field(question.by).title if question.by else "",
            groups=[_made_by(answer, each) for each in answer.groups],
            is_rate=question.measure in RATES,
            adds_up=adds_up(answer),
        )


def adds_up(answer: DifferenceAnswer) -> bool:
    """Whether the differences of the groups are the whole one."""
    parts = sum(each.difference for each in answer.groups)
    return answer.by is None or bool(np.isclose(parts, answer.whole.difference, rtol=1e-9, atol=1e-9))


def _range(answer: DifferenceAnswer, place: int) -> RangeShape:
    (first, last), counts = answer.days[place], answer.counts[place]
    return RangeShape(
        first_date=to_date(first),
        last_date=to_date(last),
        customers=counts.customers_in_all,
        new_customers=counts.new_in_all,
        orders=int(counts.orders.sum()),
        revenue=int(counts.revenue_minor.sum()) / MINOR_PER_UNIT,
    )


def _made_by(answer: DifferenceAnswer, found: MadeBy) -> MadeByShape:
    whole = answer.whole.difference
    # orders per customer are a number, whatever it is that they are a factor of
    scale = MINOR_PER_UNIT if answer.unit is Unit.MONEY else 1
    of_it = 1 if found.name in ("customers", "orders_per_customer") else scale

    def known(value: float, unit: float = scale) -> float | None:
        return None if np.isnan(value) else round(value / unit, 6)

    return MadeByShape(
        name=found.name,
        before=known(found.before, of_it),
        after=known(found.after, of_it),
        difference=known(found.difference),
        share=None if not whole or np.isnan(whole) else known(found.difference / whole, 1),
        low=known(found.low),
        high=known(found.high),
        mix=known(found.mix),
        rate=known(found.rate),
        stands_out=found.stands_out,
        few=found.few,
    )


def difference_sheet(_workspace: Workspace, answer: DifferenceAnswer) -> Sheet:
    """One row per factor and group, and one for all."""
    kinds = [("all", answer.whole), *(("factor", each) for each in answer.factors)]
    rows = [(kind, _made_by(answer, each)) for kind, each in [*kinds, *(("group", each) for each in answer.groups)]]

    def numbers(name: str) -> pa.Array:
        return known_numbers(np.array([getattr(row, name) for _, row in rows], np.float64))

    figures = {name: numbers(name) for name in ("before", "after", "difference", "share", "low", "high", "mix", "rate")}
    return Sheet(
        sentences(answer.read, answer.words),
        pa.table(
            {
                "part": pa.array([row.name for _, row in rows], pa.large_string()),
                **figures,
                "stands_out": pa.array(["yes" if row.stands_out else "no" for _, row in rows], pa.large_string()),
                "few": pa.array(["yes" if row.few else "no" for _, row in rows], pa.large_string()),
                "of": pa.array([kind for kind, _ in rows], pa.large_string()),
            }
        ),
        frozenset({"share"}),
    )
