"""The words of a brief: simple emphasis and lists, and nothing else of Markdown; no HTML ever."""

from __future__ import annotations

import unittest

from goldthread.stops.words import Block, Run, blocks_of


class Words(unittest.TestCase):
    def test_emphasis_nests_and_lines_break(self) -> None:
        self.assertEqual(
            blocks_of("One *two **three*** four\nfive\n\nsix"),
            [
                Block(
                    "",
                    (
                        Run("One "),
                        Run("two ", emphasised=True),
                        Run("three", strong=True, emphasised=True),
                        Run(" four"),
                        Run("\n"),
                        Run("five"),
                    ),
                ),
                Block("", (Run("six"),)),
            ],
        )

    def test_lists_have_their_marks(self) -> None:
        found = blocks_of("- a\n- b\n  1. c\n  2. d\n\n3. e\n4. f")
        self.assertEqual(
            [(block.mark, block.runs[0].text) for block in found],
            [("•", "a"), ("•", "b"), ("1.", "c"), ("2.", "d"), ("3.", "e"), ("4.", "f")],
        )

    def test_everything_else_stays_the_text_it_is(self) -> None:
        for text in (
            "<script>alert(1)</script>",
            "[x](http://a.example)",
            "![x](y.png)",
            "# no heading",
            "`a`",
            "&lt;",
        ):
            with self.subTest(text=text):
                self.assertEqual(blocks_of(text), [Block("", (Run(text),))])
        self.assertEqual(blocks_of(r"\*plain\*")[0].runs, (Run("*plain*"),))
        self.assertEqual(blocks_of(" \n "), [])


if __name__ == "__main__":
    unittest.main()
