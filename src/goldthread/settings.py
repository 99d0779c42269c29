"""The only reader of the environment and of the settings file.

Every setting has a default that suits one machine and one person. A file ``settings.toml`` in the folder of
running data may change them, and an environment variable ``GOLDTHREAD_<NAME>`` changes them again.
"""

from __future__ import annotations

import json
import os
import tomllib
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass, field, fields
from pathlib import Path
from typing import Any

from goldthread.errors import InvalidInput

PREFIX = "GOLDTHREAD_"
SMTP_SECURITIES = ("starttls", "tls", "none")
MAILS_PER_MINUTE_MOST = 6_000
_PRIVATE = 0o700


def _home() -> Path:
    """The folder that Gold Thread was set up in, from wherever a command is called; else the current one."""
    home = Path(__file__).absolute().parents[2]
    return home if (home / "pyproject.toml").exists() else Path.cwd()


@dataclass(frozen=True)
class Settings:
    """What a running Gold Thread needs to know of its machine.

    Attributes
    ----------
    var : folder of running data: database, snapshots, uploads, logs, secrets
    web : folder of the built front end
    host, port : where the server listens; loopback unless set otherwise
    upload_limit_mib : largest file that the page takes, in MiB
    uploads_limit_mib : most that all files which wait to be imported may take together, in MiB
    unpacked_limit_mib : most that a packed file or a workbook may unpack to, in MiB
    database_memory_mib : the private database's page cache, in MiB
    smtp_host, smtp_port, smtp_security : the mail server, and how it is spoken to: starttls, tls, or none
    smtp_user, smtp_password : what it knows us by; nothing is sent of them where the user is empty
    smtp_from : from whom messages are, as Name <address>
    mails_per_minute : how many messages are sent in a minute at most
    databases : addresses of databases that orders can be taken from, by the name that people know each by
    """

    var: Path = Path("var")
    web: Path = Path("web/dist")
    host: str = "127.0.0.1"
    port: int = 8321
    upload_limit_mib: int = 512
    uploads_limit_mib: int = 4096
    unpacked_limit_mib: int = 8192
    database_memory_mib: int = 1024
    kept_memory_mib: int = 4096
    smtp_host: str = ""
    smtp_port: int = 587
    smtp_security: str = "starttls"
    smtp_user: str = ""
    smtp_password: str = field(default="", repr=False)
    smtp_from: str = ""
    mails_per_minute: int = 30
    databases: Mapping[str, str] = field(default_factory=dict, repr=False)

    @property
    def snapshots(self) -> Path:
        return self.var / "snapshots"

    @property
    def uploads(self) -> Path:
        return self.var / "uploads"

    @property
    def database(self) -> Path:
        return self.var / "database"

    @property
    def scratch(self) -> Path:
        """Where temporary files are: never in the system's own folder, which outlives a killed process."""
        return self.var / "tmp"


def load_settings() -> Settings:
    """Defaults, then ``settings.toml``, then the environment. Raises `InvalidInput` for a value of the wrong kind."""
    known = {each.name: each for each in fields(Settings)}
    home = _home()
    var = Path(os.environ.get(PREFIX + "VAR", home / Settings.var)).absolute()
    chosen: dict[str, Any] = {"web": home / Settings.web}
    file = var / "settings.toml"
    if file.exists():
        chosen |= tomllib.loads(file.read_text(encoding="utf-8"))
    chosen |= {name: os.environ[PREFIX + name.upper()] for name in known if PREFIX + name.upper() in os.environ}
    unknown = sorted(set(chosen) - set(known))
    if unknown:
        raise InvalidInput(
            f"{file} sets {', '.join(unknown)}, which is no setting.",
            remedy=f"Settings are: {', '.join(known)}.",
        )
    settings = Settings(**{name: _typed(name, value) for name, value in chosen.items()} | {"var": var})
    if settings.smtp_security not in SMTP_SECURITIES:
        raise InvalidInput(
            f"The setting smtp_security is {settings.smtp_security!r}.", remedy=f"Give {', '.join(SMTP_SECURITIES)}."
        )
    if not 1 <= settings.mails_per_minute <= MAILS_PER_MINUTE_MOST:
        raise InvalidInput(
            f"The setting mails_per_minute is {settings.mails_per_minute}.",
            remedy=f"Give 1 to {MAILS_PER_MINUTE_MOST}.",
        )
    return settings


def private_folder(folder: Path) -> Path:
    """A folder that its owner alone can enter, made where it is missing."""
    folder.mkdir(mode=_PRIVATE, parents=True, exist_ok=True)
    folder.chmod(_PRIVATE)
    return folder


def _addresses(value: Any) -> dict[str, str]:
    """Addresses by name: a table of the settings file, a JSON object in the environment."""
    with suppress(ValueError, TypeError):
        given = json.loads(value) if isinstance(value, str) else value
        if isinstance(given, dict) and all(isinstance(each, str) for pair in given.items() for each in pair):
            return given
    raise InvalidInput("The setting databases is not a table.", remedy='Write [databases] and lines of name = "URL".')


def _typed(name: str, value: Any) -> Any:
    if name == "databases":
        return _addresses(value)
    kind = type(getattr(Settings, name))
    try:
        return Path(value).absolute() if issubclass(kind, Path) else kind(value)
    except (TypeError, ValueError):
        raise InvalidInput(f"The setting {name} is {value!r}.", remedy="It must be a whole number.") from None
