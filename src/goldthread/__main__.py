"""``python -m goldthread``."""

from goldthread.cli.main import run

if __name__ == "__main__":
    run()
