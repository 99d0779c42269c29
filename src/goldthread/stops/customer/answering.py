"""How the question for one customer is answered."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from goldthread.stops.customer.answer import CustomerAnswer, ask_thread
from goldthread.stops.customer.question import ThreadQuestion
from goldthread.stops.customer.shape import CustomerShape
from goldthread.stops.customer.sheet import customer_sheet
from goldthread.stops.reading import read_for_one
from goldthread.stops.step import no_steps
from goldthread.stops.stop import Answering, Kept

ANSWERING: Mapping[str, Answering[Any, Any]] = {
    "thread": Answering[ThreadQuestion, CustomerAnswer](
        ask=ask_thread,
        as_json=CustomerShape.of,
        shape=CustomerShape,
        sheet=customer_sheet,
        file_name="thread",
        kept=lambda answer: Kept(np.array([answer.customer]), answer.page.name or answer.page.keys[0]),
        read=read_for_one,
    )
}
STEPS = no_steps
"""What must hold of its tables."""
