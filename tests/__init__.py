"""The tests. Generated examples are the same in every run; ``HYPOTHESIS_SEARCH=1`` looks for new ones."""

import os

from hypothesis import settings

settings.register_profile("same", derandomize=True, max_examples=200, database=None, deadline=None)
settings.register_profile("search", max_examples=2_000, database=None, deadline=None)
settings.load_profile("search" if os.environ.get("HYPOTHESIS_SEARCH") else "same")
