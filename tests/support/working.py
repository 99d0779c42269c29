"""A list of the small history that is worked through the API."""

from __future__ import annotations

from typing import Any

from tests.support.threads import ThreadsCase

JUNE = "2025-06-30"


class WorkingCase(ThreadsCase):
    def setUp(self) -> None:
        """A fresh list of everybody who had lapsed by the end of June 2025, under a name of its own."""
        self.name = self.id().rsplit(".", 1)[-1][:100]
        self.list = self.made(self.name)

    def made(self, name: str, hold_back: float = 0.0, who: str | list[str] = "lapsed") -> Any:
        path = self.path("follow-up/list", as_of=JUNE, contactable="all", who=who)
        reply = self.changed("POST", path, json={"name": name, "hold_back": hold_back})
        self.assertEqual(reply.status_code, 201, reply.text)
        return reply.json

    def worked(self, **query: Any) -> Any:
        return self.ask("worked", **{"list": self.name, **query})

    def member(self, key: str) -> Any:
        return next(each for each in self.worked()["rows"] if each["row"]["thread"]["key"] == key)

    def at_member(self, key: str) -> str:
        customer = self.member(key)["row"]["thread"]["customer"]
        return f"{self.at}/lists/{self.list['id']}/members/{customer}"

    def work(self, key: str, **done: Any) -> Any:
        reply = self.changed("PUT", self.at_member(key), json=done)
        self.assertEqual(reply.status_code, 200, reply.text)
        return reply.json

    def keys(self, *_: Any, **query: Any) -> list[str]:
        return [each["row"]["thread"]["key"] for each in self.worked(**query)["rows"]]

    def groups(self, **query: Any) -> dict[str, Any]:
        return {each["members"]: each["outcome"] for each in self.worked(**query)["groups"]}

    def undo(self, **body: Any) -> Any:
        return self.changed("POST", f"{self.at}/lists/{self.list['id']}/undo", json=body)
