"""What goes over the wire about how a book stands."""

from __future__ import annotations

import datetime as dt

import numpy as np

from goldthread.core.book.days import to_date
from goldthread.core.money import MINOR_PER_UNIT
from goldthread.shape import Shape
from goldthread.stops.overview.answer import SummaryAnswer
from goldthread.stops.overview.letter import Goes, Look, Paragraph, Said, Topic, identity_words, looks, paragraphs
from goldthread.stops.sentences.sentence_shape import AnswerShape, header

LISTS_NAMED = 4
COHORTS_DRAWN, AGES_DRAWN = 6, 7
CURVE_AGES_DRAWN = 25


class SaidShape(Shape):
    """Some words; with the stop and what is asked there, if they are a figure."""

    text: str
    stop: str | None
    query: dict[str, str]

    @classmethod
    def list_of(cls, said: list[Said]) -> list[SaidShape]:
        return [cls(text=each.text, **_goes(each.goes)) for each in said]


class ParagraphShape(Shape):
    """One thing that the letter says, and what stands under it."""

    topic: Topic
    said: list[SaidShape]
    note: list[SaidShape]

    @classmethod
    def of(cls, paragraph: Paragraph) -> ParagraphShape:
        said, note = SaidShape.list_of(paragraph.said), SaidShape.list_of(paragraph.note)
        return cls(topic=paragraph.topic, said=said, note=note)


class LookShape(Shape):
    """Something that needs attention; of a figure that is watched, its course by month and its bound."""

    what: str
    why: str
    stop: str | None
    query: dict[str, str]
    course: list[float | None]
    bound: float | None

    @classmethod
    def of(cls, look: Look) -> LookShape:
        return cls(what=look.what, why=look.why, course=list(look.course), bound=look.bound, **_goes(look.goes))


def _goes(goes: Goes | None) -> dict[str, object]:
    return {"stop": None, "query": {}} if goes is None else {"stop": goes.stop, "query": dict(goes.query)}


class SourceStateShape(Shape):
    """How fresh a source is."""

    name: str
    orders: int
    latest_date: dt.date
    days_ago: int


class NamedListShape(Shape):
    """A customer list."""

    name: str
    customers: int


class PicturesShape(Shape):
    """What the small pictures are drawn of: orders of the last months; retention rates of the latest cohorts by age,
    null where not yet; customers by standing; the day by which half have ordered again; profit per customer by month,
    after what winning one cost where that is known; revenue where the gross margin is not set."""

    months: list[int]
    retention: list[list[float | None]]
    standings: list[int]
    half_by: int | None
    profit: list[float | None]


class SummaryShape(AnswerShape):
    """How a book stands: a letter, and what needs attention."""

    sources: list[SourceStateShape]
    paragraphs: list[ParagraphShape]
    pictures: PicturesShape
    looks: list[LookShape]
    identities: str
    identities_hold: bool
    lists: list[NamedListShape]

    @classmethod
    def of(cls, answer: SummaryAnswer) -> SummaryShape:
        read = answer.read
        return cls(
            **header(read, answer.words),
            sources=[
                SourceStateShape(
                    name=each.name,
                    orders=each.orders,
                    latest_date=to_date(each.latest_day),
                    days_ago=read.as_of_day - each.latest_day,
                )
                for each in answer.figures.sources
            ],
            paragraphs=[ParagraphShape.of(each) for each in paragraphs(answer)],
            pictures=_pictures(answer),
            looks=[LookShape.of(each) for each in looks(answer)],
            identities=identity_words(answer),
            identities_hold=all(check.holds for check in answer.figures.identities),
            lists=[NamedListShape(name=row.name, customers=row.customer_count) for row in read.lists[:LISTS_NAMED]],
        )


def _pictures(answer: SummaryAnswer) -> PicturesShape:
    table, worth = answer.figures.table, answer.worth
    rows = np.flatnonzero(table.size)[-COHORTS_DRAWN:]
    cac = 0.0 if np.isnan(worth.cac_minor) or not answer.question.margin_set else worth.cac_minor
    brought = worth.payback.affordable_minor if answer.question.margin_set else worth.payback.revenue_minor
    curve = [-cac, *(brought[:CURVE_AGES_DRAWN] - cac).tolist()]
    return PicturesShape(
        months=answer.figures.months.tolist(),
        retention=[
            [
                round(table.customers[row, age] / table.size[row], 4) if table.observed[row, age] else None
                for age in range(1, min(AGES_DRAWN, table.age_count))
            ]
            for row in rows.tolist()
        ],
        standings=answer.figures.standing.customers[0].tolist(),
        half_by=answer.figures.half_by,
        profit=[None if np.isnan(value) else round(value / MINOR_PER_UNIT, 2) for value in curve],
    )
