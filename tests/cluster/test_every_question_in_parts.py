"""Every question of the description, asked of a book in parts on a cluster: each reply is that of the whole book."""

from __future__ import annotations

import re
import unittest
import zipfile
from io import BytesIO
from itertools import product
from unittest import mock
from urllib.parse import urlencode

from goldthread.actions.books import today_of
from goldthread.api.app import create_app
from goldthread.core.threads import windows
from goldthread.stops.reading import read_book
from goldthread.stops.sentences.reading_line import ListAs, ReadingLine
from tests.support.api import ApiCase
from tests.support.asking import keep
from tests.support.cluster import in_parts, put_in_parts
from tests.support.every_question import every_question

_WORKBOOK = b"PK"
_MADE_AT, _TAKEN_AT = "docProps/core.xml", re.compile(rb'"taken_at": "[^"]*"|<p>Taken from [^\n]*')


def contents(data: bytes) -> object:
    """A reply, without when it was made where it says that."""
    if not data.startswith(_WORKBOOK):
        return _TAKEN_AT.sub(b"", data)
    with zipfile.ZipFile(BytesIO(data)) as file:
        return {name: file.read(name) for name in file.namelist() if name != _MADE_AT}


class EveryQuestionInParts(ApiCase):
    def setUp(self) -> None:
        self.own = in_parts(self.workspace)
        self.assertGreater(put_in_parts(self.own, self.book), 2)
        self.parted = create_app(self.own).test_client()
        # a list of a few customers is as long as it can be
        self.enterContext(mock.patch.object(windows, "READ_AT_ONCE", 3))

    def compare(self, path: str) -> None:
        whole, parted = self.client.get(path), self.parted.get(path)
        with self.subTest(path=path):
            self.assertEqual(parted.status_code, whole.status_code, parted.data[:300])
            self.assertEqual(contents(parted.data), contents(whole.data))
        whole.close()
        parted.close()

    def test_every_reply_of_a_book_in_parts_is_that_of_the_whole(self) -> None:
        # a session is another one each time
        paths = [path for path in every_question(self.book, every_value=True) if path.startswith(self.at)]
        self.assertGreater(len(paths), 1_000)
        for path in paths:
            self.compare(path)

    def test_so_is_that_of_customers_on_a_list_without_them_and_against_them(self) -> None:
        read = read_book(self.workspace, self.book, ReadingLine(), today_of(self.book))
        keep(self.workspace, read, [0, 2, 3, 7, 11], "some")
        paths = [path for path in every_question(self.book) if re.match(rf"{self.at}/ask/[a-z-]+\?", path)]
        self.assertGreater(len(paths), 20)
        for path, list_as in product(paths, ListAs):
            self.compare(f"{path}&{urlencode({'list': 'some', 'list_as': list_as})}")
        for where in ("orders > 2", "amount >= 20"):
            for path in paths:
                self.compare(f"{path}&{urlencode({'list': 'some', 'where': where, 'firsts': 'matching'})}")


if __name__ == "__main__":
    unittest.main()
