"""A private MariaDB on loopback: its own data folder, socket and port, started and stopped by us.

The port stays the same from start to start; where somebody else has taken it, another one is used, and whoever holds an
`Address` finds it. Its process is known by number and start.
"""

from __future__ import annotations

import contextlib
import getpass
import os
import re
import secrets
import shutil
import socket
import subprocess
import time
from pathlib import Path

import psutil
import pymysql

from goldthread.errors import Unavailable
from goldthread.processes import (
    END_LIMIT_SECONDS,
    POLL_SECONDS,
    alone,
    end,
    is_alive,
    read_known,
    write_known,
    write_private,
)
from goldthread.store.server.address import COLLATION, Address

USER = "goldthread"
SCHEMA = "goldthread"
_IDLE_LIMIT_SECONDS = 60
"""A database that starts is given up when it has done nothing for so long."""
_START_LIMIT_SECONDS = 6 * 3600
_APART = ("env", "-u", "NOTIFY_SOCKET")
"""A service says itself when it is ready, not its database."""


class PrivateDatabase:
    """One database under a folder. `start` and `stop` are safe to repeat, and to call at the same moment."""

    def __init__(self, folder: Path, memory_mib: int) -> None:
        self.folder = folder.absolute()
        self.memory_mib = memory_mib
        self._run = self.folder / "run"
        self._log = self.folder / "mariadb.log"
        self._process: subprocess.Popen[bytes] | None = None

    def start(self) -> Address:
        """Bring the database up and wait until it answers. Raises `Unavailable` when it does not.

        Whoever starts it at the same moment waits, and finds it running.
        """
        for part in (self._run, self.folder / "tmp"):
            part.mkdir(parents=True, exist_ok=True)
        with alone(self._run / "lock"):
            return self._started()

    def _started(self) -> Address:
        running = self.running()
        if running is not None:
            return running
        owner = self._owner()
        if owner is not None:
            return self._taken_over(owner)
        if not (self.data / "mysql").exists():
            self._install()
        address = self.address()
        if not _is_free(address.port):
            write_private(self._port_file, str(free_port()))
        self._log.touch(mode=0o600)
        with self._log.open("ab") as log:
            self._process = subprocess.Popen(
                self._command(address), stdout=log, stderr=log, stdin=subprocess.DEVNULL, start_new_session=True
            )
        self._wait_until_answering(self._process.pid, address)
        write_known(self._pid_file, self._process.pid)
        return address

    def running(self) -> Address | None:
        """The address of the database when it is up and answers, else None."""
        known = read_known(self._pid_file)
        if known is None or not known.is_alive:
            return None
        address = self.address()
        return address if _answers(address) else None

    @property
    def has_died(self) -> bool:
        """Whether it was started and has ended, though nobody stopped it."""
        known = read_known(self._pid_file)
        return known is not None and not known.is_alive

    def stop(self) -> bool:
        """End the process of the database, whoever started it; True when there was one."""
        if not self._run.exists():
            return False
        with alone(self._run / "lock"):
            if not self._pid_file.exists() and (owner := self._owner()) is not None:
                write_known(self._pid_file, owner.pid)
            ended = end(self._pid_file)
        if self._process is not None:
            # whatever its file says, it is ours
            self._process.terminate()
            self._process.wait(END_LIMIT_SECONDS)
        return ended

    @property
    def data(self) -> Path:
        """The folder that the database keeps its tables in."""
        return self.folder / "data"

    def series(self) -> str:
        """The series of MariaDB on this machine, such as 10.11; its pages are read by that series alone."""
        said = subprocess.run([program("mariadbd"), "--version"], capture_output=True, text=True, check=False).stdout
        found = re.search(r"(\d+\.\d+)\.\d+-MariaDB", said)
        return found[1] if found else said.strip()

    @property
    def pid(self) -> int | None:
        """Process number of the database that runs."""
        known = read_known(self._pid_file)
        return None if known is None else known.pid

    @property
    def _pid_file(self) -> Path:
        return self._run / "pid"

    @property
    def _port_file(self) -> Path:
        return self._run / "port"

    def address(self) -> Address:
        """Where it is reached when it runs."""
        return Address(USER, self._password(), SCHEMA, port_file=self._port_file)

    def _owner(self) -> psutil.Process | None:
        """The process that has our data folder open, though no file of ours names it: its starter was killed."""
        ours = f"--datadir={self.data}"
        for process in psutil.process_iter():
            with contextlib.suppress(psutil.Error):
                if ours in process.cmdline() and process.status() != psutil.STATUS_ZOMBIE:
                    return process
        return None

    def _taken_over(self, owner: psutil.Process) -> Address:
        port = next((part.removeprefix("--port=") for part in owner.cmdline() if part.startswith("--port=")), "0")
        write_private(self._port_file, port)
        address = self.address()
        self._wait_until_answering(owner.pid, address)
        write_known(self._pid_file, owner.pid)
        return address

    def _install(self) -> None:
        unfinished = self.folder / "data.new"
        shutil.rmtree(unfinished, ignore_errors=True)
        command = [
            program("mariadb-install-db"),
            "--no-defaults",
            f"--datadir={unfinished}",
            "--auth-root-authentication-method=socket",
            f"--auth-root-socket-user={getpass.getuser()}",
            "--skip-test-db",
            "--skip-name-resolve",
        ]
        # a folder of its own: two that are made at once would meet in the system's
        (self.folder / "tmp").mkdir(parents=True, exist_ok=True)
        own = [*_APART, f"TMPDIR={self.folder / 'tmp'}", *command]
        done = subprocess.run(own, capture_output=True, text=True, check=False)
        if done.returncode != 0:
            raise Unavailable("The database's folder could not be made.", remedy=done.stderr.strip()[-500:])
        unfinished.rename(self.data)

    def _command(self, address: Address) -> list[str]:
        return [
            *_APART,
            program("mariadbd"),
            "--no-defaults",
            f"--user={getpass.getuser()}",
            f"--datadir={self.data}",
            f"--tmpdir={self.folder / 'tmp'}",
            # from the data folder, where it works: a path of a socket may have some hundred letters alone
            "--socket=../run/db.sock",
            f"--init-file={self._init_file(address)}",
            "--bind-address=127.0.0.1",
            f"--port={address.port}",
            "--skip-name-resolve",
            "--skip-log-bin",
            "--character-set-server=utf8mb4",
            f"--collation-server={COLLATION}",
            f"--innodb-buffer-pool-size={self.memory_mib}M",
            "--innodb-log-file-size=512M",
            "--innodb-flush-log-at-trx-commit=1",
            "--local-infile=1",
            "--innodb-log-buffer-size=64M",
            "--max-allowed-packet=64M",
            "--tmp-table-size=256M",
            "--max-heap-table-size=256M",
        ]

    def _init_file(self, address: Address) -> Path:
        # whoever we run as may copy it through its socket, though another made it
        owner, user = f"'{getpass.getuser()}'@'localhost'", f"'{USER}'@'127.0.0.1'"
        lines = [
            f"CREATE DATABASE IF NOT EXISTS {SCHEMA};",
            f"CREATE USER IF NOT EXISTS {user};",
            f"ALTER USER {user} IDENTIFIED BY '{address.password}';",
            f"GRANT ALL ON {SCHEMA}.* TO {user};",
            f"CREATE USER IF NOT EXISTS {owner} IDENTIFIED VIA unix_socket;",
            f"GRANT RELOAD, PROCESS, LOCK TABLES, BINLOG MONITOR, REPLICA MONITOR ON *.* TO {owner};",
        ]
        return write_private(self._run / "init.sql", "\n".join(lines) + "\n")

    def _password(self) -> str:
        known = self._read("password")
        if known is None:
            known = secrets.token_hex(24)
            write_private(self._run / "password", known)
        return known

    def _wait_until_answering(self, pid: int, address: Address) -> None:
        """Wait as long as the process gets on, as it does for minutes when it recovers from having been killed."""
        began = moved = time.monotonic()
        before = _progress_of(pid)
        while not _answers(address):
            now, progress = time.monotonic(), _progress_of(pid)
            if progress != before:
                before, moved = progress, now
            ended = not is_alive(pid)
            if ended or now - moved > _IDLE_LIMIT_SECONDS or now - began > _START_LIMIT_SECONDS:
                tail = self._log.read_text(encoding="utf-8", errors="replace")[-600:]
                raise Unavailable("The database did not start.", remedy=f"The end of {self._log} says: {tail}")
            time.sleep(POLL_SECONDS)

    def _read(self, name: str) -> str | None:
        file = self._run / name
        return file.read_text(encoding="ascii").strip() if file.exists() else None


def _progress_of(pid: int) -> tuple[float, ...]:
    """What grows while a process works: its processor time, and the bytes that it read and wrote."""
    try:
        process = psutil.Process(pid)
        used, moved = process.cpu_times(), process.io_counters()
        return round(used.user + used.system, 1), moved.read_bytes, moved.write_bytes
    except psutil.Error:
        return ()


def _answers(address: Address) -> bool:
    try:
        connection = address.connect()
    except pymysql.err.MySQLError:
        return False
    connection.close()
    return True


def _is_free(port: int) -> bool:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            return False
        return port > 0


def free_port() -> int:
    """A port on loopback that nothing listens on."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port: int = probe.getsockname()[1]
        return port


def program(name: str) -> str:
    """The path of a program of MariaDB. Raises `Unavailable` where it is not on this machine."""
    path = shutil.which(name, path=os.defpath + ":/usr/sbin:/usr/local/sbin")
    if path is None:
        raise Unavailable(
            f"The program {name} is not on this machine.",
            remedy="Install Debian's mariadb-server-core, mariadb-client and mariadb-backup.",
        )
    return path
