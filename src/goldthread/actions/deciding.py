"""How a file that was looked at is read: what is remembered or guessed, changed where somebody says so."""

from __future__ import annotations

import datetime as dt
from dataclasses import replace
from zoneinfo import ZoneInfo

from goldthread.actions.inspecting import DIGITS_MOST, NOTHING_GIVEN, FileView, Given, chosen_columns
from goldthread.core.book.days import to_day
from goldthread.core.calendar_words import date_words
from goldthread.core.records import AttributeType, FileKind, KeyKind, OrderStatus
from goldthread.errors import InvalidInput
from goldthread.intake.delimited import DelimitedFile
from goldthread.intake.encodings import WORDS as ENCODING_WORDS
from goldthread.intake.formats import DateForm, DecimalMark, TwoDigitYears, status_word
from goldthread.intake.further import Further, FurtherColumn
from goldthread.intake.guessing import guess
from goldthread.intake.meanings import Choice, KeptAt, Meaning, OrdersBy, missing_meanings
from goldthread.intake.questions import ANSWERS, Question
from goldthread.intake.reading import Reading
from goldthread.intake.surveying import Findings, evidence_of
from goldthread.intake.values import BadValue, date_parser
from goldthread.intake.words import usual_status


def reading_of(view: FileView, given: Given = NOTHING_GIVEN) -> Reading:
    """How to read a file: what is remembered or guessed, changed where somebody says so.

    How dates and amounts are written is found out over their whole columns unless it is given. Raises `InvalidInput`
    where it can neither be found in the data nor is remembered, for status words that nobody has explained, and for
    questions that nobody has answered.
    """
    last = view.remembered
    if view.wide is not None and not view.wide.found:
        raise _unanswered(view.wide)
    chosen = chosen_columns(view.guess, given.columns)
    key = given.customer_key or _key_of_column(view, chosen.get(Meaning.CUSTOMER))
    reading = Reading(view.guess.kind, chosen, key)
    _hold_missing(view, reading)
    reading = reading.validated(view.file)
    merged = view.merged if _fills_down(view, given, last) else ()
    evidence = view.evidence
    if chosen != view.columns or merged != view.merged:
        evidence = evidence_of(view.file, view.surveyed.profile, reading.kind, chosen, merged)
    asked = [*evidence.questions, *([view.padding] if view.padding else [])]
    choices = {each.choice: answer_of(each, given, last) for each in asked}
    for question in asked:
        if not choices[question.choice]:
            raise _unanswered(question)
    if view.wide is not None:
        choices[Choice.WIDE] = view.wide.found
    if Choice.PAD not in choices and last is not None and Choice.PAD in last.choices:
        choices[Choice.PAD] = last.choices[Choice.PAD]
    return replace(
        reading,
        dates=given.dates or _date_form(evidence, last),
        decimal=given.decimal or _decimal_mark(evidence, last),
        years=_two_digit_years(evidence, given.years or (last.years if last else None)),
        statuses=_status_meanings(evidence, given, last),
        orders_by=given.orders_by or (last.orders_by if last else OrdersBy.TIME),
        fill_down=merged,
        further=_further(evidence, given, last),
        typed={name: each for name, each in evidence.typed.items() if _is_plain(each)},
        choices=choices,
    ).validated(view.file)


def answer_of(question: Question, given: Given, last: Reading | None) -> str:
    """The answer to a question: as somebody says, as for the last file of the source, else as the data say."""
    remembered = last.choices.get(question.choice) if last is not None else None
    return given.choices.get(question.choice) or remembered or question.found


def is_answer(choice: Choice, answer: str) -> bool:
    """Whether a question can be answered so; numbers are filled up to some digits."""
    return answer in ANSWERS[choice] or (choice is Choice.PAD and answer.isdecimal() and int(answer) <= DIGITS_MOST)


def _unanswered(question: Question) -> InvalidInput:
    return InvalidInput(
        question.text,
        remedy=f"Say it with --say {question.choice}=ANSWER, one of {', '.join(question.answers)}.",
        field="choices",
    )


def _hold_missing(view: FileView, reading: Reading) -> None:
    """Raises `InvalidInput` for a meaning without a column, quoting what cannot be read where a name speaks of it."""
    missing = missing_meanings(reading.kind, reading.columns)
    unread = [(meaning, *view.guess.unread[meaning]) for meaning in missing if meaning in view.guess.unread]
    for meaning, column, texts in unread:
        quoted = ", ".join(f"“{text}”" for text in texts)
        what = "is blank in every row" if not texts else f"has {quoted}, which is not understood as"
        raise InvalidInput(
            f"“{column}” {what} {'' if not texts else meaning.replace('_', ' ')}".rstrip() + ".",
            remedy=f"Correct the column, or say which one holds the {meaning.replace('_', ' ')}.",
            field="columns",
        )


def _fills_down(view: FileView, given: Given, last: Reading | None) -> bool:
    """Whether blank cells of merged-looking columns repeat the one above. Raises `InvalidInput` until somebody says."""
    if not view.merged or given.fill_down is not None:
        return bool(given.fill_down)
    if last is None:
        raise InvalidInput(
            f"Blank cells below a filled one in {', '.join(view.merged)} may repeat it, or be blank.",
            remedy="Say which it is.",
            field="fill_down",
        )
    return bool(last.fill_down)


def _further(evidence: Findings, given: Given, last: Reading | None) -> dict[str, Further]:
    """How further columns are kept: as somebody says, as the last file of the source was, else as is best.

    What its values are is found in every file anew. Raises `InvalidInput` for a column that is none.
    """
    found = {column.name: column for column in evidence.further}
    unknown = [name for name in given.further if name not in found]
    if unknown:
        raise InvalidInput(
            f"{unknown[0]} is no further column of this file.",
            remedy=f"Further columns are: {', '.join(found) or 'none'}.",
            field="further",
        )
    return {name: replace(column.proposed, at=kept_at(column, given, last)) for name, column in found.items()}


def _is_plain(typed: Further) -> bool:
    """Whether it is plain what the values of a further column of customers are; dates that could be read in two ways
    stay texts."""
    is_open = typed.type is AttributeType.DATE and typed.dates is None
    return typed.type is not AttributeType.TEXT and not is_open


def kept_at(column: FurtherColumn, given: Given, last: Reading | None) -> KeptAt:
    """Where a further column is kept."""
    if column.name in given.further:
        return given.further[column.name]
    if last is not None and column.name in last.further:
        return last.further[column.name].at
    return column.proposed.at


def _date_form(evidence: Findings, last: Reading | None) -> DateForm:
    form = evidence.dates.form or (last.dates if last else None)
    if form is None:
        raise InvalidInput(
            f"It is not clear whether the day or the month comes first: {read_both_ways(evidence.dates.open)}.",
            remedy="Say which it is: dmy or mdy.",
            field="dates",
        )
    return form


def _decimal_mark(evidence: Findings, last: Reading | None) -> DecimalMark:
    mark = evidence.amounts.mark or (last.decimal if last else None)
    if mark is None:
        raise InvalidInput(
            f"Whether {evidence.amounts.open} has decimals or thousands is not clear.",
            remedy="Say what stands before the decimals: point or comma.",
            field="decimal",
        )
    return mark


def _two_digit_years(evidence: Findings, years: TwoDigitYears | None) -> TwoDigitYears | None:
    if years is None and evidence.dates.years_open:
        raise InvalidInput(
            f"Years have two digits, as in {evidence.dates.short_year}.",
            remedy="Say how they are read: 20yy or 19yy.",
            field="years",
        )
    return years


def _status_meanings(evidence: Findings, given: Given, last: Reading | None) -> dict[str, OrderStatus]:
    known = status_meanings(evidence, last) | {status_word(word): s for word, s in given.statuses.items()}
    statuses = {word: known[word] for word in sorted(evidence.statuses.counts) if word in known}
    unexplained = [evidence.statuses.words[word] for word in evidence.statuses.counts if word not in statuses]
    if unexplained:
        listed = ", ".join(f"“{word}”" for word in unexplained)
        raise InvalidInput(
            f"Nobody has said what these statuses mean: {listed}.",
            remedy=f"Say of each which it is: {', '.join(OrderStatus)}.",
            field="statuses",
        )
    return statuses


def status_meanings(evidence: Findings, last: Reading | None) -> dict[str, OrderStatus]:
    """What the status words of a file come down to: as remembered for its source, else as they commonly do."""
    remembered = dict(last.statuses) if last else {}
    usual = {word: status for word in evidence.statuses.counts if (status := usual_status(word)) is not None}
    return usual | remembered


def read_both_ways(date: str) -> str:
    """An open date as it would be read day first and month first: 03/04/2025 is 3 Apr 2025 or 4 Mar 2025."""
    ways = []
    for form in (DateForm.DMY, DateForm.MDY):
        try:
            read = date_parser(ZoneInfo("UTC"), form, TwoDigitYears.CENTURY_20)(date)
            ways.append(date_words(to_day(dt.date.fromisoformat(read[:10]))))
        except BadValue:
            return f"{date} can be read both ways"
    return f"{date} is {ways[0]} or {ways[1]}"


def encoding_words(file: DelimitedFile) -> str:
    """What a file is written in, as people say it; empty for one whose values have types."""
    return "" if file.typed else ENCODING_WORDS[file.encoding]


def meaning_named(name: str) -> Meaning:
    """A meaning by its name, as the command line gives it. Raises `InvalidInput`."""
    short = {"order": Meaning.ORDER_NUMBER, "line": Meaning.LINE_NUMBER, "number": Meaning.CUSTOMER_NUMBER}
    plain = name.strip().replace("-", "_").replace(" ", "_")
    if plain in short:
        return short[plain]
    try:
        return Meaning(plain)
    except ValueError:
        raise InvalidInput(
            f"{name} is nothing that a column can mean.", remedy=f"Use one of: {', '.join(Meaning)}.", field="column"
        ) from None


def _key_of_column(view: FileView, column: str | None) -> KeyKind:
    if column is None or column == view.guess.columns.get(Meaning.CUSTOMER) or column not in view.file.header:
        return view.guess.customer_key
    sample = [(row[view.file.header.index(column)],) for row in view.file.first_rows if len(row) > 0]
    return guess(("customer",), sample, FileKind.ORDERS).customer_key
