"""By what gaps and times to the next order are grouped, and how many steps of a thread are told apart."""

from __future__ import annotations

STEPS_MOST = 100
"""Order counts, and steps from one order to the next, that are told apart at most."""
