"""A MariaDB that a company looks after: reached by TLS alone, and set up otherwise than ours in all that we rely on."""

from __future__ import annotations

import getpass
import json
import os
import shutil
import subprocess
import tempfile
import time
import uuid
from dataclasses import asdict, dataclass
from pathlib import Path

from goldthread.processes import POLL_SECONDS
from goldthread.store.server.instance import free_port

PASSWORD = "open & sesame"
LIMIT_SECONDS = 60
_TOLD = "TESTS_DATABASE"
_OTHERWISE = (
    "--local-infile=0",
    "--sql-mode=ANSI_QUOTES,PIPES_AS_CONCAT,ONLY_FULL_GROUP_BY",
    "--default-time-zone=+05:30",
    "--character-set-server=latin1",
    "--transaction-isolation=SERIALIZABLE",
    "--default-storage-engine=Aria",
    "--max-allowed-packet=16M",
)


@dataclass(frozen=True)
class Named:
    """What the settings say of a database that is not ours to start."""

    url: str
    password: str
    ca_file: str

    @property
    def settings(self) -> dict[str, str]:
        return {"database_url": self.url, "database_password": self.password, "database_ca_file": self.ca_file}

    @property
    def environment(self) -> dict[str, str]:
        """What tells a run of tests to use it."""
        return {_TOLD: json.dumps(asdict(self))}


class CompanyMariaDB:
    """A running server with a certificate of an authority of its own; `database` makes an empty database on it."""

    def __init__(self) -> None:
        self.folder = Path(tempfile.mkdtemp(prefix="gt-mariadb-"))
        self.port = free_port()
        certify(self.folder)
        self._run(
            "mariadb-install-db",
            "--no-defaults",
            f"--datadir={self.folder / 'data'}",
            "--auth-root-authentication-method=normal",
            "--skip-test-db",
            "--skip-name-resolve",
        )
        self.start()

    def start(self) -> None:
        """Bring it up, and wait until it answers."""
        with (self.folder / "log").open("ab") as log:
            self._process = subprocess.Popen(
                [
                    "/usr/sbin/mariadbd",
                    "--no-defaults",
                    f"--user={getpass.getuser()}",
                    f"--datadir={self.folder / 'data'}",
                    f"--socket={self._socket}",
                    "--bind-address=127.0.0.1",
                    f"--port={self.port}",
                    f"--ssl-ca={self.folder / 'ca.pem'}",
                    f"--ssl-cert={self.folder / 'server.pem'}",
                    f"--ssl-key={self.folder / 'server.key'}",
                    "--require-secure-transport=1",
                    *_OTHERWISE,
                ],
                stdout=log,
                stderr=log,
            )
        deadline = time.monotonic() + LIMIT_SECONDS
        while self._asked("SELECT 1").returncode:
            if self._process.poll() is not None or time.monotonic() > deadline:
                raise RuntimeError((self.folder / "log").read_text(encoding="utf-8"))
            time.sleep(POLL_SECONDS)

    def database(self, rights: str = "ALL") -> Named:
        """An empty database, and a user with some rights in it."""
        name = f"gt_{uuid.uuid4().hex[:10]}"
        self.say(f"CREATE DATABASE {name}")
        self.say(f"CREATE USER '{name}'@'%' IDENTIFIED BY '{PASSWORD}' REQUIRE SSL")
        self.say(f"GRANT {rights} ON {name}.* TO '{name}'@'%'")
        url = f"mysql+pymysql://{name}@localhost:{self.port}/{name}"
        return Named(url, PASSWORD, str(self.folder / "ca.pem"))

    def say(self, statement: str) -> str:
        """What a statement of its administrator gives."""
        done = self._asked(statement)
        if done.returncode:
            raise RuntimeError(done.stderr)
        return done.stdout

    def stop(self) -> None:
        """End it, as when its machine is started anew."""
        self._process.terminate()
        self._process.wait()

    def close(self) -> None:
        self.stop()
        shutil.rmtree(self.folder)

    @property
    def _socket(self) -> Path:
        return self.folder / "socket"

    def _asked(self, statement: str) -> subprocess.CompletedProcess[str]:
        command = ["mariadb", "--no-defaults", "--user=root", f"--socket={self._socket}", "-N", "-e", statement]
        return subprocess.run(command, capture_output=True, text=True, check=False)

    def _run(self, *command: str) -> None:
        done = subprocess.run(command, cwd=self.folder, capture_output=True, text=True, check=False)
        if done.returncode:
            raise RuntimeError(done.stderr)


def certify(folder: Path) -> None:
    """An authority (``ca.pem``) and a certificate of it for localhost (``server.pem``, ``server.key``)."""
    (folder / "names").write_text("subjectAltName=DNS:localhost,IP:127.0.0.1", encoding="ascii")
    for command in (
        "req -x509 -newkey rsa:2048 -nodes -days 2 -keyout ca.key -out ca.pem -subj /CN=authority",
        "req -newkey rsa:2048 -nodes -keyout server.key -out server.csr -subj /CN=localhost",
        "x509 -req -in server.csr -CA ca.pem -CAkey ca.key -CAcreateserial -days 2 -out server.pem -extfile names",
    ):
        done = subprocess.run(
            ["/usr/bin/openssl", *command.split()], cwd=folder, capture_output=True, text=True, check=False
        )
        if done.returncode:
            raise RuntimeError(done.stderr)


def named_for_tests() -> Named | None:
    """The database that a whole run of tests is to use, where whoever began it says so (`Named.environment`)."""
    told = os.environ.get(_TOLD)
    return Named(**json.loads(told)) if told else None
