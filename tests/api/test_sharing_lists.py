"""Lists and views are their author's until they are shared; callers see their part of a list; all of it is put down."""

from __future__ import annotations

import unittest
from typing import Any

import pyarrow as pa
from flask.testing import FlaskClient

from goldthread.actor import Role
from tests.support.people import PeopleCase


class MineAndShared(PeopleCase):
    def _kept(self, client: FlaskClient, name: str, query: str = "") -> dict[str, Any]:
        path = f"{self.at}/ask/customers/list{query}"
        kept: dict[str, Any] = self.changed(client, "POST", path, 201, json={"name": name})
        return kept

    def _names(self, client: FlaskClient) -> list[str]:
        return sorted(each["name"] for each in client.get(f"{self.at}/lists").get_json()["lists"])

    def _divide(self, client: FlaskClient, list_id: int, status: int, *parts: tuple[str, str, str]) -> Any:
        body = {"parts": [{"user": user, "kind": kind, "value": value} for user, kind, value in parts]}
        return self.changed(client, "PUT", f"{self.at}/lists/{list_id}/parts", status, json=body)

    def test_a_list_is_its_authors_until_it_is_shared(self) -> None:
        analyst, reader, owner = (self.client(name) for name in ("analyst", "reader", "owner"))
        kept = self._kept(analyst, "of the analyst")
        self.assertEqual((kept["made_by"], kept["shared"]), ("analyst one", False))
        self.assertNotIn("of the analyst", self._names(reader))
        self.assertIn("of the analyst", self._names(owner))
        hidden = reader.get(f"{self.at}/ask/summary?list=of the analyst")
        self.assertEqual(hidden.status_code, 404)
        answer = analyst.get(f"{self.at}/ask/summary")
        self.assertIn("of the analyst", answer.text)
        self.assertNotIn("of the analyst", reader.get(f"{self.at}/ask/summary").text)
        tag = {"If-None-Match": answer.headers["ETag"]}
        self.assertEqual(reader.get(f"{self.at}/ask/summary", headers=tag).status_code, 200)
        at = f"{self.at}/lists/{kept['id']}"
        self.changed(reader, "PUT", f"{at}/shared", 403, json={"shared": True})
        self.changed(analyst, "PUT", f"{at}/shared", 200, json={"shared": True})
        self.assertIn("of the analyst", self._names(reader))
        self.changed(reader, "PUT", at, 403, json={"name": "of the reader"})
        self.changed(reader, "DELETE", at, 403)
        self.changed(owner, "DELETE", at, 200)
        self.changed(reader, "POST", f"{at}/undelete", 403)
        self.changed(analyst, "POST", f"{at}/undelete", 200)
        self.assertIn("of the analyst", self._names(reader))

    def test_a_view_is_its_authors_until_it_is_shared(self) -> None:
        analyst, reader = self.client("analyst"), self.client("reader")
        body = {"name": "monday", "stop": "cohorts", "query": "", "words": "Cohorts."}
        saved = self.changed(analyst, "POST", f"{self.at}/views", 201, json=body)["views"][0]
        self.assertEqual((saved["made_by"], saved["shared"]), ("analyst one", False))
        self.assertEqual(reader.get(f"{self.at}/views").get_json()["views"], [])
        number = saved["versions"][0]["id"]
        self.changed(reader, "DELETE", f"{self.at}/views/{number}", 404)
        self.changed(analyst, "PUT", f"{self.at}/views/{number}/shared", 200, json={"shared": True})
        self.changed(reader, "DELETE", f"{self.at}/views/{number}", 403)
        refused = self.changed(reader, "POST", f"{self.at}/views", 403, json=body)
        self.assertEqual(refused["remedy"], "Ask analyst one, or make one of your own.")
        again = self.changed(self.client("owner"), "POST", f"{self.at}/views", 201, json=body)["views"][0]
        self.assertEqual((again["made_by"], again["versions"][0]["version"]), ("analyst one", 2))

    def test_a_caller_sees_their_part_of_a_list_and_nothing_else(self) -> None:
        analyst, caller = self.client("analyst"), self.client("caller")
        whole = self._kept(analyst, "to call")
        self.assertEqual(self._names(caller), [])
        given = self._divide(analyst, whole["id"], 200, ("caller one", "every", "1/2"), ("owner one", "every", "2/2"))
        self.assertEqual([part["name"] for part in given["parts"]], ["caller one", "owner one"])
        self.assertEqual(self._names(caller), ["to call"])
        worked = f"{self.at}/ask/worked?list=to call&limit=200"
        theirs = {row["row"]["thread"]["customer"] for row in caller.get(worked).get_json()["rows"]}
        everybody = {row["row"]["thread"]["customer"] for row in analyst.get(worked).get_json()["rows"]}
        self.assertEqual(len(theirs), (len(everybody) + 1) // 2)
        self.assertLess(theirs, everybody)
        mine, other = min(theirs), min(everybody - theirs)
        for turned in ("without", "against"):
            rows = caller.get(f"{worked}&list_as={turned}").get_json()["rows"]
            self.assertLessEqual({row["row"]["thread"]["customer"] for row in rows}, theirs)
        one = f"{self.at}/ask/worked/one?list=to call&customer="
        self.assertEqual([caller.get(f"{one}{each}").status_code for each in (mine, other)], [200, 404])
        for customer, status in ((mine, 200), (other, 403)):
            thread = caller.get(f"{self.at}/ask/thread?customer={customer}")
            self.assertEqual(thread.status_code, status)
        order = caller.get(f"{self.at}/ask/thread?customer={mine}").get_json()["orders"][0]["id"]
        self.assertEqual(caller.get(f"{self.at}/orders/{order}/lines").status_code, 200)
        foreign = analyst.get(f"{self.at}/ask/thread?customer={other}").get_json()["orders"][0]["id"]
        self.assertEqual(caller.get(f"{self.at}/orders/{foreign}/lines").status_code, 403)
        at = f"{self.at}/lists/{whole['id']}"
        done = self.changed(caller, "PUT", f"{at}/members/{mine}", 200, json={"state": "contacted", "by": "the king"})
        self.assertEqual(done["entry"]["contacted_by"], "caller one")
        self.changed(caller, "PUT", f"{at}/members/{other}", 404, json={"state": "contacted"})
        theirs_done = self.changed(analyst, "PUT", f"{at}/members/{mine}", 200, json={"note": "called"})
        self.changed(caller, "POST", f"{at}/undo", 404, json={"action": theirs_done["action"]})
        self.changed(caller, "POST", f"{at}/undo", 200, json={"action": done["action"]})

    def test_nobody_is_called_by_two(self) -> None:
        analyst = self.client("analyst")
        kept = self._kept(analyst, "divided")
        both = self._divide(analyst, kept["id"], 409, ("caller one", "whole", ""), ("owner one", "every", "1/3"))
        self.assertIn("owner one", both["detail"])
        self._divide(analyst, kept["id"], 200, ("caller one", "letters", "A-M"), ("owner one", "letters", "N-Z"))
        for part in (
            ("caller one", "letters", "M-A"),
            ("caller one", "every", "3/2"),
            ("caller one", "attribute", "x=y"),
        ):
            self._divide(analyst, kept["id"], 422, part)
        self._divide(analyst, kept["id"], 422, ("reader one", "whole", ""))

    def test_a_piece_of_work_is_its_beginners(self) -> None:
        owner, analyst = self.client("owner"), self.client("analyst")
        job = self.changed(owner, "POST", f"{self.at}/package", 202)
        self.assertEqual(owner.get(f"/api/jobs/{job['id']}").status_code, 200)
        self.assertEqual(analyst.get(f"/api/jobs/{job['id']}").status_code, 404)
        self.changed(analyst, "DELETE", f"/api/jobs/{job['id']}", 404)
        other = self.token("owner", Role.OWNER)
        self.assertEqual(analyst.get(f"/api/jobs/{job['id']}", headers=other).status_code, 200)

    def test_what_is_done_and_taken_is_put_down_with_who_did_it(self) -> None:
        analyst, owner = self.client("analyst"), self.client("owner")
        kept = self._kept(analyst, "logged")
        analyst.get(f"{self.at}/ask/customers/file?form=csv&list=logged").close()
        analyst.get(f"{self.at}/ask/cohorts", headers={"Accept": "text/csv"})
        self.changed(analyst, "DELETE", f"{self.at}/lists/{kept['id']}", 200)
        told = owner.get(f"{self.at}/log?who=analyst one&limit=4").get_json()
        said = [(entry["deed"], entry["what"]) for entry in told["entries"]]
        self.assertEqual(
            said,
            [
                ("list deleted", "deleted the list logged"),
                ("file taken", "took a file: cohorts"),
                ("file taken", "took a file: customers"),
                ("list kept", "kept the list logged"),
            ],
        )
        self.assertEqual(told["entries"][2]["rows"], kept["customers"])
        csv = owner.get(f"{self.at}/log/file?who=analyst one").text.splitlines()
        self.assertEqual(csv[0], "who,when,from,what,to_which,rows")
        self.assertTrue(csv[1].startswith("analyst one,"), csv[1])
        none = owner.get(f"{self.at}/log?who=analyst one&until=2020-01-01").get_json()
        self.assertEqual(none["total"], 0)

    def test_an_arrow_stream_holds_what_a_parquet_file_does(self) -> None:
        headers = self.token("reader", Role.READER)
        client = self.client()
        accepted = {**headers, "Accept": "application/vnd.apache.arrow.stream"}
        asked = (("/file?form=arrow", headers), ("", accepted))
        replies = [client.get(f"{self.at}/ask/customers{how}", headers=sent) for how, sent in asked]
        streams = [reply.data for reply in replies]
        for reply in replies:
            reply.close()
        one, other = (pa.ipc.open_stream(stream).read_all() for stream in streams)
        self.assertTrue(one.equals(other))
        self.assertEqual(one.num_rows, client.get(f"{self.at}/ask/customers", headers=headers).get_json()["count"])


if __name__ == "__main__":
    unittest.main()
