"""Where a book hides its customers, whoever only reads it meets numbers: in lists, search, figures, files."""

from __future__ import annotations

import io
import unittest
from typing import ClassVar
from urllib.parse import urlencode

import pyarrow.parquet as pq
from flask.testing import FlaskClient

from goldthread.api.app import describe_api
from goldthread.store.read.numbered import _is_of_people
from tests.support.asking import NEEDED
from tests.support.people import PeopleCase


class HiddenPeople(PeopleCase):
    reader: ClassVar[FlaskClient]
    secret: ClassVar[list[str]]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        about = cls.workspace.orders(cls.book.id).orders.customers
        texts = [about.texts[name] for name in ("name", "email")]
        numbers = {about.texts["number"].at(row) for row in range(about.texts["number"].count)}
        known = {each.at(row) for each in texts for row in range(each.count)}
        cls.secret = sorted(each for each in known - numbers if each)
        owner = cls.client(cls(), "owner")
        csrf = owner.get("/api/session").get_json()["csrf_token"]
        told = owner.put(f"{cls.at}/settings", json={"hides_people": True}, headers={"X-CSRFToken": csrf})
        assert told.status_code == 200, told.text
        cls.reader = cls.client(cls(), "reader")

    def _told(self, text: str) -> list[str]:
        return [each for each in self.secret if each in text]

    def test_there_is_something_to_hide(self) -> None:
        self.assertGreater(len(self.secret), 5)
        text = self.client("analyst").get(f"{self.at}/ask/customers?limit=200").text
        self.assertGreater(len(self._told(text)), 5)

    def test_no_route_that_a_reader_may_ask_names_anybody(self) -> None:
        asked = 0
        for path, methods in describe_api()["paths"].items():
            if "get" not in methods or path.endswith("/changes"):
                continue
            where = path.replace("{book}", str(self.book.id))
            for name in ("customer", "order", "delivery", "upload", "job", "saved", "list", "number"):
                where = where.replace(f"{{{name}}}", "1")
            named = {each["name"]: each for each in methods["get"].get("parameters", []) if each["in"] == "query"}
            needed = {name: NEEDED.get(name, ("1",))[0] for name, each in named.items() if each.get("required")}
            for accept in ("application/json", "text/csv"):
                reply = self.reader.get(f"{where}?{urlencode(needed)}", headers={"Accept": accept})
                text = reply.get_data(as_text=False).decode("utf-8", "replace")
                reply.close()
                asked += reply.status_code == 200
                with self.subTest(path=path, accept=accept):
                    self.assertEqual(self._told(text), [])
        self.assertGreater(asked, 50)

    def test_a_customer_is_found_by_number_and_shown_by_it(self) -> None:
        analyst = self.client("analyst")
        found = analyst.get(f"{self.at}/find?text={self.secret[-1].split()[0]}").get_json()["found"]
        self.assertTrue(found)
        self.assertEqual(self.reader.get(f"{self.at}/find?text={self.secret[-1].split()[0]}").get_json()["found"], [])
        key = found[0]["key"]
        theirs = self.reader.get(f"{self.at}/find?text={key}").get_json()["found"]
        self.assertEqual([(each["name"], each["email"]) for each in theirs][:1], [(key, "")])
        page = self.reader.get(f"{self.at}/ask/thread?customer={theirs[0]['customer']}")
        self.assertEqual(page.get_json()["name"], key)
        self.assertEqual(self._told(page.text), [])

    def test_conditions_ask_for_nobody_by_name(self) -> None:
        named = next(each for each in self.secret if "@" not in each and "'" not in each)
        where = urlencode({"where": f"name = '{named}'"})
        counts = [
            client.get(f"{self.at}/ask/customers?{where}").get_json()
            for client in (self.client("analyst"), self.reader)
        ]
        self.assertEqual([each["count"] for each in counts], [1, 0])

    def test_files_hold_numbers_and_no_kept_answer_is_shared(self) -> None:
        path = f"{self.at}/ask/customers/file?form=parquet"
        names = []
        for client in (self.client("owner"), self.reader, self.client("owner")):
            reply = client.get(path)
            names.append(set(pq.read_table(io.BytesIO(reply.data)).column("name").to_pylist()))
            reply.close()
        self.assertEqual(names[0], names[2])
        self.assertTrue(set(self.secret) & names[0])
        self.assertFalse(set(self.secret) & names[1])
        shown = [client.get(f"{self.at}/ask/summary") for client in (self.client("owner"), self.reader)]
        self.assertNotEqual(shown[0].headers["ETag"], shown[1].headers["ETag"])

    def test_attributes_that_name_people_are_known_by_their_names(self) -> None:
        for name in ("phone", "contact_person", "Street", "e-mail", "VAT", "first name", "postcode"):
            self.assertTrue(_is_of_people(name), name)
        for name in ("region", "channel", "colour", "town", "kiln", "taxonomy"):
            self.assertFalse(_is_of_people(name), name)


if __name__ == "__main__":
    unittest.main()
