"""``goldthread cluster``: the keys of a cluster, how it stands, and one of this machine alone."""

from __future__ import annotations

from pathlib import Path

import click

from goldthread.errors import InvalidInput
from goldthread.logs import write_logs
from goldthread.settings import load_settings
from goldthread.workspace import open_cluster

_KEY_DAYS = 825


@click.group("cluster")
def cluster_group() -> None:
    """Workers that answer questions of large books, part by part. They need goldthread[cluster]."""


@cluster_group.command("key")
@click.argument("folder", type=click.Path(file_okay=False, path_type=Path))
@click.option("--days", default=_KEY_DAYS, show_default=True, type=click.IntRange(1, 36_500), help="How long it holds.")
def cluster_key(folder: Path, days: int) -> None:
    """Make the key pair that every process of a cluster proves itself with, in FOLDER. Copy both files to each machine,
    readable by the user that Gold Thread runs as alone: who has them can run any code on all of these machines."""
    from goldthread.cluster.keys import CERTIFICATE, KEY, make_keys

    make_keys(folder, days)
    click.echo(f"Made {folder / KEY} and {folder / CERTIFICATE}.")


@cluster_group.command("status")
def cluster_status() -> None:
    """Say whether the cluster of the settings answers, and what its workers are. Ends with 1 where it does not."""
    settings = load_settings()
    cluster = open_cluster(settings)
    if cluster is None:
        raise InvalidInput(
            "Books are worked out inline.", remedy="Set compute to processes, or to a cluster's address."
        )
    for line in cluster.status():
        click.echo(line)
    cluster.close()


@cluster_group.command("run")
@click.option("--with-parent", is_flag=True, help="End when the process that began this one does.")
@click.option("--workers", default=0, type=click.IntRange(0, 1_024), help="One a processor when not given.")
def cluster_run(with_parent: bool, workers: int) -> None:
    """Run a cluster of this machine until ended. A server whose compute is processes runs one by itself."""
    from goldthread.cli.own import own_process
    from goldthread.cli.serving import until_ended

    own_process()
    settings = load_settings()
    # what it needs may not be installed
    open_cluster(settings.model_copy(update={"compute": "processes"}))
    write_logs(settings)
    from goldthread.cluster.local import local_cluster

    with local_cluster(settings, workers) as address:
        click.echo(f"The cluster is at {address}")
        with until_ended(with_parent):
            pass
