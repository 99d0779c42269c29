"""The letter: how a book stands in a few sentences, and what needs attention. Every figure knows where it leads."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from enum import StrEnum

import numpy as np

from goldthread.core.book.periods import period_label, period_of_day
from goldthread.core.calendar_words import date_words, period_words
from goldthread.core.choices import Flow, Period
from goldthread.core.history.standing import Standing
from goldthread.core.money import minor_of
from goldthread.stops.costs.given import NOT_SET
from goldthread.stops.overview.answer import BACK_BY_MONTH, CameBack, SummaryAnswer
from goldthread.stops.sentences.amounts import amount_words
from goldthread.stops.sentences.lapse import lapse_words
from goldthread.stops.sentences.sentence import count_words, number_words, percent_words
from goldthread.stops.usual import is_usual

YEAR = 12
SILENT_LEAST_DAYS = 7
"""A source is not called silent for fewer days, whatever its habit."""
MONTHS_NAMED = 3


class Topic(StrEnum):
    """What a paragraph speaks of."""

    ORDERS = "orders"
    COHORTS = "cohorts"
    RHYTHM = "rhythm"
    STANDING = "standing"
    WORTH = "worth"


@dataclass(frozen=True)
class Goes:
    """Where a figure leads: a stop, and what is asked there beside the reading line."""

    stop: str
    query: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Said:
    """Some words; with where they lead, if they are a figure."""

    text: str
    goes: Goes | None = None


@dataclass(frozen=True)
class Paragraph:
    """One thing that the letter says, and what stands under it in smaller words."""

    topic: Topic
    said: list[Said]
    note: list[Said]


@dataclass(frozen=True)
class Look:
    """Something that needs attention: what, why, and where."""

    what: str
    why: str
    goes: Goes
    course: tuple[float | None, ...] = ()
    bound: float | None = None


def paragraphs(answer: SummaryAnswer) -> list[Paragraph]:
    """The letter. A book without counted orders has nothing to say."""
    if answer.orders == 0:
        return []
    every = (_orders(answer), _cohorts(answer), _rhythm(answer), _standing(answer), _worth(answer))
    return [each for each in every if each is not None]


def plain(said: list[Said]) -> str:
    """Words without where they lead."""
    return "".join(each.text for each in said)


def _orders(answer: SummaryAnswer) -> Paragraph:
    month, year_ago = answer.figures.month, answer.figures.year_ago
    orders, new = sum(month.orders[:2]), month.customers[0]
    goes = Goes("newness", {"period": "month"})
    named = period_words(period_label(_month(answer), Period.MONTH))
    when = f" in {named}" if answer.figures.month_over else f" in {named} so far"
    said = [Said(count_words(orders, "order"), goes), Said(when)]
    if year_ago is not None:
        said += [Said(f", {_against(orders, sum(year_ago.orders[:2]))}")]
    said += [
        Said("; "),
        Said(count_words(new, "new customer"), Goes("newness", {"period": "month", "measure": "customers"})),
    ]
    if year_ago is not None:
        said.append(Said(f", {_more_or_fewer(new - year_ago.customers[0])}"))
    revenue = sum(month.revenue_minor[:2])
    share = percent_words(month.revenue_minor[0], revenue) if revenue > 0 else "—"
    note = f"{amount_words(revenue, whole=True)} {answer.read.book.currency}, {share} of it from first orders"
    if year_ago is not None:
        days = "the same month" if answer.figures.month_over else "the same days"
        note += f"; {amount_words(sum(year_ago.revenue_minor[:2]), whole=True)} in {days} a year ago"
    return Paragraph(Topic.ORDERS, [*said, Said(".")], [Said(f"{note}.")])


def _month(answer: SummaryAnswer) -> int:
    return period_of_day(answer.read.as_of_day, Period.MONTH)


def _against(now: int, before: int) -> str:
    if not before:
        return "none in the same days a year ago"
    change = round(100 * (now - before) / before)
    if change == 0:
        return "as many as a year ago"
    return f"{abs(change)} % {'more' if change > 0 else 'fewer'} than a year ago"


def _more_or_fewer(difference: int) -> str:
    if difference == 0:
        return "as many as then"
    return f"{number_words(abs(difference))} {'more' if difference > 0 else 'fewer'} than then"


def _cohorts(answer: SummaryAnswer) -> Paragraph | None:
    found = answer.figures.came_back
    if found is None or found.customers == 0:
        return None
    first, last = (period_words(period_label(month, Period.MONTH)) for month in (found.first, found.last))
    whom = first if found.first == found.last else f"{first} to {last}"
    share = percent_words(found.came, found.customers)
    goes = Goes("cohorts", {"period": "month", "figure": "came_back"})
    said = [
        Said(f"Of the {number_words(found.customers)} who first ordered in {whom}, "),
        Said(share, goes),
        Said(f" had come back within {BACK_BY_MONTH} months{_as_before(found)}."),
    ]
    note = [Said("Counted when the months are over, for every cohort alike. ")]
    apart = answer.figures.apart
    if apart:
        unlike = f"{count_words(apart, 'cohort')} with a return rate unlike adjacent cohorts"
        note += [Said(unlike, goes), Said(".")]
    return Paragraph(Topic.COHORTS, said, note)


def _as_before(found: CameBack) -> str:
    if not found.customers_before:
        return ""
    before = f"{percent_words(found.came_before, found.customers_before)} of the year before them"
    if found.low <= 0 <= found.high:
        return f", no clear change from the {before}"
    return f", {'more' if found.difference > 0 else 'less'} than the {before}"


def _rhythm(answer: SummaryAnswer) -> Paragraph:
    goes = Goes("rhythm", {"view": "next-order"})
    if answer.figures.half_by is None:
        said = [Said("Fewer than half", goes), Said(" of the customers have placed a second order so far.")]
    else:
        said = [
            Said("Half of the customers have placed a second order "),
            Said(f"by day {number_words(answer.figures.half_by)}", goes),
            Said(" after the first."),
        ]
    due = Goes("rhythm", {"view": "due"})
    coming, late = int(answer.figures.due.per_day.sum()), int(answer.figures.due.per_lateness.sum())
    note = [
        Said(count_words(coming, "customer"), due),
        Said(f" {_be(coming)} expected to order in the next four weeks; "),
        Said(count_words(late, "customer"), due),
        Said(f" {_be(late)} late."),
    ]
    return Paragraph(Topic.RHYTHM, said, note)


def _be(count: int) -> str:
    return "is" if count == 1 else "are"


def _standing(answer: SummaryAnswer) -> Paragraph:
    counts = answer.figures.standing.customers[0]

    def figure(standing: Standing, name: str, words: str) -> Said:
        goes = Goes("followup", {"view": "standing", "open": name})
        return Said(f"{number_words(int(counts[standing]))} {words}", goes)

    said = [
        figure(Standing.ACTIVE, "active", "active"),
        Said(", "),
        figure(Standing.LAPSED, "lapsed", "lapsed"),
        Said(", "),
        figure(Standing.NEVER_ORDERED, "never_ordered", "never ordered"),
    ]
    if counts[Standing.NONE_COUNTED]:
        said += [Said(", "), figure(Standing.NONE_COUNTED, "none_counted", "with no order that counts")]
    lapsed, back = answer.figures.flows[Flow.BECAME_LAPSED], answer.figures.flows[Flow.WON_BACK]
    month = period_words(period_label(_month(answer), Period.MONTH))
    since = Goes("followup", {"view": "standing", "over": "month"})
    said += [
        Said(f". In {month} "),
        Said(f"{number_words(lapsed)} {'was' if lapsed == 1 else 'were'} newly lapsed", since),
        Said(" and "),
        Said(f"{number_words(back)} {'was' if back == 1 else 'were'} won back", since),
        Said("."),
    ]
    note = [
        Said(f"Lapsed after {lapse_words(answer.read.line.lapse)} without an order. "),
        Said("Whom to contact", Goes("followup")),
        Said("."),
    ]
    return Paragraph(Topic.STANDING, said, note)


def _worth(answer: SummaryAnswer) -> Paragraph | None:
    found = answer.worth
    age = found.payback.largest_age
    if age is None:
        return None
    book, question = answer.read.book, answer.question
    costs = {name: getattr(question, name) for name in ("margin", "cac") if not is_usual(book, question, name)}
    goes = Goes("worth", {"view": "payback", **costs})
    at = min(YEAR, age)
    if not answer.question.margin_set:
        return _worth_in_revenue(answer, goes, at)
    gross = found.payback.affordable_at(at)
    margin = f"at a gross margin of {answer.question.margin.split(',')[0]} %"
    arithmetic = [Said("The arithmetic", Goes("worth", costs)), Said(".")]
    if np.isnan(found.cac_minor):
        said = [
            Said("A customer brings "),
            Said(f"{amount_words(gross)} by month {at}", goes),
            Said("; what winning one costs is not recorded."),
        ]
        return Paragraph(Topic.WORTH, said, [Said(f"Gross profit {margin}, before CAC. "), *arithmetic])
    paid = found.payback.break_even_age
    said = [Said("Winning a customer cost "), Said(amount_words(found.cac_minor), Goes("worth", {"view": "spend"}))]
    if paid is None:
        said += [Said(" and "), Said("has not been paid back yet", goes), Said(".")]
    else:
        said += [Said(" and is paid back "), Said(f"by month {paid}", goes), Said(".")]
    brought = f"A customer had brought {amount_words(gross)} {answer.read.book.currency} by month {at}"
    return Paragraph(Topic.WORTH, said, [Said(f"{brought}, {margin}, before CAC. "), *arithmetic])


def _worth_in_revenue(answer: SummaryAnswer, goes: Goes, at: int) -> Paragraph:
    """Where no gross margin is known, nothing is known of profit."""
    found = answer.worth
    said = [Said("A customer brings "), Said(amount_words(float(found.payback.revenue_minor[at])), goes)]
    said.append(Said(f" {answer.read.book.currency} of revenue by month {at}"))
    if np.isnan(found.cac_minor):
        said.append(Said("; what winning one costs is not recorded."))
    else:
        said += [
            Said("; winning one cost "),
            Said(amount_words(found.cac_minor), Goes("worth", {"view": "spend"})),
            Said("."),
        ]
    return Paragraph(
        Topic.WORTH, said, [Said(f"{NOT_SET.capitalize()}. "), Said("Usual settings", Goes("usual")), Said(".")]
    )


def looks(answer: SummaryAnswer) -> list[Look]:
    """What needs attention, the most pressing first."""
    return [*_rounds(answer), *_silent_sources(answer), *_odd_months(answer), *_noticed(answer), *_unset(answer)]


def _rounds(answer: SummaryAnswer) -> Iterator[Look]:
    """What the book does by itself, and needs somebody for."""
    for file in answer.trouble.waiting:
        yield Look(f"{file.name} of {file.source} waits", file.why, Goes("import"))
    for row in answer.trouble.turned:
        goes = Goes(row.about["stop"], row.about["goes"]) if "goes" in row.about else Goes("schedules")
        said = row.last.said if row.last is not None else ""
        course = tuple(each["value"] for each in row.kept.get("course", []))
        yield Look(row.about["name"], said.removeprefix(f"{row.about['name']}: "), goes, course, row.about["bound"])
    for row in answer.trouble.failed:
        what = f"Files of {row.about['source']} did not come" if "source" in row.about else "A letter was not sent"
        said = row.why or (row.last.said if row.last is not None else "")
        yield Look(what, said, Goes("schedules"))


def _silent_sources(answer: SummaryAnswer) -> Iterator[Look]:
    for source in answer.figures.sources:
        silent = answer.read.as_of_day - source.latest_day
        if silent > max(SILENT_LEAST_DAYS, source.longest_silence_days):
            why = f"{count_words(silent, 'day')} without an order, longer than ever before: is a file missing?"
            yield Look(f"{source.name}: nothing since {date_words(source.latest_day)}", why, Goes("import"))


def _odd_months(answer: SummaryAnswer) -> Iterator[Look]:
    found = answer.coverage
    for marked, why in (
        (found.missing, "no order at all: is a file missing?"),
        (found.doubled, "twice the usual orders: delivered twice?"),
    ):
        for row, column in np.argwhere(marked)[-MONTHS_NAMED:].tolist():
            month = period_words(period_label(found.first_month + column, Period.MONTH))
            yield Look(f"{found.sources[row]}, {month}", why, Goes("import"))


def _noticed(answer: SummaryAnswer) -> Iterator[Look]:
    noticed, currency = answer.noticed, answer.read.book.currency
    if noticed.duplicates:
        yield Look(count_words(noticed.duplicates, "possible duplicate"), "customers who may be one", Goes("import"))
    if noticed.rejected_rows:
        rows, one = count_words(noticed.rejected_rows, "row"), noticed.rejected_rows == 1
        yield Look(f"{rows} {'was' if one else 'were'} rejected", ", ".join(noticed.rejected_files), Goes("import"))
    if noticed.stray_payments:
        named = "names" if noticed.stray_payments == 1 else "name"
        amount = f"{amount_words(minor_of(noticed.stray_amount))} {currency}"
        what = f"{count_words(noticed.stray_payments, 'payment')} {named} no order of the book"
        yield Look(what, amount, Goes("import"))
    if answer.figures.backdated:
        what = f"{count_words(answer.figures.backdated, 'customer')} with backdated orders"
        yield Look(what, "number order and date order disagree", Goes("threads", {"view": "backdated"}))
    if answer.spend_problems:
        what = f"{count_words(answer.spend_problems, 'row')} of spend to check"
        yield Look(
            what, "spend without anybody new, or the reverse", Goes("worth", {"view": "spend", "shown": "problems"})
        )


def _unset(answer: SummaryAnswer) -> Iterator[Look]:
    if answer.orders and not answer.question.margin_set:
        yield Look("Gross margin not set", "revenue is shown where profit would be: what is it?", Goes("usual"))


def identity_words(answer: SummaryAnswer) -> str:
    """Whether the checks passed."""
    held = sum(check.holds for check in answer.figures.identities)
    if held == len(answer.figures.identities):
        return f"All {held} checks passed."
    return f"{len(answer.figures.identities) - held} of {len(answer.figures.identities)} checks failed."
