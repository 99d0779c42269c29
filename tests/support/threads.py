"""The small history's threads asked through the API."""

from __future__ import annotations

import csv
import io
from typing import Any
from urllib.parse import urlencode

from tests.support import tiny
from tests.support.api import ApiCase
from tests.support.sharing import deliver

AS_OF = "2025-08-31"


class ThreadsCase(ApiCase):
    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        deliver(cls.workspace, cls.book, tiny.FOLDER / "payments.csv", "office")

    def path(self, of: str, **query: Any) -> str:
        return f"{self.at}/ask/{of}?{urlencode({'as_of': AS_OF} | query, doseq=True)}"

    def ask(self, of: str, **query: Any) -> Any:
        return self.get(self.path(of, **query))

    def find(self, **query: Any) -> Any:
        return self.get(f"{self.at}/find?{urlencode({'as_of': AS_OF} | query)}")

    def listed(self, of: str = "customers", **query: Any) -> list[list[Any]]:
        """Key and cells of every row."""
        return [[row["thread"]["key"], *row["cells"]] for row in self.ask(of, **query)["rows"]]

    def keys(self, where: str, **query: Any) -> list[str]:
        return sorted(row[0] for row in self.listed(where=where, by="name", **query))

    def customer(self, number: str, **query: Any) -> Any:
        found = next(row for row in self.ask("customers")["rows"] if row["thread"]["key"] == number)
        return self.ask("thread", customer=found["thread"]["customer"], **query)

    def taken(self, of: str, form: str, **query: Any) -> bytes:
        reply = self.client.get(
            f"{self.at}/ask/{of}/file?{urlencode({'as_of': AS_OF, 'form': form} | query, doseq=True)}"
        )
        self.assertEqual(reply.status_code, 200)
        content: bytes = reply.data
        reply.close()
        return content

    def table(self, of: str, **query: Any) -> list[dict[str, str]]:
        return list(csv.DictReader(io.StringIO(self.taken(of, "csv", **query).decode(), newline="")))
