"""The tree of the project's errors; this module imports nothing of ours.

::

    GoldThreadError                 everything below; ``title``, ``detail``, ``remedy``, HTTP ``status``
    ├── InvalidInput        (422)   a value from outside breaks a rule; ``field`` names it
    │   ├── UnreadableFile  (422)   a delivered file cannot be read at all; ``row`` where known
    │   └── ConditionInvalid (422)  a condition text makes no sense from the character ``at`` on
    ├── SignInNeeded        (401)   nobody has signed in, or no longer
    │   └── SignInRefused   (401)   name, password or code do not fit; never says which
    ├── NotAllowed          (403)   whoever asks has no right to it
    ├── TooManyTries        (429)   sign-ins that were refused, too many in a row; ``seconds`` to wait
    ├── NotFound            (404)   a book, source, delivery or upload that is not there
    ├── Conflict            (409)   the request contradicts what the book holds
    ├── Stopped             (409)   work that somebody stopped; nothing was changed
    ├── TooLarge            (413)   a file or table beyond a limit that the settings fix
    ├── Unavailable         (503)   the database or a program we need does not answer
    │   ├── Busy            (503)   somebody else is in the way: begun again, it may well succeed
    │   └── Outdated        (503)   the book changed while it was read: it is read again as it is now
    ├── DiskFull            (507)   there is no room for what was to be written
    └── BookInvalid         (500)   columns that do not form an order book: a fault of ours
"""

from __future__ import annotations


class GoldThreadError(Exception):
    """Something went wrong and can be reported: what, where, and what to do about it."""

    title = "Something went wrong"
    status = 500

    def __init__(self, detail: str, *, remedy: str = "", field: str = "", row: int | None = None) -> None:
        super().__init__(detail)
        self.detail = detail
        self.remedy = remedy
        self.field = field
        self.row = row

    def __str__(self) -> str:
        return f"{self.detail} {self.remedy}".strip()


class InvalidInput(GoldThreadError):
    title = "That value cannot be used"
    status = 422


class UnreadableFile(InvalidInput):
    title = "That file cannot be read"


class ConditionInvalid(InvalidInput):
    title = "That condition cannot be used"

    def __init__(self, detail: str, *, remedy: str, at: int) -> None:
        super().__init__(detail, remedy=remedy, field="where")
        self.at = at


class SignInNeeded(GoldThreadError):
    title = "Sign in first"
    status = 401


class SignInRefused(SignInNeeded):
    title = "That does not fit"


class PassphraseNeeded(SignInNeeded):
    title = "Passphrase"


class NotAllowed(GoldThreadError):
    title = "You may not do this"
    status = 403


class TooManyTries(GoldThreadError):
    title = "Too many tries"
    status = 429

    def __init__(self, detail: str, *, remedy: str, seconds: int) -> None:
        super().__init__(detail, remedy=remedy)
        self.seconds = seconds


class NotFound(GoldThreadError):
    title = "Not found"
    status = 404


class Conflict(GoldThreadError):
    title = "That contradicts what the book holds"
    status = 409


class Stopped(GoldThreadError):
    title = "Stopped"
    status = 409


class TooLarge(GoldThreadError):
    title = "Too large"
    status = 413


class Unavailable(GoldThreadError):
    title = "Not available"
    status = 503


class Busy(Unavailable):
    title = "Busy"


class Outdated(Unavailable):
    title = "The book changed meanwhile"


class DiskFull(GoldThreadError):
    title = "The disk is full"
    status = 507


class BookInvalid(GoldThreadError):
    title = "These columns do not form an order book"
