"""``python -m goldthread`` is the command line."""

from goldthread.cli.main import main

main(prog_name="goldthread")
