"""Follow-up: whom to contact, where customers stand, and what another limit would change."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from goldthread.core.choices import BLANK, MemberState, Period, Who
from goldthread.core.counted import OnList, Whom, numbers_of
from goldthread.core.history.fields import Field, is_grouping
from goldthread.core.history.history import History
from goldthread.core.history.labels import Labels, OfField, OfPairs
from goldthread.core.history.standing import Standing
from goldthread.core.intervals import chi_square_of_shares
from goldthread.core.standing.follow_up import Beside, Followed, FollowedPart
from goldthread.core.standing.limits import LapseCurve, lapse_curve
from goldthread.core.standing.over_time import StandingsOverTime, standings_over_time
from goldthread.core.standing.tally import StandingTable, standing_table
from goldthread.core.threads.windows import RowsInSequence
from goldthread.errors import InvalidInput
from goldthread.stops.events import events_of
from goldthread.stops.followup.question import (
    Contactable,
    FollowUpQuestion,
    LapseCurveQuestion,
    StandingQuestion,
)
from goldthread.stops.followup.words import followup_words
from goldthread.stops.reading import Read
from goldthread.stops.sentences.sentence import EVERYBODY_ELSE, LISTED, Words
from goldthread.stops.sentences.sequence import chosen_direction, customer_field, customers_by
from goldthread.stops.sentences.spans import days_given
from goldthread.store import lists, working
from goldthread.store.lists import ListRow
from goldthread.store.read.details import EventRow
from goldthread.workspace import Workspace

ONCE_AGO_MOST_DAYS = 99_999


@dataclass(frozen=True, eq=False)
class FollowUpAnswer:
    """Whom to contact.

    Attributes
    ----------
    shown : those who are shown; beside an earlier list, those who are not on it
    by : the field that the list goes by
    found : the same in sequence
    table : where everybody who is looked at stands
    earlier : the earlier list; None without one
    contacted : those who were contacted from it
    """

    read: Read
    question: FollowUpQuestion
    shown: FollowedPart
    by: Field
    found: RowsInSequence
    table: StandingTable
    earlier: ListRow | None
    contacted: OnList | None

    @property
    def words(self) -> Words:
        """The question in words."""
        return followup_words(self.read, self.question)

    @property
    def followed(self) -> FollowedPart:
        """Everybody for whom one of the reasons holds."""
        return FollowedPart(self.shown.followed)

    @property
    def members(self) -> OnList | None:
        """Which customers are on the earlier list; None without one."""
        return self.shown.earlier

    def part(self, beside: Beside | None = None, reason: Who | None = None) -> FollowedPart:
        """Those who are on the list now: without who is not to be contacted, unless they are wanted too. ``beside`` :
        of them, and of an earlier list, those who stand so to it; None for all, on the earlier one or not."""
        return replace(self.shown, reason=reason, beside=beside)

    def numbers(self, *groups: Whom) -> list[int]:
        """How many customers each of several groups has."""
        found: list[int] = numbers_of(self.read.history, groups).customers.tolist()
        return found


@dataclass(frozen=True, eq=False)
class StandingAnswer:
    """Where customers stand. ``rest``: everybody else, when a list is compared with them. ``over``: at the end of every
    period, where that is asked."""

    read: Read
    question: StandingQuestion
    table: StandingTable
    rest: StandingTable | None
    over: StandingsOverTime | None
    events: list[EventRow]

    @property
    def words(self) -> Words:
        """The question in words."""
        return followup_words(self.read, self.question)

    @property
    def chance(self) -> float:
        """The chance of groups that differ as much in who lapsed, where they do not in truth; NaN for one group."""
        if self.rest is None:
            return self.table.chance
        customers = np.concatenate((self.table.customers, self.rest.customers))
        lapsed = customers[:, Standing.LAPSED]
        return chi_square_of_shares(lapsed, lapsed + customers[:, Standing.ACTIVE])[1]

    def groups(self) -> list[tuple[str, StandingTable, int]]:
        """The name of every group, the table it stands in, and its place there."""
        whose = [("", self.table)] if self.rest is None else [(LISTED, self.table), (EVERYBODY_ELSE, self.rest)]
        return [
            (label if self.rest is None else f"{label or BLANK}, {name}" if self.question.by else name, table, place)
            for name, table in whose
            for place, label in enumerate(table.labels)
        ]


@dataclass(frozen=True, eq=False)
class LapseCurveAnswer:
    """How many customers would count as lapsed at every limit."""

    read: Read
    question: LapseCurveQuestion
    curve: LapseCurve

    @property
    def words(self) -> Words:
        """The question in words."""
        return followup_words(self.read, self.question)


def ask_follow_up(workspace: Workspace, read: Read, question: FollowUpQuestion) -> FollowUpAnswer:
    """Whom to contact, in sequence. Raises `InvalidInput` or `NotFound`."""
    if not question.who:
        raise InvalidInput("No reason is chosen, so there is nobody to contact.", remedy="Choose one.", field="who")
    by, days = customer_field(read, question.by, "by"), once_ago_days(question)
    direction = chosen_direction(by, question.direction)
    earlier, members = _earlier(workspace, read, question)
    contactable = None if question.contactable is Contactable.ALL else True
    beside = None if members is None else Beside.NEW
    shown = FollowedPart(Followed(question.who, days), None, contactable, members, beside)
    key = ("follow-up", *read.key, shown)
    found = customers_by(workspace, read, key, by, direction, shown)
    table = _table(workspace, read, read.history, "")
    contacted = _contacted(workspace, read, earlier)
    return FollowUpAnswer(read, question, shown, by, found, table, earlier, contacted)


def _contacted(workspace: Workspace, read: Read, earlier: ListRow | None) -> OnList | None:
    """Who was contacted from an earlier list; None for nobody."""
    if earlier is None or not earlier.changes:
        return None
    engine, list_id = workspace.record.engine, earlier.id
    key = ("contacted", list_id, earlier.changes)

    def found() -> OnList:
        entries = working.entries(engine, list_id)
        ids = [customer for customer, entry in entries.items() if entry.state is MemberState.CONTACTED]
        return OnList.of(key, np.isin(read.history.whole.customer_id, ids))

    return workspace.answer(read.shelved, key, found)


def _earlier(workspace: Workspace, read: Read, question: FollowUpQuestion) -> tuple[ListRow | None, OnList | None]:
    if not question.since_list:
        return None, None
    earlier = lists.list_called(read.lists, question.since_list, "since_list")
    name = lists.list_key(workspace.record.engine, earlier.id)
    return earlier, OnList.of(name, workspace.list_members(read.shelved, earlier.id))


def once_ago_days(question: FollowUpQuestion) -> int:
    """How long ago the only order was placed at least, in days. Raises `InvalidInput`."""
    return days_given(question.once_ago, "once_ago", 0, ONCE_AGO_MOST_DAYS, "Give days, such as 60d.")


def ask_standing(workspace: Workspace, read: Read, question: StandingQuestion) -> StandingAnswer:
    """Where customers stand, by groups or at the end of every period. Raises `InvalidInput` or `TooLarge`."""
    if question.over is not None and question.by:
        raise InvalidInput(
            "Groups are shown on the as-of date, periods for all customers together.",
            remedy="Choose groups or periods; a filter or a list narrows the customers of either.",
            field="over",
        )
    table = _table(workspace, read, read.history, question.by, question.and_by)
    rest = None if read.rest is None else _table(workspace, read, read.rest, question.by, question.and_by)
    over: StandingsOverTime | None = None
    if question.over is not None:
        over = standings_over(workspace, read, question.over)
    return StandingAnswer(read, question, table, rest, over, events_of(workspace, read.shelved))


def standings_over(workspace: Workspace, read: Read, period: Period) -> StandingsOverTime:
    """The standings at the end of every period. Raises `TooLarge`."""
    history = read.history
    key = ("standings over", *read.key, period)
    return workspace.answer(read.shelved, key, lambda: standings_over_time(history, period))


def _table(workspace: Workspace, read: Read, history: History, by: str, and_by: str = "") -> StandingTable:
    key = ("standing", *read.key, history is read.rest, by, and_by)

    def counted() -> StandingTable:
        if and_by and not by:
            raise InvalidInput("There is a second field, but no first one.", remedy="Give by as well.", field="by")
        groups: Labels | None = _labels(read, history, by, "by") if by else None
        if groups is not None and and_by:
            groups = OfPairs(groups, _labels(read, history, and_by, "and_by"))
        return standing_table(history, groups)

    table: StandingTable = workspace.answer(read.shelved, key, counted)
    return table


def _labels(read: Read, history: History, name: str, of: str) -> Labels:
    field = customer_field(read, name, of)
    if not is_grouping(field):
        raise InvalidInput(
            f"{field.title} has no labels to group by.", remedy="Choose a field such as region.", field=of
        )
    return OfField.asked(history, name)


def ask_lapse_curve(workspace: Workspace, read: Read, question: LapseCurveQuestion) -> LapseCurveAnswer:
    """How many customers would count as lapsed at every limit."""
    curve: LapseCurve = workspace.answer(read.shelved, ("lapse curve", *read.key), lambda: lapse_curve(read.history))
    return LapseCurveAnswer(read, question, curve)


def reasons_of(answer: FollowUpAnswer, reason: Who | None) -> tuple[Who, ...]:
    """The reasons that a figure counts. Raises `InvalidInput` for one that was not asked for."""
    if reason is None:
        return answer.question.who
    if reason not in answer.question.who:
        raise InvalidInput(
            f"The list was not asked for {reason.value}.",
            remedy=f"Give one of: {', '.join(answer.question.who)}.",
            field="reason",
        )
    return (reason,)
