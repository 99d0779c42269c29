"""What became of a file: the delivery, the problems of its rows, what a withdrawal took back; alike at every door."""

from __future__ import annotations

import datetime as dt

from goldthread.core.money import amount_text
from goldthread.core.records import FileKind
from goldthread.shape import Shape
from goldthread.store.books import DeliveryRow, ProblemRow
from goldthread.store.write.delivery import DeliveryReport
from goldthread.store.write.withdrawing import Withdrawal


class CountsShape(Shape):
    """``rows_read = rows_in + rows_repeated + rows_rejected``; added, changed and same count orders or customers."""

    rows_read: int
    rows_in: int
    rows_repeated: int
    rows_rejected: int
    added: int
    changed: int
    same: int
    customers_added: int


class DeliveryShape(Shape):
    id: int
    source: str
    kind: FileKind
    file_name: str
    by_hand: bool
    delivered_at: dt.datetime
    withdrawn_at: dt.datetime | None
    counts: CountsShape
    made_by: str

    @classmethod
    def of(cls, row: DeliveryRow) -> DeliveryShape:
        return cls(
            id=row.id,
            source=row.source,
            kind=row.kind,
            file_name=row.file_name,
            by_hand=row.by_hand,
            delivered_at=row.delivered_at.replace(tzinfo=dt.UTC),
            withdrawn_at=row.withdrawn_at.replace(tzinfo=dt.UTC) if row.withdrawn_at else None,
            counts=CountsShape(**row.counts),
            made_by=row.made_by,
        )


class ProblemGroupShape(Shape):
    """Problems of one column and reason: how many, and some of the values. ``rejected`` false: they were imported."""

    column: str
    reason: str
    remedy: str
    rejected: bool
    count: int
    examples: list[str]


class WithdrawalShape(Shape):
    """What a withdrawal undid: records that are gone, and records that are read again as they were before."""

    delivery: int
    file_name: str
    records_gone: int
    records_back: int
    customers_gone: int

    @classmethod
    def of(cls, undone: Withdrawal) -> WithdrawalShape:
        return cls(
            delivery=undone.delivery_id,
            file_name=undone.file_name,
            records_gone=undone.records_gone,
            records_back=undone.records_back,
            customers_gone=undone.customers_gone,
        )


class RowProblemShape(Shape):
    """A row of a file with something wrong. ``rejected`` false: it was imported all the same."""

    row: int
    column: str
    value: str
    reason: str
    remedy: str
    rejected: bool

    @classmethod
    def of(cls, problem: ProblemRow) -> RowProblemShape:
        return cls(**{name: getattr(problem, name) for name in cls.model_fields})


class ChangeShape(Shape):
    """A record that the book has otherwise: what differs, as it was and as the file gives it."""

    number: str
    was: str
    becomes: str


def held_back_words(report: DeliveryReport) -> str:
    """How much of a file would be left out, in a sentence, where that is too much to go without a yes."""
    amounts = report.amount_in + report.amount_rejected
    share = f" ({report.amount_rejected / amounts:.0%} of the amount)" if amounts and report.amount_rejected else ""
    rows = "row" if report.rows_read == 1 else "rows"
    return f"{report.rows_rejected} of {report.rows_read} {rows}{share} would be left out."


class ReportShape(Shape):
    """What became of a file, or would become of it. ``delivery_id`` is null when nothing was changed.

    ``amount_added``, ``amount_changed`` and ``amount_same`` are what the new, the changed and the same records do to
    the total; ``firsts_moved``, of a dry run, counts customers whose first order moves to an earlier date.
    ``held_back``: more than 2 % of the rows or of the amount would be left out, so that nothing is imported until
    somebody accepts it; ``fewer`` names the reading under which less would be, where there is one. ``amount_rejected``
    and ``amount_in`` are absolute amounts of the rejected and of the accepted rows, as far as they can be read.
    """

    dry_run: bool
    delivery_id: int | None
    earlier_delivered_at: dt.datetime | None
    counts: CountsShape
    customers_known: int
    first_date: dt.date | None
    last_date: dt.date | None
    amount_added: str
    amount_changed: str
    amount_same: str
    negative: int
    amount_negative: str
    zero: int
    firsts_moved: int
    held_back: bool
    held_back_words: str
    amount_rejected: str
    amount_in: str
    fewer: str
    changes: list[ChangeShape]
    problem_count: int
    problem_groups: list[ProblemGroupShape]
    problems: list[RowProblemShape]

    @classmethod
    def of(cls, report: DeliveryReport) -> ReportShape:
        earlier = report.earlier_delivered_at
        groups = sorted(report.groups.values(), key=lambda group: (-group.count, group.column, group.reason))
        return cls(
            dry_run=report.dry_run,
            delivery_id=report.delivery_id,
            earlier_delivered_at=earlier.replace(tzinfo=dt.UTC) if earlier else None,
            counts=CountsShape(**report.counts()),
            customers_known=report.customers_known,
            first_date=report.first_date,
            last_date=report.last_date,
            amount_added=amount_text(report.amount_added),
            amount_changed=amount_text(report.amount_changed),
            amount_same=amount_text(report.amount_same),
            negative=report.negative,
            amount_negative=amount_text(report.amount_negative),
            zero=report.zero,
            firsts_moved=report.firsts_moved,
            held_back=report.held_back,
            held_back_words=held_back_words(report) if report.held_back else "",
            amount_rejected=amount_text(report.amount_rejected),
            amount_in=amount_text(report.amount_in),
            fewer=report.fewer,
            changes=[ChangeShape(number=c.number, was=c.was, becomes=c.becomes) for c in report.changes],
            problem_count=report.problem_count,
            problem_groups=[
                ProblemGroupShape(
                    column=group.column,
                    reason=group.reason,
                    remedy=group.remedy,
                    rejected=group.rejected,
                    count=group.count,
                    examples=list(dict.fromkeys(problem.value for problem in group.examples)),
                )
                for group in groups
            ],
            problems=[
                RowProblemShape(**{name: getattr(problem, name) for name in RowProblemShape.model_fields})
                for problem in report.problems[:PROBLEMS_SHOWN]
            ],
        )


PROBLEMS_SHOWN = 200
