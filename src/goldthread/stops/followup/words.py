"""The sentences of Follow-up, and the choices that they state."""

from __future__ import annotations

from goldthread.core.book.days import to_day
from goldthread.core.calendar_words import date_words
from goldthread.core.choices import Period, Who
from goldthread.core.history.conditions import Level
from goldthread.core.history.fields import Field, is_grouping
from goldthread.stops.followup.question import (
    FOLLOW_UP,
    LAPSE_CURVE,
    OUTCOMES,
    STANDING,
    STOP,
    WORKED,
    Contactable,
    FollowUpQuestion,
    LapseCurveQuestion,
    MembersShown,
    OutcomesQuestion,
    StandingQuestion,
    WorkedQuestion,
)
from goldthread.stops.reading import Read
from goldthread.stops.sentences.lapse import lapse_words
from goldthread.stops.sentences.reading_line import LAPSE_BY_WORDS
from goldthread.stops.sentences.sentence import (
    Control,
    Option,
    Part,
    Words,
    count_words,
    lapse_control,
    lapse_part,
    list_words,
    periods_offered,
    term,
    view_control,
    words_control,
)
from goldthread.stops.sentences.sequence import direction_words, sequence_controls
from goldthread.stops.usual import usual_words

Question = FollowUpQuestion | StandingQuestion | LapseCurveQuestion | WorkedQuestion | OutcomesQuestion

_VIEWS = {
    FOLLOW_UP.name: ("Whom to contact", "call list"),
    STANDING.name: ("Where customers stand", "customer status"),
    LAPSE_CURVE.name: ("How many are lapsed at each limit", "lapsed customers by limit"),
    WORKED.name: ("Call list", "call-list progress"),
    OUTCOMES.name: ("What became of the lists", "call-list results"),
}
"""Each view as its sentence begins, and what the trade calls it."""
WHO = {
    Who.LAPSED: "have lapsed",
    Who.NEVER_ORDERED: "never ordered",
    Who.NONE_COUNTED: "placed only orders that do not count",
    Who.OVERDUE: "are overdue against their own gap",
    Who.ONE_ORDER: "ordered once",
}
_CONTACTABLE = {Contactable.ONLY: "left out", Contactable.ALL: "shown too"}
_AGO = (0, 30, 60, 90, 180, 365)
_TOGETHER, _AS_OF_DATE, _NO_PAIR, _NOT_COMPARED = (
    "all together",
    "on the as-of date",
    "not split further",
    "with no earlier list",
)


def followup_words(read: Read, question: Question) -> Words:
    """The question as people read it aloud, and every choice that it states."""
    match question:
        case FollowUpQuestion():
            words = _follow_up(read, question)
        case StandingQuestion():
            words = _standing(read, question)
        case LapseCurveQuestion():
            words = _lapse_curve()
        case WorkedQuestion():
            words = _worked(read, question)
        case OutcomesQuestion():
            words = _outcomes(question)
    name = _view(question)
    by = words_control("lapse_by", "What keeps a customer active", read.line.lapse_by, LAPSE_BY_WORDS)
    controls = [view_control(name, _VIEWS), *words.controls, lapse_control(read), by]
    rule = [] if isinstance(question, WorkedQuestion | OutcomesQuestion) else _rule(read)
    return Words(words.sentence, [*term(_VIEWS[name][1], 8), *rule, *words.manner], controls)


def sign_words(read: Read) -> str:
    """What keeps a customer active."""
    return "order or payment" if read.history.rule.lapse.by_activity else "order"


def boundary_words(read: Read) -> str:
    """Where the lapse rule draws the line on the as-of date: latest order on 2 Aug 2026 or earlier is lapsed."""
    rule, sign = read.history.rule.lapse, sign_words(read)
    if not rule.is_span:
        return f"who waits longer than {lapse_words(read.line.lapse)} since the latest {sign} is lapsed"
    last = rule.last_lapsed_day(read.as_of_day)
    return f"latest {sign} on {date_words(last)} or earlier is lapsed, {date_words(last + 1)} is active"


def _limit_words(read: Read) -> str:
    """The same in short."""
    rule = read.history.rule.lapse
    if not rule.is_span:
        return ""
    return f": latest {sign_words(read)} on {date_words(rule.last_lapsed_day(read.as_of_day))} or earlier"


def _rule(read: Read) -> list[Part]:
    return [
        Part("Lapsed after "),
        lapse_part(read),
        Part(", "),
        Part(f"{LAPSE_BY_WORDS[read.line.lapse_by]}{usual_words(read.book, read.line, 'lapse_by')}", "lapse_by"),
        Part(f"{_limit_words(read)}."),
    ]


def _view(question: Question) -> str:
    return next(kind.name for kind in STOP.questions if isinstance(question, kind.fields))


def _first(question: Question) -> Part:
    return Part(_VIEWS[_view(question)][0], "view")


def ago_words(days: int) -> str:
    """How long ago the only order was placed at least."""
    return f"at least {count_words(days, 'day')} ago" if days else "at any time"


def _follow_up(read: Read, question: FollowUpQuestion) -> Words:
    by = read.fields.field(question.by)
    sentence = [
        _first(question),
        Part(": customers who "),
        Part(" or ".join(WHO[each] for each in question.who), "who"),
        Part(", by "),
        Part(by.title, "by"),
        Part(", "),
        Part(direction_words(by, question.direction), "direction"),
        Part("?"),
    ]
    manner = [
        Part(" Closed and do-not-contact customers are "),
        Part(_CONTACTABLE[question.contactable], "contactable"),
    ]
    days = question.once_ago.removesuffix("d")
    if Who.ONE_ORDER in question.who:
        manner += [Part("; ordered once "), Part(ago_words(int(days)), "once_ago")]
    if read.lists:
        manner += [Part("; compared "), Part(_since_words(read, question), "since_list")]
    offered = sorted({*_AGO, int(days)})
    controls = [
        Control(
            "who",
            "Customers who",
            tuple(question.who),
            tuple(Option(each, label) for each, label in WHO.items()),
            several=True,
        ),
        *sequence_controls(read, by, question.direction, lambda field: field.level is Level.CUSTOMER),
        words_control("contactable", "Closed and do-not-contact customers are", question.contactable, _CONTACTABLE),
        Control(
            "once_ago",
            "Ordered once",
            (question.once_ago,),
            tuple(Option(f"{each}d", ago_words(each)) for each in offered),
        ),
        Control(
            "since_list",
            "Who is new since",
            (question.since_list,),
            (Option("", _NOT_COMPARED), *(Option(each.name, f"with {list_words(each)}") for each in read.lists)),
        ),
    ]
    return Words(sentence, [*manner, Part(".")], controls)


def _since_words(read: Read, question: FollowUpQuestion) -> str:
    name = question.since_list.casefold()
    row = next((each for each in read.lists if each.name.casefold() == name), None)
    return _NOT_COMPARED if row is None else f"with {list_words(row)}"


def _standing(read: Read, question: StandingQuestion) -> Words:
    sentence = [_first(question), Part(", ")]
    sentence += [Part(f"by {read.fields.field(question.by).title}" if question.by else _TOGETHER, "by"), Part(", ")]
    if question.by:
        pair = f"split further by {read.fields.field(question.and_by).title}" if question.and_by else _NO_PAIR
        sentence += [Part(pair, "and_by"), Part(", ")]
    sentence += [Part(_over_words(question.over), "over"), Part("?")]
    fields = [each for each in read.fields.fields if each.level is Level.CUSTOMER and is_grouping(each)]
    controls = [
        Control("by", "Customers", (question.by,), (Option("", _TOGETHER), *_options("by", fields))),
        Control("and_by", "Groups", (question.and_by,), (Option("", _NO_PAIR), *_options("split further by", fields))),
        Control(
            "over",
            "When",
            (question.over.kind if question.over else "",),
            (Option("", _AS_OF_DATE), *(Option(each, _over_words(each)) for each in periods_offered(read, Period))),
        ),
    ]
    judged = question.over is not None and read.line.where.strip()
    manner = [Part(" The filter is judged at the as-of date, for every period.")] if judged else []
    return Words(sentence, manner, controls)


def _options(word: str, fields: list[Field]) -> list[Option]:
    return [Option(each.name, f"{word} {each.title}") for each in fields]


def _over_words(period: Period | None) -> str:
    return f"at the end of each {period.noun}" if period else _AS_OF_DATE


MEMBERS = {
    MembersShown.ALL: "all of them",
    MembersShown.TO_DO: "those to do",
    MembersShown.CONTACTED: "those contacted",
    MembersShown.LEFT_OUT: "those left out",
    MembersShown.HELD_BACK: "the control group",
}
_WITHIN = (7, 14, 30, 60, 90)


def _worked(read: Read, question: WorkedQuestion) -> Words:
    by = read.fields.field(question.by)
    name = "" if read.chosen_list is None else read.chosen_list.name
    sentence = [
        _first(question),
        Part(" "),
        Part(name, "list"),
        Part(": how far, and what became of it; showing "),
        Part(MEMBERS[question.shown], "shown"),
        Part(" by "),
        Part(by.title, "by"),
        Part(", "),
        Part(direction_words(by, question.direction), "direction"),
        Part("."),
    ]
    manner = [Part("Ordered again counts within "), Part(_within_words(question.within), "within")]
    manner.append(Part(" of the contact, or of the list's date for who was not contacted."))
    if read.chosen_list is not None:
        made_on = date_words(to_day(read.chosen_list.as_of))
        manner.append(Part(f" The list is as of {made_on}: {read.chosen_list.rule}."))
    controls = [
        words_control("shown", "Members", question.shown, MEMBERS),
        *sequence_controls(read, by, question.direction, lambda field: field.level is Level.CUSTOMER),
        _within_control(question.within),
    ]
    return Words(sentence, manner, controls)


def _outcomes(question: OutcomesQuestion) -> Words:
    sentence = [_first(question), Part(", within "), Part(_within_words(question.within), "within"), Part("?")]
    return Words(sentence, [Part("Every list that was worked, the newest first.")], [_within_control(question.within)])


def _within_words(within: str) -> str:
    days = within.removesuffix("d")
    return count_words(int(days), "day") if days.isdigit() else within


def _within_control(within: str) -> Control:
    offered = sorted({*_WITHIN, *([int(within[:-1])] if within[:-1].isdigit() else [])})
    options = tuple(Option(f"{days}d", count_words(days, "day")) for days in offered)
    return Control("within", "Within", (within,), options)


def _lapse_curve() -> Words:
    name = _VIEWS[LAPSE_CURVE.name][0]
    return Words([Part(name, "view"), Part("?")], [], [])
