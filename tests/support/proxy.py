"""nginx from Debian's packages, with TLS, in front of a server: with the very file that administrators are given."""

from __future__ import annotations

import getpass
import shutil
import socket
import subprocess
import tempfile
import time
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path

from goldthread.processes import POLL_SECONDS
from tests.support.mariadb import certify
from tests.support.running import ROOT

LIMIT_SECONDS = 30
SITE = ROOT / "deploy" / "goldthread.nginx"
_MAIN = """
daemon off; pid {folder}/pid; error_log {folder}/log; worker_processes 1; {user}
events {{ worker_connections 512; }}
http {{
  access_log off;
  client_body_temp_path {folder}/body; proxy_temp_path {folder}/proxy;
  fastcgi_temp_path {folder}/a; uwsgi_temp_path {folder}/b; scgi_temp_path {folder}/c;
  include {folder}/site;
}}
"""


@contextmanager
def nginx(port: int, behind: int, changes: Mapping[str, str] | None = None) -> Iterator[None]:
    """A proxy on a port of localhost before a server on another; ``changes`` of its file, each of what must stand
    there."""
    folder = Path(tempfile.mkdtemp(prefix="gt-nginx-"))
    certify(folder)
    site = SITE.read_text(encoding="utf-8")
    own = {
        "listen 443 ssl": f"listen 127.0.0.1:{port} ssl",
        "  listen [::]:443 ssl;\n": "",
        "server_name orders.example": "server_name localhost",
        "/etc/ssl/orders.example.pem": str(folder / "server.pem"),
        "/etc/ssl/private/orders.example.key": str(folder / "server.key"),
        "http://127.0.0.1:8321": f"http://127.0.0.1:{behind}",
    }
    for said, instead in {**own, **(changes or {})}.items():
        if said not in site:
            raise AssertionError(f"{said!r} is not in {SITE.name}")
        site = site.replace(said, instead)
    (folder / "site").write_text(site, encoding="utf-8")
    user = "user root;" if getpass.getuser() == "root" else ""
    (folder / "nginx.conf").write_text(_MAIN.format(folder=folder, user=user), encoding="utf-8")
    command = ["/usr/sbin/nginx", "-e", str(folder / "log"), "-c", str(folder / "nginx.conf"), "-p", str(folder)]
    process = subprocess.Popen(command)
    try:
        deadline = time.monotonic() + LIMIT_SECONDS
        while not _answers(port):
            if process.poll() is not None or time.monotonic() > deadline:
                raise RuntimeError((folder / "log").read_text(encoding="utf-8"))
            time.sleep(POLL_SECONDS)
        yield
    finally:
        process.terminate()
        process.wait()
        shutil.rmtree(folder)


def _answers(port: int) -> bool:
    with socket.socket() as probe:
        return probe.connect_ex(("127.0.0.1", port)) == 0
