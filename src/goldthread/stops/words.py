"""What people write in a brief: paragraphs and lists with simple emphasis, as Markdown has them, and no more of it.

The words are parts, and no HTML: whoever shows them makes his own, and what looks like HTML stays the text it is.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from markdown_it import MarkdownIt
from markdown_it.token import Token

_MARKDOWN = MarkdownIt("zero").enable(["emphasis", "list", "newline", "escape"])


@dataclass(frozen=True)
class Run:
    """A piece of text, as it is emphasised."""

    text: str
    strong: bool = False
    emphasised: bool = False


@dataclass(frozen=True)
class Block:
    """A paragraph, or an item of a list, whose ``mark`` stands before it: • or a number. Lines break at \\n."""

    mark: str
    runs: tuple[Run, ...]


def blocks_of(words: str) -> list[Block]:
    """Words as parts."""
    blocks: list[Block] = []
    mark, numbers = "", list[int]()
    for token in _MARKDOWN.parse(words):
        match token.type:
            case "bullet_list_open":
                numbers.append(0)
            case "ordered_list_open":
                numbers.append(int(token.attrGet("start") or 1))
            case "bullet_list_close" | "ordered_list_close":
                numbers.pop()
            case "list_item_open":
                mark = f"{numbers[-1]}." if numbers[-1] else "•"
                numbers[-1] += bool(numbers[-1])
            case "inline":
                blocks.append(Block(mark, tuple(_runs(token.children or ()))))
                # a further paragraph of an item goes on beneath it
                mark = ""
    return blocks


def _runs(tokens: Iterable[Token]) -> Iterator[Run]:
    strong = emphasised = 0
    for token in tokens:
        match token.type:
            case "strong_open" | "strong_close":
                strong += token.nesting
            case "em_open" | "em_close":
                emphasised += token.nesting
            case "softbreak" | "hardbreak":
                yield Run("\n")
            case _ if token.content:
                yield Run(token.content, strong > 0, emphasised > 0)
