"""``goldthread backup`` and ``restore``: a copy of everything on record, and an installation made of it again."""

from __future__ import annotations

from pathlib import Path

import click

from goldthread.cli.own import own_process
from goldthread.cli.progress import progress_bar
from goldthread.settings import load_settings

_FOLDER = click.Path(file_okay=False, path_type=Path)


@click.command("backup")
@click.option("--to", "folder", type=_FOLDER, help="The folder that it goes to; that of daily backups unless said.")
def backup_command(folder: Path | None) -> None:
    """Copy everything on record, as of one moment, into one file, and print its path. Others may work meanwhile. It is
    encrypted where the setting backup_passphrase is set."""
    from goldthread.installation import back_up

    own_process()
    settings = load_settings()
    with progress_bar("backup") as progress:
        file = back_up(settings, folder or settings.backups, progress)
    click.echo(str(file.absolute()))


@click.command("restore")
@click.argument("file", type=click.Path(exists=True, dir_okay=False, path_type=Path))
def restore_command(file: Path) -> None:
    """Make an installation of a backup, in an empty folder of running data or an empty database. The backup is checked
    before anything is put anywhere."""
    from goldthread.installation import restore

    own_process()
    with progress_bar("restore") as progress:
        left = restore(load_settings(), file, progress)
    for each in left:
        click.echo(f"{each} was there already and stays as it is.", err=True)
    click.echo("Everything is restored. Start it: goldthread up")
