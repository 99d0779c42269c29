"""A PostgreSQL of a shop on loopback, from Debian's packages, in a folder that is removed."""

from __future__ import annotations

import getpass
import os
import pwd
import shutil
import subprocess
import tempfile
from pathlib import Path

from goldthread.store.server.instance import free_port

USER, PASSWORD = "shop", "open sesame"
_OWNER = "postgres"


class Postgres:
    """A running server; ``address`` is that of its database, for a user who may change everything in it."""

    def __init__(self) -> None:
        self._folder = Path(tempfile.mkdtemp(prefix="gt-postgres-"))
        self._programs = max(Path("/usr/lib/postgresql").glob("*/bin"), key=lambda each: int(each.parent.name))
        # its programs refuse to run as root
        self._as: list[str] = []
        if getpass.getuser() == "root":
            self._as = ["setpriv", f"--reuid={_OWNER}", f"--regid={_OWNER}", "--clear-groups"]
            os.chown(self._folder, pwd.getpwnam(_OWNER).pw_uid, pwd.getpwnam(_OWNER).pw_gid)
        password = self._folder / "password"
        password.write_text(PASSWORD, encoding="ascii")
        password.chmod(0o644)
        data = self._folder / "data"
        self._run("initdb", "-D", data, "-U", USER, "--auth=scram-sha-256", f"--pwfile={password}", "-E", "UTF8", "-N")
        self.port = free_port()
        settings = f"-c listen_addresses=127.0.0.1 -c port={self.port} -c unix_socket_directories= -c fsync=off"
        self._run("pg_ctl", "-D", data, "-o", settings, "-l", self._folder / "log", "-w", "start")

    @property
    def address(self) -> str:
        return f"postgresql://{USER}:{PASSWORD.replace(' ', '%20')}@127.0.0.1:{self.port}/postgres"

    def close(self) -> None:
        self._run("pg_ctl", "-D", self._folder / "data", "-m", "immediate", "-w", "stop")
        shutil.rmtree(self._folder)

    def _run(self, program: str, *arguments: str | Path) -> None:
        command = [*self._as, str(self._programs / program), *map(str, arguments)]
        done = subprocess.run(
            command, cwd=self._folder, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, check=False
        )
        if done.returncode:
            raise RuntimeError(done.stdout)
