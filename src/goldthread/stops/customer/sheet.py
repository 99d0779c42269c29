"""One customer's orders as a table to download."""

from __future__ import annotations

from goldthread.core.threads.listing import positions_shown
from goldthread.stops.behind.order_table import orders_with_threads
from goldthread.stops.customer.answer import CustomerAnswer
from goldthread.stops.sentences.sentence import sentences
from goldthread.stops.sheet import Sheet
from goldthread.workspace import Workspace


def customer_sheet(workspace: Workspace, answer: CustomerAnswer) -> Sheet:
    """Every order of one customer."""
    read, place = answer.alone, answer.place
    shown, starts = positions_shown(read.history), read.orders.starts
    theirs = shown[(shown >= starts[place]) & (shown < starts[place + 1])]
    return Sheet(sentences(answer.read, answer.words), orders_with_threads(workspace, read, theirs))
