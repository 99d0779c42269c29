"""What was sent to the members of a list, on record: one message to each customer and each address, ever.

A message is put down before it is handed over, and again when the server took it. One that was being handed over when
everything ended may have been sent or not; it is never sent again.
"""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import Engine, delete, func, insert, select, update
from sqlalchemy.exc import IntegrityError

from goldthread.core.choices import MailState
from goldthread.store.schema.models import ListMail
from goldthread.store.server.engine import now
from goldthread.store.working import locked_list

PROBLEM_LENGTH = 500


@dataclass(frozen=True)
class MailRow:
    """What became of the message to one customer."""

    customer_id: int
    email: str
    state: MailState
    problem: str


def mails_of(engine: Engine, list_id: int) -> list[MailRow]:
    """Every message of a list, by customer."""
    with engine.connect() as connection:
        rows = connection.execute(
            select(ListMail.customer_id, ListMail.email, ListMail.state, ListMail.problem)
            .where(ListMail.list_id == list_id)
            .order_by(ListMail.customer_id)
        ).all()
    return [MailRow(int(row[0]), row[1], MailState(row[2]), row[3]) for row in rows]


def counts_of(engine: Engine, list_id: int) -> dict[MailState, int]:
    """How many messages of a list stand how."""
    counted = select(ListMail.state, func.count()).where(ListMail.list_id == list_id).group_by(ListMail.state)
    with engine.connect() as connection:
        found = {MailState(state): int(count) for state, count in connection.execute(counted)}
    return {state: found.get(state, 0) for state in MailState}


def claim(engine: Engine, book_id: int, list_id: int, customer_id: int, email: str, message_id: str, by: str) -> bool:
    """Put down that a message is about to be handed over; False where the customer or the address has one already.
    One that the server refused may be tried again. Raises `NotFound` where the list was deleted."""
    values = {"email": email, "message_id": message_id, "sent_by": by, "attempted_at": now(), "problem": ""}
    with engine.begin() as connection:
        again = connection.execute(
            update(ListMail)
            .where(
                ListMail.list_id == list_id,
                ListMail.customer_id == customer_id,
                ListMail.email == email,
                ListMail.state == MailState.REFUSED,
            )
            .values(**values, state=MailState.SENDING)
        )
        if again.rowcount:
            return True
    try:
        with engine.begin() as connection:
            locked_list(connection, book_id, list_id)
            connection.execute(
                insert(ListMail).values(list_id=list_id, customer_id=customer_id, state=MailState.SENDING, **values)
            )
    except IntegrityError:
        return False
    return True


def settle(engine: Engine, list_id: int, customer_id: int, state: MailState, problem: str = "") -> None:
    """Put down what the server said of a message that was handed over."""
    with engine.begin() as connection:
        connection.execute(
            update(ListMail)
            .where(ListMail.list_id == list_id, ListMail.customer_id == customer_id)
            .values(state=state, problem=problem[:PROBLEM_LENGTH])
        )


def forget(engine: Engine, list_id: int, customer_id: int) -> None:
    """Take back a message that was never handed over: it is free again."""
    with engine.begin() as connection:
        connection.execute(delete(ListMail).where(ListMail.list_id == list_id, ListMail.customer_id == customer_id))
