"""A brief with its findings, as JSON."""

from __future__ import annotations

from goldthread.shape import Moment, Shape
from goldthread.stops.briefs import Shown, picture_address


class TextRunShape(Shape):
    """A piece of a text; a line break where it is \\n."""

    text: str
    strong: bool
    emphasised: bool


class BlockShape(Shape):
    """A paragraph, or an item of a list, behind its mark."""

    mark: str
    runs: list[TextRunShape]


class FindingColumnShape(Shape):
    name: str
    side: str


class FindingShape(Shape):
    """A finding (UTC). ``figure`` and what stands ``beside`` it are blank for words, and for a view as a whole;
    ``notes`` say what it was or is by now; ``changed`` whether it says otherwise than when it was pinned. How large its
    picture is, in dots, 0 without one; ``picture`` is the picture itself, where nothing else gives it."""

    id: int
    heading: str
    words: str
    blocks: list[BlockShape]
    pinned: dict[str, str] | None
    live: bool
    version: int
    made_by: str
    made_at: Moment
    edited_by: str
    edited_at: Moment | None
    figure: str
    beside: str
    figure_words: str
    notes: list[str]
    sentence: str
    changed: bool
    columns: list[FindingColumnShape]
    rows: list[list[str]]
    picture: str
    picture_width: int
    picture_height: int

    @classmethod
    def of(cls, shown: Shown, *, whole: bool = False) -> FindingShape:
        figure, (width, height) = shown.figure, shown.size
        png = shown.picture() if whole and shown.picture is not None else None
        return cls.like(
            shown.row,
            blocks=[BlockShape(mark=block.mark, runs=TextRunShape.each_of(block.runs)) for block in shown.blocks],
            figure="" if figure is None else figure.text,
            beside="" if figure is None else figure.beside,
            figure_words="" if figure is None else figure.words,
            notes=list(shown.notes),
            sentence=shown.sentence,
            changed=shown.changed,
            columns=FindingColumnShape.each_of(shown.columns),
            rows=shown.rows,
            picture="" if png is None else picture_address(png),
            picture_width=width,
            picture_height=height,
        )


class BriefShape(Shape):
    """A brief (UTC). ``shared``: everybody in the book sees it."""

    id: int
    name: str
    made_by: str
    shared: bool
    version: int
    made_at: Moment
    findings: int


class OpenedBriefShape(Shape):
    """A brief with its findings, as they are shown today."""

    brief: BriefShape
    findings: list[FindingShape]
