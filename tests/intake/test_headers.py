"""Forty heads of tables as people write them: what each row is and what its columns mean is found, or asked."""

from __future__ import annotations

import re
import sys
import tempfile
import unittest
from dataclasses import dataclass
from pathlib import Path

from goldthread.core.records import FileKind
from goldthread.intake.delimited import look
from goldthread.intake.guessing import Guess, guess
from goldthread.intake.meanings import Meaning

HEADERS = Path(__file__).parents[1] / "golden" / "headers" / "headers.txt"
RIGHT_AT_LEAST = 0.95


@dataclass(frozen=True)
class Head:
    title: str
    kind: FileKind
    columns: dict[Meaning, str]
    text: str


def heads() -> list[Head]:
    found = []
    for block in ("\n" + HEADERS.read_text(encoding="utf-8")).split("\n# ")[1:]:
        title, wanted, text = re.split(r"\n", block, maxsplit=2)
        kind, columns = wanted.removeprefix("= ").split(" ", 1)
        pairs = re.split(r" (?=[a-z_]+=)", columns)
        meanings = {Meaning(name): column for name, column in (pair.split("=", 1) for pair in pairs)}
        found.append(Head(title, FileKind(kind), meanings, text))
    return found


def guessed(text: str) -> Guess:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "table.csv"
        path.write_text(text, encoding="utf-8")
        file = look(path)
        return guess(file.header, file.sample)


class Heads(unittest.TestCase):
    def test_of_forty_heads_nearly_all_is_found_and_nothing_is_wrong_in_silence(self) -> None:
        right = wanted = 0
        for head in heads():
            found = guessed(head.text)
            with self.subTest(head=head.title):
                self.assertEqual(found.kind, head.kind, found.why)
                self.assertTrue(found.why)
                wrong = {m: c for m, c in found.columns.items() if head.columns.get(m) != c}
                self.assertEqual(wrong, {})
                right += sum(found.columns.get(meaning) == column for meaning, column in head.columns.items())
                wanted += len(head.columns)
        self.assertGreaterEqual(len(heads()), 40)
        share = right / wanted
        sys.stderr.write(
            f"columns of {len(heads())} heads: {right} of {wanted} found ({share:.1%}), the rest is asked\n"
        )
        self.assertGreaterEqual(share, RIGHT_AT_LEAST)


if __name__ == "__main__":
    unittest.main()
