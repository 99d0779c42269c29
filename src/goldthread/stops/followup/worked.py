"""A list that is worked: how far, and what became of its members; and all lists at a glance."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goldthread.core.book.days import to_day
from goldthread.core.choices import Became, MemberState
from goldthread.core.counted import Counted
from goldthread.core.evidence import Behind
from goldthread.core.history.fields import Field
from goldthread.core.history.history import History
from goldthread.core.limits import WORKED_MOST
from goldthread.core.standing.outcome import Outcomes, Share, difference_of, outcomes, share_of
from goldthread.core.standing.tally import with_orders
from goldthread.errors import InvalidInput, NotFound, TooLarge
from goldthread.stops.followup.question import (
    MembersShown,
    OutcomesQuestion,
    WorkedFigureName,
    WorkedQuestion,
)
from goldthread.stops.followup.words import followup_words
from goldthread.stops.reading import Read, place_of, read_book
from goldthread.stops.sentences.reading_line import ListAs, ReadingLine
from goldthread.stops.sentences.sentence import Words
from goldthread.stops.sentences.sequence import chosen_direction, customer_field, sequenced
from goldthread.stops.sentences.spans import days_given
from goldthread.store import working
from goldthread.store.books import BookRow
from goldthread.store.lists import ListRow
from goldthread.store.working import UNTOUCHED, Entry
from goldthread.workspace import Workspace

Int64s = NDArray[np.int64]
Mask = NDArray[np.bool_]
WITHIN_MOST_DAYS = 3_650
LISTS_SHOWN_MOST = 100
"""Lists of one overview, the newest of those that were worked."""


@dataclass(frozen=True, eq=False)
class Worked:
    """The members of a list as they are worked; all arrays by ``members``.

    Attributes
    ----------
    members : int64, ascending places in the book
    state : uint8, places in `MemberState`
    held_back : bool; drawn at random to be held back when the list was made
    start_day : int64; the day of the contact, else the list's own date
    found : what became of each within the days
    entries : what was put down of each
    """

    members: Int64s
    state: NDArray[np.uint8]
    held_back: Mask
    start_day: Int64s
    found: Outcomes
    entries: tuple[Entry, ...]

    def shown(self, which: MembersShown) -> Mask:
        """Which members are so: each is in exactly one; bool, shape (members,).

        Held back are those who were drawn and are left out still.
        """
        if which is MembersShown.ALL:
            return np.ones(self.members.size, np.bool_)
        if which in (MembersShown.LEFT_OUT, MembersShown.HELD_BACK):
            left_out = self.state == _STATES.index(MemberState.LEFT_OUT)
            drawn: Mask = left_out & (self.held_back == (which is MembersShown.HELD_BACK))
            return drawn
        in_state: Mask = self.state == _STATES.index(MemberState(which.value))
        return in_state

    def share(self, which: MembersShown) -> Share:
        """What became of some members."""
        return share_of(self.found, self.shown(which), self.start_day)


_STATES = tuple(MemberState)


@dataclass(frozen=True, eq=False)
class Compared:
    """Two groups of a list compared: their shares, and by how much one is larger (95 % interval)."""

    one: str
    other: str
    first: Share
    second: Share
    difference: float
    low: float
    high: float
    is_fair: bool


@dataclass(frozen=True, eq=False)
class WorkedAnswer:
    """A list that is worked. ``rows``: the members who are shown, in sequence, by their places among ``members``."""

    read: Read
    question: WorkedQuestion
    row: ListRow
    by: Field
    worked: Worked
    rows: Int64s
    compared: Compared

    @property
    def shown_members(self) -> Int64s:
        """The members who are shown, in sequence, by their places in the book."""
        return self.worked.members.take(self.rows)

    @property
    def rows_to_reach(self) -> Int64s:
        """Whom a sheet or cards are for, as ``rows``: those who are shown; of all members those to do, so that nobody
        reaches the held-back by mistake."""
        if self.question.shown is not MembersShown.ALL:
            return self.rows
        return self.rows[self.worked.shown(MembersShown.TO_DO).take(self.rows)]

    @property
    def to_be_reached(self) -> Int64s:
        """The same by their places in the book."""
        return self.worked.members.take(self.rows_to_reach)

    @property
    def words(self) -> Words:
        """The question in words."""
        return followup_words(self.read, self.question)

    def member(self, workspace: Workspace, customer_id: int) -> int:
        """The place of a customer among the members. Raises `NotFound`."""
        place = place_of(workspace, self.read, customer_id)
        found = int(np.searchsorted(self.worked.members, place))
        if found == self.worked.members.size or self.worked.members[found] != place:
            raise NotFound(f"This customer is not on {self.row.name}.", remedy="Choose a member in the list.")
        return found

    def next_to_do(self, row: int | None) -> int | None:
        """The next member to do after a row, from the top again at the end; None where there is no other one."""
        to_do = self.worked.shown(MembersShown.TO_DO).take(self.rows)
        if row is not None:
            to_do[row] = False
        waiting = np.flatnonzero(to_do)
        if waiting.size == 0:
            return None
        after = 0 if row is None else int(np.searchsorted(waiting, row))
        return int(self.rows[waiting[after % waiting.size]])


@dataclass(frozen=True)
class ListOutcome:
    """One list at a glance."""

    row: ListRow
    members: int
    contacted: int
    to_do: int
    left_out: int
    held_back: int
    share: Share


@dataclass(frozen=True, eq=False)
class OutcomesAnswer:
    """Every list that was worked, the newest first."""

    read: Read
    question: OutcomesQuestion
    lists: list[ListOutcome]

    @property
    def words(self) -> Words:
        """The question in words."""
        return followup_words(self.read, self.question)


def read_worked(workspace: Workspace, book: BookRow, line: ReadingLine, today: dt.date) -> Read:
    """A book as it is read for a list that is worked: its members alone. Raises `InvalidInput` without a list."""
    if not line.list:
        raise InvalidInput(
            "No list is chosen, so there is nothing to work.",
            remedy="Keep customers as a list, or choose one.",
            field="list",
        )
    return _members_of(workspace, read_book(workspace, book, line.model_copy(update={"list_as": ListAs.ALONE}), today))


def _members_of(workspace: Workspace, read: Read) -> Read:
    """The same where the book is in parts: read of the members alone, who are few."""
    if read.chosen_list is None or read.history.elsewhere is None:
        return read
    return read.of_a_few(np.flatnonzero(workspace.list_members(read.shelved, read.chosen_list.id)))[0]


def ask_worked(workspace: Workspace, read: Read, question: WorkedQuestion) -> WorkedAnswer:
    """How far a list is worked, and what became of its members. Raises `InvalidInput` or `TooLarge`."""
    row = read.chosen_list
    if row is None:
        raise InvalidInput("No list is chosen.", remedy="Choose one.", field="list")
    by, days = customer_field(read, question.by, "by"), within_days(question.within)
    direction = chosen_direction(by, question.direction)
    key = ("worked", *read.key, row.changes, days)
    worked: Worked = workspace.answer(read.shelved, key, lambda: _worked(workspace, read, row, days))
    shown = worked.members[worked.shown(question.shown)]
    rows = np.searchsorted(worked.members, sequenced(read, by, direction, shown))
    compared: Compared = workspace.answer(read.shelved, (*key, "compared"), lambda: _compared(worked, row, days))
    return WorkedAnswer(read, question, row, by, worked, rows, compared)


def within_days(text: str) -> int:
    """Within how many days an order counts. Raises `InvalidInput`."""
    return days_given(text, "within", 1, WITHIN_MOST_DAYS, f"Give 1d to {WITHIN_MOST_DAYS}d, such as 30d.")


def _worked(workspace: Workspace, read: Read, row: ListRow, days: int) -> Worked:
    members = read.history.customers
    if members.size > WORKED_MOST:
        raise TooLarge(
            f"The list holds {members.size} customers; up to {WORKED_MOST} are worked one by one.",
            remedy="Narrow them by a filter, and keep those as a list.",
            field="list",
        )
    entries = working.entries(workspace.record.engine, row.id)
    ids = read.orders.customer_id.take(members).tolist()
    mine = tuple(entries.get(each, UNTOUCHED) for each in ids)
    listed_day = to_day(row.as_of)
    state = np.array([_STATES.index(each.state) for each in mine], np.uint8)
    contacted = [each.contacted_on if each.state is MemberState.CONTACTED else None for each in mine]
    start = np.array([listed_day if day is None else to_day(day) for day in contacted], np.int64)
    # whoever ordered on the day of the contact did so after it, as far as anybody can say; not so with the list's date
    since = np.maximum(start, listed_day + 1)
    held_back = np.array([each.held_back for each in mine], np.bool_)
    found = outcomes(read.history, members, start, since, days)
    return Worked(members, state, held_back, start, found, mine)


def _compared(worked: Worked, row: ListRow, days: int) -> Compared:
    """Who was contacted beside who was not; or, where a share was held back at random, everybody else beside the
    held-back, both from the list's own date: then chance alone decided who is in which."""
    if worked.held_back.any():
        start = np.full(worked.members.size, to_day(row.as_of), np.int64)
        found = outcomes(worked.found.history, worked.members, start, start + 1, days)
        one, other = share_of(found, ~worked.held_back, start), share_of(found, worked.held_back, start)
        return Compared("contacted or to do", "control group", one, other, *difference_of(one, other), is_fair=True)
    contacted = worked.shown(MembersShown.CONTACTED)
    one, other = (share_of(worked.found, among, worked.start_day) for among in (contacted, ~contacted))
    return Compared("contacted", "not contacted", one, other, *difference_of(one, other), is_fair=False)


def ask_outcomes(workspace: Workspace, read: Read, question: OutcomesQuestion) -> OutcomesAnswer:
    """Every list that was worked, the newest first. Raises `InvalidInput`."""
    days = within_days(question.within)
    return OutcomesAnswer(read, question, [_outcome(workspace, read, row, days) for row in worked_lists(read)])


def worked_lists(read: Read) -> list[ListRow]:
    """The lists that were worked, the newest first, so many at most."""
    return [row for row in read.lists if row.changes and row.customer_count <= WORKED_MOST][:LISTS_SHOWN_MOST]


def _outcome(workspace: Workspace, read: Read, row: ListRow, days: int) -> ListOutcome:
    shelved = read.shelved

    def found() -> ListOutcome:
        mask = workspace.list_members(shelved, row.id)
        line = read.line.model_copy(update={"list": row.name})
        history = workspace.history(shelved, read.history.rule, (row.id, False), mask)
        alone = _members_of(workspace, Read(read.book, shelved, line, history, None, row, read.lists, read.key))
        worked = _worked(workspace, alone, row, days)
        contacted, to_do, left_out, held_back = (
            int(worked.shown(which).sum())
            for which in (
                MembersShown.CONTACTED,
                MembersShown.TO_DO,
                MembersShown.LEFT_OUT,
                MembersShown.HELD_BACK,
            )
        )
        return ListOutcome(
            row, worked.members.size, contacted, to_do, left_out, held_back, worked.share(MembersShown.CONTACTED)
        )

    outcome: ListOutcome = workspace.answer(shelved, ("outcome", read.key[0], row.id, row.changes, days), found)
    return outcome


def worked_counted(answer: WorkedAnswer, figure: WorkedFigureName) -> Counted:
    """Some members: with the orders of their days where it is asked what became of them, else with all."""
    worked = answer.worked
    among = figure_mask(worked, figure)

    def find(history: History) -> Behind:
        return with_orders(history, worked.members[among]) if figure.became is None else worked.found.behind(among)

    return Counted(answer.read.history, find)


def figure_mask(worked: Worked, figure: WorkedFigureName) -> Mask:
    """Which members a figure counts; bool, shape (members,)."""
    among, found = worked.shown(figure.members), worked.found
    match figure.became:
        case None:
            return among
        case Became.ORDERED:
            return among & found.ordered
        case Became.NOT_ORDERED:
            return among & found.over & ~found.ordered
        case Became.OPEN:
            return among & ~found.over & ~found.ordered
