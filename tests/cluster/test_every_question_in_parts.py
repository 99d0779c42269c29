"""Every question of the description, asked of a book in parts on a cluster: each reply is that of the whole book."""

from __future__ import annotations

import unittest
import zipfile
from io import BytesIO

from goldthread.api.app import create_app
from tests.support.api import ApiCase
from tests.support.cluster import in_parts, put_in_parts
from tests.support.every_question import every_question

_WORKBOOK = b"PK"
_MADE_AT = "docProps/core.xml"


def contents(data: bytes) -> object:
    """A reply, without when a workbook was made."""
    if not data.startswith(_WORKBOOK):
        return data
    with zipfile.ZipFile(BytesIO(data)) as file:
        return {name: file.read(name) for name in file.namelist() if name != _MADE_AT}


class EveryQuestionInParts(ApiCase):
    def test_every_reply_of_a_book_in_parts_is_that_of_the_whole(self) -> None:
        workspace = in_parts(self.workspace)
        self.assertGreater(put_in_parts(workspace, self.book), 2)
        client, asked = create_app(workspace).test_client(), 0
        for path in every_question(self.book, every_value=True, in_every_form=False):
            # a session is another one each time
            if not path.startswith(self.at):
                continue
            whole, parted = self.client.get(path), client.get(path)
            with self.subTest(path=path):
                self.assertEqual(parted.status_code, whole.status_code, parted.data[:300])
                self.assertEqual(contents(parted.data), contents(whole.data))
            whole.close()
            parted.close()
            asked += 1
        self.assertGreater(asked, 1_000)


if __name__ == "__main__":
    unittest.main()
