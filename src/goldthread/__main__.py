"""``python -m goldthread``."""

from goldthread.cli.main import run

run()
