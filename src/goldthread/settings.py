"""The only reader of the environment and of the settings file.

Every setting has a default that suits one machine and one person, and bounds. A file ``settings.toml`` in the folder of
running data may change them, then a file of its own in a folder of secrets, and an environment variable
``GOLDTHREAD_<NAME>`` changes them again.
"""

from __future__ import annotations

import os
import secrets
import tomllib
from collections.abc import Callable, Mapping
from ipaddress import ip_address
from pathlib import Path
from typing import Annotated, Any, Literal
from urllib.parse import urlsplit

import psutil
from pydantic import AfterValidator, BaseModel, ConfigDict, Field, ValidationError
from pydantic_settings import (
    BaseSettings,
    PydanticBaseSettingsSource,
    SettingsConfigDict,
    SettingsError,
    TomlConfigSettingsSource,
)

from goldthread.errors import InvalidInput

PREFIX = "GOLDTHREAD_"
_PRIVATE = 0o700
_COUNTING = "PROMETHEUS_MULTIPROC_DIR"
_MEMORY_SHARE = 4
_SECRET = ("database_url", "database_password", "backup_passphrase", "smtp_password", "databases", "oidc_client_secret")
"""Settings whose value no message may show."""


_PACKAGE = Path(__file__).absolute().parent
_CHECKOUT = _PACKAGE.parents[1]


def _usual_var() -> Path:
    """Beside the program where it was set up in a folder of its own, else where programs of this user keep theirs."""
    if (_CHECKOUT / "pyproject.toml").exists():
        return _CHECKOUT / "var"
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share") / "goldthread"


def _usual_web() -> Path:
    """The page that came with the package, else the one that was built beside it."""
    packaged = _PACKAGE / "page"
    return packaged if packaged.exists() else _CHECKOUT / "web" / "dist"


def _memory_mib() -> int:
    """A share of the machine's memory."""
    return int(psutil.virtual_memory().total // _MEMORY_SHARE) >> 20


def _disk_mib(share: int, least: int) -> Callable[[dict[str, Any]], int]:
    """A share of the disk that ``var`` is on, and so much at least."""

    def of(known: dict[str, Any]) -> int:
        folder = known["var"]
        there = next(each for each in (folder, *folder.parents) if each.exists())
        return max(int(psutil.disk_usage(str(there)).total // share) >> 20, least)

    return of


FILE, INSTALLATION, SESSION_SECRET = "settings.toml", "installation", "session-secret"
FIRST_ACCOUNT, ERASING_KEY = "first-account", "erasing-key"
"""Files under the folder of running data that make an installation what it is."""
Folder = Annotated[Path, AfterValidator(Path.absolute)]
Site = Annotated[str, Field(pattern=r"^https?://[A-Za-z0-9.-]+(:[0-9]{1,5})?$")]
Port = Annotated[int, Field(ge=0, le=65_535)]
Mib = Annotated[int, Field(ge=1, le=1 << 24)]


class Settings(BaseModel):
    """What a running Gold Thread needs to know of its machine."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    var: Folder = Field(
        default_factory=_usual_var,
        description="Folder of running data: database, snapshots, uploads, logs, secrets.",
    )
    web: Folder = Field(default_factory=_usual_web, description="Folder of the built page.")
    host: str = Field("127.0.0.1", min_length=1, description="Where the server listens; loopback unless set otherwise.")
    port: Port = Field(8321, description="The port that it listens on; 0 for any that is free.")
    public_url: str = Field(
        "",
        pattern=r"^(https?://[^/\s?#@]+(/[A-Za-z0-9._~-]+)*)?/?$",
        description="The address that people reach it under where a proxy stands in front of it, such as "
        "https://orders.example, with a path where it has only a part of a site.",
    )
    trusted_proxies: int = Field(
        0,
        ge=0,
        le=8,
        description="How many proxies stand in front of it, each of which says who asked and how (X-Forwarded-For, "
        "X-Forwarded-Proto, X-Forwarded-Host).",
    )
    processes: int = Field(
        default_factory=lambda: max(1, (os.cpu_count() or 1) // 2),
        ge=1,
        le=64,
        description="How many processes answer.",
    )
    process_memory_mib: Mib = Field(
        default_factory=lambda: 2 * _memory_mib(),
        description="A process that answers and has come to more than this, in MiB, is ended, and another takes its "
        "place.",
    )
    workers: int = Field(
        1,
        ge=0,
        le=64,
        description="How many processes do what takes longer than a request: importing, files, checks, mailings. "
        "0: the server does it itself.",
    )
    metrics_address: str = Field(
        "",
        pattern=r"^(.+:[0-9]{1,5})?$",
        description="Where it tells what it counts of itself, for Prometheus, such as 127.0.0.1:9321.",
    )
    log_format: Literal["text", "json"] = Field("text", description="How the log is written.")
    log_requests: bool = Field(False, description="Whether the log has a line for each request.")
    upload_limit_mib: Mib = Field(
        default_factory=_disk_mib(32, 512), description="The largest file that the page takes, in MiB."
    )
    uploads_limit_mib: Mib = Field(
        default_factory=_disk_mib(8, 4096), description="All files together that wait to be imported, in MiB."
    )
    unpacked_limit_mib: Mib = Field(
        default_factory=_disk_mib(8, 8192), description="What a packed file or a workbook may unpack to, in MiB."
    )
    database_url: str = Field(
        "",
        repr=False,
        description="A MariaDB to keep the record in, such as mysql+pymysql://user@host:3306/name; without one a "
        "private database is started.",
    )
    database_password: str = Field("", repr=False, description="The password for it.")
    database_ca_file: str = Field(
        "",
        description="The file of the authority that its certificate must be of: it is then spoken to through TLS.",
    )
    database_memory_mib: Mib = Field(
        default_factory=_memory_mib, ge=16, description="The private database's page cache, in MiB."
    )
    kept_memory_mib: Mib = Field(
        default_factory=_memory_mib,
        ge=32,
        description="What is kept in memory of answers, in MiB; a quarter of the machine's memory unless set. Books of "
        "few orders take less: the bound grows with the columns of the books in use.",
    )
    backup_daily_at: str = Field(
        "",
        pattern=r"^(([01][0-9]|2[0-3]):[0-5][0-9])?$",
        description="When a backup is made every day, by the clock of this machine, such as 03:15.",
    )
    backup_folder: str = Field("", description="Where it goes; better on another disk.")
    backup_keep: int = Field(7, ge=1, le=1_000, description="How many backups stay in that folder; older ones go.")
    backup_passphrase: str = Field("", repr=False, description="What backups are encrypted with, where it is set.")
    log_kept_days: int = Field(
        730, ge=1, le=36_500, description="How many days it is kept who did what; older entries are removed."
    )
    second_factor: Literal["optional", "administrators", "everybody"] = Field(
        "optional", description="Who must sign in with a one-time code as well as a password."
    )
    token_requests_per_minute: int = Field(
        600,
        ge=1,
        le=100_000,
        description="How much may be asked with one token, or by one link for somebody outside, in a minute, of each "
        "process.",
    )
    embedded_in: tuple[Site, ...] = Field(
        (),
        max_length=20,
        description="Sites whose pages may hold a view that is shared by a link in a frame, such as "
        "https://intranet.example.",
    )
    oidc_issuer: str = Field(
        "",
        pattern=r"^(https://[^\s?#]+|http://(127\.0\.0\.1|localhost)(:[0-9]+)?(/[^\s?#]*)?)?$",
        description="The company's own sign-in (OpenID Connect), by its issuer, such as https://login.example.",
    )
    oidc_name: str = Field("the company's sign-in", max_length=60, description="What people call it.")
    oidc_client_id: str = Field("", description="What it knows us by.")
    oidc_client_secret: str = Field("", repr=False, description="The secret that we prove that with, where it has one.")
    oidc_roles_claim: str = Field("", description="The claim that says what somebody is, such as groups.")
    oidc_roles: Mapping[str, str] = Field(
        default_factory=dict,
        max_length=1_000,
        description="What each value of that claim gives: administrator, or a role of a book, such as analyst of "
        "Kiln Yard.",
    )
    compute: str = Field(
        "inline",
        pattern=r"^(inline|processes|tls://[^\s/?#@]+:[0-9]{1,5}|tcp://(127\.0\.0\.1|localhost):[0-9]{1,5})$",
        description="Where large books are worked out: inline, by processes of this machine, or by a cluster, as "
        "tls://scheduler.example:8786.",
    )
    part_orders: int = Field(
        20_000_000,
        ge=1,
        le=10_000_000_000,
        description="A book of more orders is kept in parts, for a cluster to work on.",
    )
    parts_at: str = Field(
        "",
        description="The folder that parts of books lie in, which every worker reaches, or an address of fsspec such "
        "as s3://orders/parts; a folder under var when not given.",
    )
    cluster_keys_at: str = Field(
        "", description="The folder of cluster.key and cluster.crt; a folder under var when not given."
    )
    cluster_seconds: int = Field(120, ge=1, le=86_400, description="How long a cluster may take over one question.")
    smtp_host: str = Field("", description="The mail server; without one nothing is sent.")
    smtp_port: Port = Field(587, ge=1, description="The port of the mail server.")
    smtp_security: Literal["starttls", "tls", "none"] = Field("starttls", description="How it is spoken to.")
    smtp_user: str = Field("", description="What it knows us by; where empty, neither name nor password is sent.")
    smtp_password: str = Field("", repr=False, description="The password for it.")
    smtp_from: str = Field("", description="From whom messages are, as Name <address>.")
    tell_at: tuple[str, ...] = Field(
        (),
        max_length=20,
        description="Addresses that are told when a schedule needs somebody and whoever made it has no address.",
    )
    mails_per_minute: int = Field(30, ge=1, le=6_000, description="How many messages are sent in a minute at most.")
    databases: Mapping[str, str] = Field(
        default_factory=dict,
        repr=False,
        max_length=100,
        description="Addresses of databases that orders can be taken from, by the name that people know each by.",
    )

    import_folders: tuple[Folder, ...] = Field(
        (),
        max_length=100,
        description="Folders out of which files may be imported by themselves, with all folders in them, beside "
        "`inbox` in the folder of running data.",
    )

    def shown(self, name: str) -> str:
        """The value of a setting for people; of a secret only whether it is set."""
        value = getattr(self, name)
        return ("set" if value else "not set") if name in _SECRET else str(value)

    @property
    def root(self) -> str:
        """The path of the public address, that stands before every address of ours; mostly none."""
        return urlsplit(self.public_url).path.rstrip("/")

    @property
    def is_on_loopback(self) -> bool:
        """Whether only this machine reaches the server itself."""
        return _is_loopback(self.host)

    @property
    def is_for_others(self) -> bool:
        """Whether it is to be reached from other machines: then nothing is to be had without an account."""
        public = urlsplit(self.public_url).hostname
        return not self.is_on_loopback or (public is not None and not _is_loopback(public))

    @property
    def first_account_code(self) -> str:
        """What makes the first account by the page: whoever reads files of this machine may."""
        return kept_secret(self.var / FIRST_ACCOUNT)

    @property
    def snapshots(self) -> Path:
        return self.var / "snapshots"

    def files_of(self, book_id: int) -> Path:
        """Where the checked orders of a book whose orders stay in files are kept: with the parts where these are in a
        folder, so that workers reach them."""
        return (self.var if self._parts_are_away else Path(self.parts_folder)) / "files" / str(book_id)

    @property
    def workers_reach_files(self) -> bool:
        """Whether workers can put checked orders where this server finds them."""
        return self.compute == "processes" or (bool(self.parts_at) and not self._parts_are_away)

    @property
    def _parts_are_away(self) -> bool:
        return "://" in self.parts_at

    @property
    def parts_folder(self) -> str:
        """Where parts of books lie."""
        return self.parts_at or str(self.var / "parts")

    @property
    def cluster_keys(self) -> Path:
        """Where the keys of the cluster are, and the address of that of this machine."""
        return Path(self.cluster_keys_at) if self.cluster_keys_at else self.var / "cluster"

    @property
    def made(self) -> Path:
        """Where files are that pieces of work made, until they are taken."""
        return self.var / "made"

    @property
    def uploads(self) -> Path:
        return self.var / "uploads"

    @property
    def installation(self) -> str:
        """What this installation is known by, to browsers and to a database that it has not started itself."""
        return kept_secret(self.var / INSTALLATION)

    @property
    def session_secret(self) -> str:
        """What sessions are signed with."""
        return kept_secret(self.var / SESSION_SECRET)

    @property
    def erasing_key(self) -> str:
        """What people who were erased are known by, as hashes, so that no later file brings them back."""
        return kept_secret(self.var / ERASING_KEY)

    @property
    def backups(self) -> Path:
        """Where backups go that are made without being asked for."""
        return Path(self.backup_folder) if self.backup_folder else self.var / "backups"

    @property
    def database(self) -> Path:
        return self.var / "database"

    @property
    def scratch(self) -> Path:
        """Where temporary files are: never in the system's own folder, which outlives a killed process."""
        return self.var / "tmp"


class _OfThisMachine(Settings, BaseSettings):
    """The same, with what the environment and the settings file of ``var`` say."""

    model_config = SettingsConfigDict(env_prefix=PREFIX)

    @classmethod
    def settings_customise_sources(
        cls,
        settings_cls: type[BaseSettings],
        init_settings: PydanticBaseSettingsSource,
        env_settings: PydanticBaseSettingsSource,
        dotenv_settings: PydanticBaseSettingsSource,  # noqa: ARG003 - there is none
        file_secret_settings: PydanticBaseSettingsSource,
    ) -> tuple[PydanticBaseSettingsSource, ...]:
        return (init_settings, env_settings, file_secret_settings, TomlConfigSettingsSource(settings_cls, _file()))


def _var() -> Path:
    return Path(os.environ.get(PREFIX + "VAR") or _usual_var()).absolute()


def _file() -> Path:
    return _var() / FILE


def count_into(folder: Path) -> None:
    """Have this process and its children count into files of a folder. Before anything that counts is loaded."""
    os.environ[_COUNTING] = str(private_folder(folder))


def counting_folder() -> Path | None:
    """Where this process counts to; None where it counts for itself alone."""
    named = os.environ.get(_COUNTING)
    return Path(named) if named else None


def _secrets() -> Path | None:
    """A folder of files named goldthread_<name>, each with the value of a setting: ours, or what systemd gives a
    service."""
    named = os.environ.get(PREFIX + "SECRETS") or os.environ.get("CREDENTIALS_DIRECTORY")
    return Path(named) if named else None


def load_settings() -> Settings:
    """Defaults, then ``settings.toml``, then the environment. Raises `InvalidInput` for what is no setting or cannot be
    one's value."""
    try:
        return _OfThisMachine(var=_var(), _secrets_dir=_secrets())
    except tomllib.TOMLDecodeError as error:
        raise InvalidInput(f"{_file()} is no TOML file: {error}.", remedy="Write lines such as port = 8321.") from None
    except SettingsError:
        raise _not_a_table() from None
    except ValidationError as error:
        raise _in_our_words(error) from None


def _in_our_words(error: ValidationError) -> InvalidInput:
    """The first thing that is wrong."""
    first = error.errors(include_url=False)[0]
    name = str(first["loc"][0])
    if name not in Settings.model_fields:
        known = ", ".join(Settings.model_fields)
        return InvalidInput(f"{_file()} sets {name}, which is no setting.", remedy=f"Settings are: {known}.")
    if name in ("databases", "oidc_roles"):
        return _not_a_table(name)
    given = "" if name in _SECRET else f" is {str(first['input'])[:80]!r}, and"
    said = Settings.model_fields[name].description
    return InvalidInput(f"The setting {name}{given} cannot be used: {first['msg']}.", remedy=f"It says: {said}")


def _not_a_table(name: str = "databases") -> InvalidInput:
    return InvalidInput(f"The setting {name} is not a table.", remedy=f'Write [{name}] and lines of name = "…".')


def _is_loopback(host: str) -> bool:
    try:
        return ip_address(host).is_loopback
    except ValueError:
        return host == "localhost"


def private_folder(folder: Path) -> Path:
    """A folder that its owner alone can enter, made where it is missing."""
    folder.mkdir(mode=_PRIVATE, parents=True, exist_ok=True)
    folder.chmod(_PRIVATE)
    return folder


def kept_secret(file: Path) -> str:
    """A random text that an installation makes once, readable by its owner alone; never seen half written."""
    private_folder(file.parent)
    if not file.exists():
        unfinished = _unfinished(file, secrets.token_hex(32))
        try:
            # whoever comes first makes it; a link never takes the place of a file
            file.hardlink_to(unfinished)
        except FileExistsError:
            pass
        finally:
            unfinished.unlink()
    return file.read_text(encoding="ascii")


def renew_secret(file: Path, secret: str) -> None:
    """Put another secret in the place of one, whole."""
    _unfinished(file, secret).replace(file)


def _unfinished(file: Path, secret: str) -> Path:
    written = file.with_name(f"{file.name}.{secrets.token_hex(8)}.new")
    written.touch(mode=0o600)
    written.write_text(secret, encoding="ascii")
    return written
