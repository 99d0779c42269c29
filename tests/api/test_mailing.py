"""Messages to the members of a list: checked before the first, one each, at a pace, and never twice."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import threading
import time
import unittest
from pathlib import Path
from typing import Any
from unittest import mock

from goldthread.actions import lists, sending
from goldthread.actions.mailing import Template
from goldthread.core.choices import MailState
from goldthread.core.records import unreported
from goldthread.errors import NotFound, Stopped, Unavailable
from goldthread.store import mails
from goldthread.store.server.instance import free_port
from tests.support.mail_server import mail_for
from tests.support.sharing import deliver, shared_place, write_csv
from tests.support.working import WorkingCase

TEXT = "Dear {name},\nyour latest order was on {latest_date}.\n"
TEMPLATE = {"subject": "We miss you, {name}", "text": TEXT, "by": "Mo"}


class MailCase(WorkingCase):
    def setUp(self) -> None:
        super().setUp()
        self.server = mail_for(self, self.workspace)

    @property
    def at_mail(self) -> str:
        return f"{self.at}/lists/{self.list['id']}/mail"

    def preview(self, **template: Any) -> Any:
        reply = self.changed("POST", f"{self.at_mail}/preview", json={**TEMPLATE, **template})
        self.assertEqual(reply.status_code, 200, reply.text)
        return reply.json

    def send(self) -> Any:
        return self.ended(self.changed("POST", self.at_mail, json=TEMPLATE))

    def counts(self) -> dict[str, int]:
        return {each["state"]: each["messages"] for each in self.get(self.at_mail)["counts"]}


class Previews(MailCase):
    def test_every_message_is_shown_as_it_will_be_sent_and_who_gets_none_is_counted(self) -> None:
        found = self.preview()
        members = self.worked(limit=100)["customers"]
        self.assertEqual(found["count"] + sum(each["customers"] for each in found["left_out"]), members)
        message = found["messages"][0]
        self.assertEqual(message["subject"], f"We miss you, {message['name']}")
        self.assertRegex(message["text"], r"^Dear .+,\nyour latest order was on \d+ \w+ 20\d\d\.\n$")
        self.assertEqual((self.server.handler.messages, self.counts()["sent"]), ([], 0))

    def test_a_field_that_is_not_there_and_a_lonely_brace_are_refused_before_the_first_message(self) -> None:
        for template in (
            {"text": "{nobody}"},
            {"text": "{name"},
            {"subject": "{name.__class__}"},
            {"subject": "{name!r}"},
            {"text": "{name:>10}"},
            {"text": "{amount}"},
            {"text": "{}"},
            {"subject": " "},
            {"text": "x" * 20_001},
            {"subject": "a\nb"},
        ):
            for path in ("/preview", "/dry-run"):
                with self.subTest(template=template, path=path):
                    self.problem(self.changed("POST", self.at_mail + path, json={**TEMPLATE, **template}), 422)
        self.assertEqual(self.preview(text="{{plain}}")["messages"][0]["text"], "{plain}")

    def test_who_has_nothing_for_a_field_gets_no_message(self) -> None:
        self.list = self.made(f"{self.name} 2", who="never_ordered")
        found = self.preview()
        blank = {each["email"] for each in found["messages"] if each["blank"] == ["latest_date"]}
        self.assertEqual((len(blank) > 0, found["ready"]), (True, found["count"] - len(blank)))
        self.assertEqual(self.send()["mailed"]["sent"], found["ready"])
        self.assertFalse(blank & set(self.server.handler.to))

    def test_closed_do_not_contact_unsubscribed_and_done_members_get_none(self) -> None:
        before = {each["email"] for each in self.preview()["messages"]}
        first, second, *_ = sorted(before)
        keys = {each["row"]["contact"]["email"]: each["row"]["thread"]["key"] for each in self.worked()["rows"]}
        self.work(keys[first], state="left_out")
        header = ("customer_no", "no_newsletter")
        with tempfile.TemporaryDirectory() as folder:
            path = write_csv(Path(folder) / "u.csv", [header, (keys[second], "yes"), ("C99", "no")])
            deliver(self.workspace, self.book, path, "newsletter")
        found = self.preview()
        self.assertEqual({each["email"] for each in found["messages"]}, before - {first, second})
        reasons = {each["reason"]: each["customers"] for each in found["left_out"]}
        self.assertEqual((reasons["unsubscribed"], reasons["not to do any more"]), (1, 1))
        self.list = self.made(f"{self.name} 2", who=["lapsed", "overdue", "one_order", "never_ordered"])
        reasons = {each["reason"]: each["customers"] for each in self.preview()["left_out"]}
        self.assertGreaterEqual(reasons["closed or not to be contacted"], 1)

    def test_a_dry_run_reaches_the_server_and_sends_nothing(self) -> None:
        found = self.changed("POST", f"{self.at_mail}/dry-run", json=TEMPLATE)
        self.assertEqual((found.status_code, self.server.handler.messages), (200, []))
        wrong = self.workspace.settings.model_copy(update={"smtp_password": "wrong"})
        with mock.patch.object(self.workspace, "settings", wrong):
            self.assertIn(
                "refused us",
                self.problem(self.changed("POST", f"{self.at_mail}/dry-run", json=TEMPLATE), 503)["detail"],
            )
        nowhere = self.workspace.settings.model_copy(update={"smtp_host": ""})
        with mock.patch.object(self.workspace, "settings", nowhere):
            self.problem(self.changed("POST", f"{self.at_mail}/dry-run", json=TEMPLATE), 503)
            self.assertFalse(self.get(self.at_mail)["set_up"])


class Sending(MailCase):
    def test_one_message_each_and_whoever_was_written_to_is_contacted(self) -> None:
        found = self.preview()
        self.assertEqual(self.send()["mailed"], {"sent": found["ready"], "refused": 0, "unknown": 0})
        self.assertEqual(sorted(self.server.handler.to), sorted(each["email"] for each in found["messages"]))
        message = self.server.handler.messages[0]
        self.assertEqual(message["From"], "Marlpit & Slip <shop@marlpit.example>")
        self.assertTrue(message["Message-ID"].endswith("@marlpit.example>"))
        self.assertEqual(message.get_content_type(), "text/plain")
        by_email = {each["email"]: each for each in found["messages"]}
        wanted = by_email[message["To"].addresses[0].addr_spec]
        self.assertEqual(
            (message["Subject"], message.get_content().replace("\r\n", "\n")), (wanted["subject"], wanted["text"])
        )
        contacted = {each["row"]["contact"]["email"] for each in self.worked(shown="contacted")["rows"]}
        self.assertEqual(contacted, set(self.server.handler.to))
        entry = self.worked(shown="contacted")["rows"][0]["entry"]
        self.assertEqual((entry["channel"], entry["contacted_by"]), ("e-mail", "Mo"))
        # when it is sent once more, nobody is left to write to
        self.assertEqual(self.send()["mailed"]["sent"], found["ready"])
        self.assertEqual(len(self.server.handler.to), found["ready"])

    def test_a_refused_address_is_put_down_and_can_be_tried_again(self) -> None:
        emails = [each["email"] for each in self.preview()["messages"]]
        self.server.handler.refused = {emails[0]}
        self.assertEqual(self.send()["mailed"], {"sent": len(emails) - 1, "refused": 1, "unknown": 0})
        (row,) = [
            r for r in mails.mails_of(self.workspace.record.engine, self.list["id"]) if r.state is MailState.REFUSED
        ]
        self.assertIn("550 no such mailbox", row.problem)
        self.server.handler.refused = set()
        self.assertEqual(self.send()["mailed"], {"sent": len(emails), "refused": 0, "unknown": 0})
        self.assertEqual(sorted(self.server.handler.to), sorted(emails))

    def test_a_server_that_refuses_everybody_is_left_alone(self) -> None:
        self.server.handler.refuses_all = True
        job = self.send()
        self.assertEqual((job["state"], self.counts()["sent"]), ("failed", 0))
        self.assertIn("one after another", job["error"]["detail"])
        self.assertLessEqual(self.counts()["refused"], sending.REFUSED_IN_A_ROW_MOST)

    def test_after_a_connection_that_broke_in_the_middle_nobody_gets_two(self) -> None:
        emails = [each["email"] for each in self.preview()["messages"]]
        self.server.handler.goes_away_at = emails[1]
        self.assertEqual(self.send()["state"], "failed")
        self.assertEqual(self.counts(), {"sent": 1, "sending": 1, "refused": 0})
        self.assertEqual(self.send()["mailed"], {"sent": len(emails) - 1, "refused": 0, "unknown": 1})
        self.assertEqual(sorted(self.server.handler.to), sorted(emails))

    def test_a_server_that_takes_a_few_messages_at_a_time_is_connected_to_anew(self) -> None:
        emails = [each["email"] for each in self.preview()["messages"]]
        self.server.handler.takes_at_a_time = 1
        self.assertEqual(self.send()["mailed"], {"sent": len(emails), "refused": 0, "unknown": 0})
        self.assertEqual(sorted(self.server.handler.to), sorted(emails))

    def test_what_was_never_handed_over_is_free_again(self) -> None:
        emails = [each["email"] for each in self.preview()["messages"]]
        self.server.handler.hangs_up_before = emails[1]
        self.assertEqual(self.send()["mailed"], {"sent": len(emails), "refused": 0, "unknown": 0})
        self.server.handler.takes_at_a_time = 0
        self.list = self.made(f"{self.name} 2", who=["lapsed", "overdue", "one_order", "never_ordered"])
        ready = self.preview()["ready"]
        job = self.send()
        self.assertEqual((job["state"], self.counts()), ("failed", {"sent": 0, "sending": 0, "refused": 0}))
        self.assertIn("421 enough", job["error"]["detail"])
        self.assertEqual(self.preview()["ready"], ready)

    def test_all_who_send_share_one_pace(self) -> None:
        settings = self.workspace.settings.model_copy(update={"mails_per_minute": 60})
        self.addCleanup((settings.var / "mail.turn").unlink, missing_ok=True)
        with mock.patch("goldthread.actions.sending.time.time", return_value=1_000.0):
            self.assertEqual([sending._seconds_to_turn(settings) for _ in range(3)], [0, 1, 2])
            (settings.var / "mail.turn").write_text("9e99")
            self.assertLessEqual(sending._seconds_to_turn(settings), 64)
        # as read by a process of its own
        code = (
            "from goldthread.actions.sending import _seconds_to_turn; from goldthread.settings import load_settings; "
            "settings = load_settings().model_copy(update={'mails_per_minute': 1}); "
            "print(round(_seconds_to_turn(settings)))"
        )
        (settings.var / "mail.turn").unlink()
        found = [
            subprocess.run(
                [sys.executable, "-c", code], env=shared_place().environment, capture_output=True, text=True, check=True
            ).stdout.strip()
            for _ in range(2)
        ]
        self.assertEqual(found[0], "0")
        self.assertIn(int(found[1]), range(40, 61))

    def test_a_list_that_is_deleted_meanwhile_ends_the_mailing(self) -> None:
        begun, deleted = threading.Event(), threading.Event()

        def after_the_first(_phase: str, done: int, _total: int) -> None:
            if done == 1:
                begun.set()
                deleted.wait(30)

        template, told = Template(TEMPLATE["subject"], TEXT), list[Exception]()

        def one() -> None:
            try:
                sending.send(self.workspace, self.book, self.list["id"], template, "", after_the_first)
            except NotFound as error:
                told.append(error)

        mailing = threading.Thread(target=one)
        mailing.start()
        self.assertTrue(begun.wait(30))
        lists.delete_list(self.workspace, self.book, self.list["id"])
        deleted.set()
        mailing.join()
        self.assertIn("not there any more", str(told[0]))
        self.assertEqual(len(self.server.handler.to), 1)

    def test_two_who_send_at_once_send_no_message_twice(self) -> None:
        emails = [each["email"] for each in self.preview()["messages"]]
        template = Template(TEMPLATE["subject"], TEXT)

        def one() -> None:
            sending.send(self.workspace, self.book, self.list["id"], template, "", unreported)

        both = [threading.Thread(target=one) for _ in range(2)]
        for each in both:
            each.start()
        for each in both:
            each.join()
        self.assertEqual(sorted(self.server.handler.to), sorted(emails))

    def test_it_keeps_to_the_pace_and_stops_when_it_is_asked_to(self) -> None:
        template = Template(TEMPLATE["subject"], TEXT)
        slow = self.workspace.settings.model_copy(update={"mails_per_minute": 1})
        seen: list[int] = []

        def stop_after_the_first(_phase: str, done: int, _total: int) -> None:
            seen.append(done)
            if len(seen) > 2:
                raise Stopped("enough", remedy="")

        began = time.monotonic()
        with mock.patch.object(self.workspace, "settings", slow), self.assertRaises(Stopped):
            sending.send(self.workspace, self.book, self.list["id"], template, "", stop_after_the_first)
        self.assertEqual((len(self.server.handler.to), self.counts()["sent"]), (1, 1))
        self.assertLess(time.monotonic() - began, 30)
        waited: list[float] = []
        (self.workspace.settings.var / "mail.turn").unlink()
        with (
            mock.patch.object(sending, "_wait", lambda seconds, _look: waited.append(seconds)),
            mock.patch("goldthread.actions.sending.time.time", return_value=1_000.0),
        ):
            sending.send(self.workspace, self.book, self.list["id"], template, "", unreported)
        self.assertEqual([round(each, 6) for each in waited], [round(at / 100, 6) for at in range(len(waited))])

    def test_an_unreachable_server_is_said(self) -> None:
        nobody = self.workspace.settings.model_copy(update={"smtp_port": free_port()})
        template = Template(TEMPLATE["subject"], TEXT)
        with mock.patch.object(self.workspace, "settings", nobody), self.assertRaises(Unavailable) as said:
            sending.dry_run(self.workspace, self.book, self.list["id"], template)
        self.assertIn("cannot be reached", str(said.exception))


if __name__ == "__main__":
    unittest.main()
