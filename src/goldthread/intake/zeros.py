"""Columns of a workbook whose numbers are shown with zeros before them: 3401 that everybody sees as 003401."""

from __future__ import annotations

import re
import zipfile
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import IO
from xml.etree import ElementTree

_ZEROS = re.compile("0{2,20}")
_ROWS_LOOKED_AT = 50
_CELL = re.compile("([A-Z]{1,3})[0-9]+")


def widths_of_zeros(path: Path) -> list[Mapping[int, int]]:
    """For each sheet, in the sequence of the workbook, how many digits the numbers of some columns are shown with.

    Empty for workbooks of other kinds than XLSX, and where no format has zeros alone.
    """
    try:
        with zipfile.ZipFile(path) as archive:
            names = set(archive.namelist())
            if not {"xl/styles.xml", "xl/workbook.xml", "xl/_rels/workbook.xml.rels"} <= names:
                return []
            with archive.open("xl/styles.xml") as file:
                widths = _widths_of_styles(file)
            if not widths:
                return []
            found: list[Mapping[int, int]] = []
            for part in _sheet_parts(archive):
                with archive.open(part) as file:
                    found.append(_widths_of_columns(file, widths))
            return found
    except (zipfile.BadZipFile, ElementTree.ParseError, KeyError, OSError):
        # the numbers are then read as they are
        return []


def _elements(file: IO[bytes]) -> Iterator[tuple[str, ElementTree.Element]]:
    for _, element in ElementTree.iterparse(file):  # noqa: S314 - bounded, in a process of its own
        yield element.tag.rpartition("}")[2], element


def _widths_of_styles(file: IO[bytes]) -> dict[str, int]:
    """How many digits a style shows, by its place among the cell formats."""
    formats: dict[str, int] = {}
    for tag, element in _elements(file):
        if tag == "numFmt" and _ZEROS.fullmatch(element.get("formatCode", "")):
            formats[element.get("numFmtId", "")] = len(element.get("formatCode", ""))
        elif tag == "cellXfs":
            kinds = [each.get("numFmtId", "") for each in element]
            return {str(place): formats[kind] for place, kind in enumerate(kinds) if kind in formats}
    return {}


def _sheet_parts(archive: zipfile.ZipFile) -> list[str]:
    with archive.open("xl/_rels/workbook.xml.rels") as file:
        targets = {each.get("Id"): each.get("Target", "") for tag, each in _elements(file) if tag == "Relationship"}
    with archive.open("xl/workbook.xml") as file:
        ids = [
            next(value for name, value in each.attrib.items() if name.endswith("}id"))
            for tag, each in _elements(file)
            if tag == "sheet"
        ]
    parts = [targets[each] for each in ids]
    return [part.lstrip("/") if part.startswith("/") else f"xl/{part}" for part in parts]


def _widths_of_columns(file: IO[bytes], widths: Mapping[str, int]) -> dict[int, int]:
    found: dict[int, int] = {}
    rows = 0
    for tag, element in _elements(file):
        if tag == "c" and element.get("s") in widths and (place := _CELL.fullmatch(element.get("r", ""))):
            found[_column(place[1])] = widths[element.get("s", "")]
        if tag == "row":
            rows += 1
            element.clear()
            if rows > _ROWS_LOOKED_AT:
                break
    return found


def _column(letters: str) -> int:
    number = 0
    for letter in letters:
        number = number * 26 + ord(letter) - ord("A") + 1
    return number - 1
