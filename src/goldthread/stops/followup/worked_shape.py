"""What goes over the wire about lists that are worked."""

from __future__ import annotations

import datetime as dt

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.days import to_date
from goldthread.core.book.payments import NO_DAY
from goldthread.core.choices import Kind, MemberState
from goldthread.core.money import money_text
from goldthread.core.standing.outcome import Share
from goldthread.shape import Moment, Shape
from goldthread.stops.followup.list_shape import FollowUpRowShape, rows_of
from goldthread.stops.followup.question import MembersShown
from goldthread.stops.followup.worked import Compared, OutcomesAnswer, WorkedAnswer
from goldthread.stops.sentences.chance import number
from goldthread.stops.sentences.sentence_shape import AnswerShape, header
from goldthread.stops.stop import Window
from goldthread.workspace import Workspace


class EntryShape(Shape):
    """How far one member is worked. ``changed_at`` is UTC, null while nothing was done."""

    state: MemberState
    contacted_on: dt.date | None
    channel: str
    contacted_by: str
    call_on: dt.date | None
    note: str
    held_back: bool
    changed_by: str
    changed_at: Moment | None


class MemberShape(Shape):
    """One member: as everybody who is followed up, how far worked, and what came of it. ``ordered_on`` is null while
    there is no order in their days; ``over`` when these days are past."""

    row: FollowUpRowShape
    entry: EntryShape
    ordered_on: dt.date | None
    after_days: int | None
    amount: str
    over: bool


class ShareShape(Shape):
    """What became of one group: of ``over``, whose days are past, ``ordered`` did; of ``still_open``, whose days are
    not, ``open_ordered`` did already. ``low`` and ``high`` bound the share at 95 %."""

    customers: int
    over: int
    ordered: int
    still_open: int
    open_ordered: int
    share: float | None
    low: float | None
    high: float | None
    median_days: float | None
    revenue: str

    @classmethod
    def of(cls, share: Share) -> ShareShape:
        return cls.like(
            share,
            share=number(share.ratio),
            low=number(share.low),
            high=number(share.high),
            median_days=number(share.median_days),
            revenue=money_text(share.amount_minor),
        )


class MembersShape(Shape):
    """Some members together."""

    members: MembersShown
    outcome: ShareShape


class ComparedShape(Shape):
    """Two groups of a list: how much more of one ordered again, with its 95 % interval, and what that is worth."""

    one: str
    other: str
    first: ShareShape
    second: ShareShape
    difference: float | None
    low: float | None
    high: float | None
    is_fair: bool
    words: str

    @classmethod
    def of(cls, compared: Compared) -> ComparedShape:
        return cls(
            one=compared.one,
            other=compared.other,
            first=ShareShape.of(compared.first),
            second=ShareShape.of(compared.second),
            difference=number(compared.difference),
            low=number(compared.low),
            high=number(compared.high),
            is_fair=compared.is_fair,
            words=compared_words(compared),
        )


_FAIR = "A fair comparison: the control group was drawn at random when the list was made."
_UNFAIR = "Not an experiment: who was contacted was not left to chance."


def compared_words(compared: Compared) -> str:
    """What the difference says, and how far it can be trusted."""
    warning = _FAIR if compared.is_fair else _UNFAIR
    if number(compared.difference) is None:
        return f"Nothing to compare yet: nobody's days are over on one side. {warning}"
    points = round(100 * compared.difference)
    more = f"{abs(points)} {'point' if abs(points) == 1 else 'points'} {'more' if points >= 0 else 'fewer'}"
    bounds = f"{_signed(compared.low)} to {_signed(compared.high)}"
    interval = f"95 % confidence interval {bounds}"
    if compared.low <= 0 <= compared.high:
        return f"No significant difference: {more} ({interval}). {warning}"
    return f"{more} ({interval}), more than chance would make. {warning}"


def _signed(share: float) -> str:
    points = round(100 * share)
    return f"+{points}" if points > 0 else f"−{-points}" if points < 0 else "0"


class WorkedListShape(AnswerShape):
    """A list that is worked: ``count`` members are shown, ``rows`` begin at ``offset``. ``rule`` says who they were,
    frozen as of ``made_as_of``. To do, contacted, left out and held back add up to all ``customers``."""

    list_id: int
    list_name: str
    rule: str
    list_reading: str
    made_as_of: dt.date
    made_at: Moment
    customers: int
    groups: list[MembersShape]
    compared: ComparedShape
    by: str
    by_title: str
    by_kind: Kind
    count: int
    offset: int
    first_date: dt.date
    last_date: dt.date
    rows: list[MemberShape]

    @classmethod
    def of(cls, answer: WorkedAnswer, window: Window) -> WorkedListShape:
        read, row, worked = answer.read, answer.row, answer.worked
        first, last = read.date_span
        return cls(
            **header(read, answer.words),
            list_id=row.id,
            list_name=row.name,
            rule=row.rule,
            list_reading=row.reading,
            made_as_of=row.as_of,
            made_at=row.made_at,
            customers=int(worked.members.size),
            groups=[MembersShape(members=which, outcome=ShareShape.of(worked.share(which))) for which in MembersShown],
            compared=ComparedShape.of(answer.compared),
            by=answer.by.name,
            by_title=answer.by.title,
            by_kind=answer.by.kind,
            count=int(answer.rows.size),
            offset=window.offset,
            first_date=first,
            last_date=last,
            rows=_members(answer, answer.rows[window.offset : window.offset + window.limit]),
        )


class OneMemberShape(Shape):
    """One member of a list that is worked: its ``place`` among those who are shown, null for who is not shown, and the
    customer who is to do next, null where there is no other one."""

    place: int | None
    member: MemberShape
    next: int | None

    @classmethod
    def of(cls, workspace: Workspace, answer: WorkedAnswer, customer: int) -> OneMemberShape:
        """Raises `NotFound`."""
        member = answer.member(workspace, customer)
        found = np.flatnonzero(answer.rows == member)
        place = int(found[0]) if found.size else None
        after = answer.next_to_do(place)
        ids = answer.read.orders.customer_id
        return cls(
            place=place,
            member=_members(answer, np.array([member]))[0],
            next=None if after is None else int(ids[answer.worked.members[after]]),
        )


def _members(answer: WorkedAnswer, places: NDArray[np.int64]) -> list[MemberShape]:
    worked, read = answer.worked, answer.read
    found = worked.found
    return [
        MemberShape(
            row=row,
            entry=EntryShape.like(worked.entries[place]),
            ordered_on=None if found.ordered_day[place] == NO_DAY else to_date(int(found.ordered_day[place])),
            after_days=None
            if found.ordered_day[place] == NO_DAY
            else int(found.ordered_day[place] - worked.start_day[place]),
            amount=money_text(int(found.amount_minor[place])),
            over=bool(found.over[place]),
        )
        for place, row in zip(places.tolist(), rows_of(read, answer.by, worked.members.take(places)), strict=True)
    ]


class ListOutcomeShape(Shape):
    """One list at a glance; ``outcome`` is that of who was contacted."""

    list_id: int
    name: str
    rule: str
    made_as_of: dt.date
    customers: int
    contacted: int
    to_do: int
    left_out: int
    held_back: int
    outcome: ShareShape


class OutcomesShape(AnswerShape):
    """Every list that was worked, the newest first."""

    lists: list[ListOutcomeShape]

    @classmethod
    def of(cls, answer: OutcomesAnswer) -> OutcomesShape:
        return cls(
            **header(answer.read, answer.words),
            lists=[
                ListOutcomeShape(
                    list_id=each.row.id,
                    name=each.row.name,
                    rule=each.row.rule,
                    made_as_of=each.row.as_of,
                    customers=each.members,
                    contacted=each.contacted,
                    to_do=each.to_do,
                    left_out=each.left_out,
                    held_back=each.held_back,
                    outcome=ShareShape.of(each.share),
                )
                for each in answer.lists
            ],
        )
